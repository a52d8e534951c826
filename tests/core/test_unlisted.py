"""What is there for no reason that the tables know: seldom, where a car was brought in for it (common practice, no
source, unless said otherwise)."""

import unittest
from dataclasses import replace

from gumshoe.core.clues import OnRecord, extract
from gumshoe.core.codes import CodeState, TroubleCode
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.obd.snapshot import ModuleSnapshot, StoredCode
from gumshoe.core.obd.status import Monitor, MonitorStatus
from gumshoe.core.planning import Costs, propose
from gumshoe.core.planning.next_action import Act, foremost, next_action
from gumshoe.core.suspects import Assessment, assess
from tests.core.test_bench_found import evidence, known

KINDS = ("ostrel_tern_16", "ostrel_dunlin_30", "havsel_pipit_10")


def found(knowledge: Knowledge, record: OnRecord) -> Assessment:
    return assess(knowledge, extract(record, knowledge), odometer_km=90_000.0, age_years=8.0)


def told(*codes: str) -> OnRecord:
    """These codes, confirmed."""
    stored = tuple(StoredCode(TroubleCode(code), CodeState.CONFIRMED) for code in codes)
    return OnRecord(module=ModuleSnapshot(0x7E8, codes=stored))


def unrun() -> MonitorStatus:
    """Readiness of a control unit whose monitors have not run."""
    monitors = (Monitor("comprehensive components", supported=True, complete=False, continuous=True),)
    return MonitorStatus(lamp=True, codes=2, compression_ignition=True, monitors=monitors)


class Codes(unittest.TestCase):
    def test_a_rare_circuit_code_is_as_seldom_wrong_as_it_is_seldom_right(self) -> None:
        """A confirmed code of one circuit, alone: the circuit it names, and not "none of these"."""
        nothing = []
        for platform in KINDS:
            knowledge = known(platform)
            for part in ("purge_valve", "injector_2", "coolant_sensor", "ignition_coil_1", "fan", "oxygen_heater_b1s2"):
                for mode in ("open", "short_feed", "short_ground"):
                    suspect = knowledge.faults.get(f"{mode}_{part}")
                    for code in (code for code, chance in (suspect.codes if suspect else {}).items() if chance > 0.8):
                        nothing.append(found(knowledge, evidence(code)).nothing)
                        self.assertLess(nothing[-1], 0.45, (platform, code))
        self.assertGreater(len(nothing), 60)
        self.assertLess(sum(nothing) / len(nothing), 0.2)

    def test_no_code_is_there_for_nothing_more_often_than_its_row_says(self) -> None:
        knowledge = known(KINDS[0])
        for number, row in knowledge.codes.items():
            self.assertLessEqual(knowledge.leaks[number], row.leak)
            if number not in knowledge.linked:
                self.assertEqual(knowledge.leaks[number], row.leak)

    def test_circuits_are_watched_before_their_monitor_is_through(self) -> None:
        """Every injector's circuit told of, and no other that the main relay feeds: the injectors' own feed."""
        knowledge = known("ostrel_eider_50")
        every = tuple(StoredCode(f"P020{n}", CodeState.CONFIRMED) for n in range(1, 9))
        case = OnRecord(module=ModuleSnapshot(0x7E8, codes=every, status=unrun()), symptoms=("no_start",))
        self.assertEqual(found(knowledge, case).suspects[0].id, "shared_feed_injectors")
        self.assertGreater(found(knowledge, case).suspects[0].probability, 0.9)

    def test_two_circuits_of_unlike_parts_hang_on_one_feed(self) -> None:
        """Meter and purge valve dead together: their feed before either, though others may hang on it as well."""
        first = found(known("ostrel_dunlin_30"), told("P0102", "P0443")).suspects[0]
        self.assertEqual(first.id, "shared_feed_actuators")

    def test_what_delivers_too_little_sets_no_circuit_code(self) -> None:
        """P0204 beside its misfire: the injector's circuit, before an injector that deposits have narrowed."""
        knowledge = known("ostrel_dunlin_30")
        assessment = found(knowledge, told("P0204", "P0304"))
        self.assertEqual(assessment.suspects[0].id, "injector_circuit_open_4")
        self.assertGreater(assessment.suspects[0].probability, 0.7)

    def test_an_alternator_need_not_set_each_of_its_four_codes(self) -> None:
        """Low voltage and the battery's lamp: it does not charge, though no code of its own is there."""
        knowledge = known("ostrel_tern_16")
        case = replace(evidence("P0562"), symptoms=("battery_lamp",))
        self.assertEqual(found(knowledge, case).suspects[0].id, "charging_weak")

    def test_what_watches_one_cylinder_watches_them_all(self) -> None:
        """Two injectors of one output stage are dead, the others of the same feed are not: not the feed. Also where
        the control unit has not yet said that its monitor has run."""
        knowledge = known("ostrel_fulmar_20")
        both = tuple(StoredCode(code, CodeState.CONFIRMED) for code in ("P0201", "P0204"))
        for status in (None, unrun()):
            case = OnRecord(module=ModuleSnapshot(0x7E8, codes=both, status=status))
            self.assertEqual(found(knowledge, case).suspects[0].id, "injector_stage_A")

    def test_tracks_that_do_not_agree_are_about_their_sensor(self) -> None:
        """P2138 alone: the pedal's tracks, their contacts, and what feeds them."""
        assessment = found(known("ostrel_gannet_52"), evidence("P2138"))
        self.assertIn("pedal", assessment.suspects[0].id)
        self.assertLess(assessment.nothing, 0.6)

    def test_a_carboned_plate_passes_less_than_its_angle_says(self) -> None:
        for code in ("P0101", "P0068"):
            self.assertIn("throttle_carbon", known(KINDS[0]).by_code[code])


class Complaints(unittest.TestCase):
    def setUp(self) -> None:
        self.known = known(KINDS[0])
        self.quiet = OnRecord(module=ModuleSnapshot(0x7E8), scan_source=("scan", "1"))

    def test_who_comes_for_a_complaint_has_a_reason(self) -> None:
        for name, most in (("no_start", 0.3), ("stalls", 0.35), ("runs_hot", 0.3), ("high_idle", 0.4)):
            case = replace(self.quiet, symptoms=(name,), symptom_source=("complaint", "1"))
            self.assertLess(found(self.known, case).nothing, most, name)

    def test_a_remark_beside_a_code_may_be_about_nothing(self) -> None:
        """What is said in passing by one who comes for a lamp makes no second fault."""
        with_remark = replace(evidence("P0118"), symptoms=("high_consumption",), symptom_source=("complaint", "1"))
        for case in (evidence("P0118"), with_remark):
            second = found(self.known, case).suspects
            others = [item for item in second if item.row.component != "coolant_sensor"]
            self.assertLess(others[0].probability, 0.35)


class TwoFaults(unittest.TestCase):
    def setUp(self) -> None:
        self.known = known(KINDS[0])

    def test_when_one_repair_did_not_help_the_other_fault_is_looked_for(self) -> None:
        """The complaint stays while the second fault is there: one does not stand still before the first."""
        both = tuple(StoredCode(code, CodeState.CONFIRMED) for code in ("P0304", "U0155"))
        done = (("spark_tester", "good", "0"), ("check_cluster", "open", "0"))
        seen = evidence("", *done, failed=("mend_cluster", "work", "1"))
        case = replace(seen, module=ModuleSnapshot(0x7E8, codes=both))
        assessment = found(self.known, case)
        self.assertIn("mend_cluster", [item.row.repair for item in assessment.suspects[:2]])
        self.assertEqual(foremost(assessment).row.cylinders, (4,))
        action = next_action(assessment, self.known, propose(assessment, self.known, Costs()))
        self.assertIs(action.act, Act.TEST)
        self.assertNotIn("cluster", action.words)

    def test_what_is_shown_again_after_its_repair_is_named_again(self) -> None:
        """A bad part, or badly fitted: then it is that one still."""
        case = evidence("P0303", ("coil_swap", "moved", "2"), failed=("renew_coil_3", "work", "1"))
        assessment = found(self.known, case)
        self.assertTrue(assessment.suspects[0].proven_by)
        self.assertEqual(foremost(assessment).row.repair, "renew_coil_3")


if __name__ == "__main__":
    unittest.main()
