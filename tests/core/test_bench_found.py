"""What the bench found is what is named and proposed: part or wire, and never again what was renewed without help."""

from __future__ import annotations

import unittest

from django.test import tag

from gumshoe.core.clues import OnRecord, TestOutcome, extract, outdated_tests
from gumshoe.core.codes import CodeState
from gumshoe.core.knowledge.catalogue import Knowledge, expand
from gumshoe.core.knowledge.parts import circuit_of
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.obd.snapshot import ModuleSnapshot, StoredCode
from gumshoe.core.planning import Costs, propose, standing
from gumshoe.core.planning.next_action import Act, NextAction, next_action
from gumshoe.core.planning.strategies import outlooks
from gumshoe.core.powertrain.description import Ignition, Numbering, Powertrain
from gumshoe.core.powertrain.misfires import mask_of
from gumshoe.core.suspects import Assessment, assess
from gumshoe.core.work.offers import check_outcomes, located, repair_of


def known(platform: str) -> Knowledge:
    return expand(platforms()[platform].powertrain)


def judged(knowledge: Knowledge, evidence: OnRecord) -> tuple[Assessment, NextAction]:
    found = assess(knowledge, extract(evidence, knowledge))
    done = {row.test for row in evidence.tests} - outdated_tests(evidence, knowledge)
    return found, next_action(found, knowledge, propose(found, knowledge, Costs(), done=done))


def evidence(code: str, *tests: tuple[str, str, str], failed: tuple[str, str, str] | None = None) -> OnRecord:
    return OnRecord(
        module=ModuleSnapshot(0x7E8, codes=(StoredCode(code, CodeState.CONFIRMED),)),
        tests=tuple(TestOutcome(test, outcome, "x", at) for test, outcome, at in tests),
        failed_repairs=(failed,) if failed else (),
    )


@tag("long")
class PartOrWire(unittest.TestCase):
    """Common practice: feed, ground and wire measured good and the part silent, that is the part."""

    def test_a_part_that_does_not_answer_is_named_and_renewed(self) -> None:
        for platform, component, code in (
            ("ostrel_tern_16", "purge_valve", "P0443"),
            ("ostrel_tern_16", "purge_valve", "P0444"),
            ("ostrel_tern_16", "ignition_coil_3", "P0353"),
            ("ostrel_tern_16", "injector_2", "P0202"),
            ("ostrel_tern_16", "coolant_sensor", "P0118"),
            ("havsel_skua_14", "boost_valve", "P0243"),
            ("havsel_skua_14", "vent_valve", "P0447"),
        ):
            with self.subTest(component, code=code):
                knowledge = known(platform)
                case = evidence(code, (f"check_{component}", "part", "1"))
                found, action = judged(knowledge, case)
                self.assertIs(action.act, Act.NAME, action.words)
                leader = found.suspects[0]
                self.assertEqual(leader.row.component, component)
                self.assertFalse(standing(found, leader.id).guess)
                where = located(knowledge, check_outcomes(knowledge, case.tests))
                repair = knowledge.repairs[repair_of(knowledge, leader.id, where)]
                self.assertEqual((repair.component, repair.renews), (component, True), repair.id)

    def test_a_heater_whose_wire_is_open_keeps_its_sensor(self) -> None:
        """An open heater circuit may be its wire or the heater itself: what the check finds decides whether a part is
        bought."""
        knowledge = known("ostrel_tern_16")
        for outcome, wiring in (("open", True), ("part", False)):
            with self.subTest(outcome):
                case = evidence("P0135", ("check_oxygen_heater_b1s1", outcome, "1"))
                found, _ = judged(knowledge, case)
                where = located(knowledge, check_outcomes(knowledge, case.tests))
                repair = knowledge.repairs[repair_of(knowledge, found.suspects[0].id, where)]
                self.assertEqual((repair.wiring, repair.renews), (wiring, not wiring), repair.id)

    def test_a_shorted_wire_is_named_although_it_may_be_loose_as_well(self) -> None:
        knowledge = known("ostrel_tern_16")
        for component, code in (("purge_valve", "P0445"), ("fan", "P0691")):
            if f"check_{component}" not in knowledge.tests:
                continue
            found, action = judged(knowledge, evidence(code, (f"check_{component}", "short_ground", "1")))
            self.assertIs(action.act, Act.NAME, (component, action.words, found.suspects[0].probability))

    def test_no_circuit_check_ends_in_a_guess_about_another_part(self) -> None:
        """Every part with a circuit: a check that found the part, or its circuit open, points at that part, at what it
        shares, or at a test; the few that stay guesses are counted, so that they do not grow."""
        guesses, astray, asked = [], [], 0
        knowledge = known("ostrel_tern_16")
        for name, part in knowledge.components.items():
            circuit = circuit_of(part)
            chances = circuit.kinds("open") if circuit else {}
            codes = [(chances[kind], number) for number, kind in part.codes if kind in chances]
            if not codes or f"check_{name}" not in knowledge.tests:
                continue
            for outcome in ("part", "open"):
                asked += 1
                found, action = judged(knowledge, evidence(max(codes)[1], (f"check_{name}", outcome, "1")))
                leader = found.suspects[0].row
                if action.act is Act.GUESS:
                    guesses.append((name, outcome))
                if leader.component != name and name not in leader.members and action.act in (Act.NAME, Act.GUESS):
                    astray.append((name, outcome, leader.id))
        self.assertGreater(asked, 80)
        self.assertEqual(astray, [])
        self.assertLess(len(guesses), asked * 0.10, guesses)


class Overtaken(unittest.TestCase):
    """Common practice: what was renewed and did not help is measured again before it is renewed again."""

    def test_a_renewed_part_is_not_proposed_again_on_the_old_finding(self) -> None:
        knowledge = known("havsel_plover_18")
        smoke = ("smoke_evap", "canister", "2026-01-01T10:00")
        failed = ("renew_canister", "x", "2026-01-01T12:00")
        before, _ = judged(knowledge, evidence("P0442", ("look_cap", "good", "2026-01-01T09:00"), smoke))
        self.assertEqual(before.suspects[0].id, "canister_cracked")
        case = evidence("P0442", ("look_cap", "good", "2026-01-01T09:00"), smoke, failed=failed)
        after, action = judged(knowledge, case)
        self.assertEqual(outdated_tests(case, knowledge), {"smoke_evap"})
        self.assertNotEqual(after.suspects[0].id, "canister_cracked")
        assert action.test
        self.assertEqual(action.test.id, "smoke_evap")
        self.assertTrue(any("make it again" in clue.words for clue in after.clues))
        again = ("smoke_evap", "line", "2026-01-01T13:00")
        found, action = judged(knowledge, evidence("P0442", again, failed=failed))
        self.assertEqual((found.suspects[0].id, action.act), ("evap_hose_leak", Act.NAME))

    def test_a_finding_made_after_the_repair_holds(self) -> None:
        knowledge = known("havsel_plover_18")
        later = ("smoke_evap", "canister", "2026-01-01T13:00")
        case = evidence("P0442", later, failed=("renew_canister", "x", "2026-01-01T12:00"))
        self.assertEqual(outdated_tests(case, knowledge), frozenset())
        self.assertEqual(outdated_tests(evidence("P0442", ("gone", "x", "1")), knowledge), frozenset())


class BetweenTwo(unittest.TestCase):
    """Common practice: 2 and 3 of an inline four share the weakest web of the gasket, and are companions as well."""

    def test_a_gasket_between_companions_is_a_suspect(self) -> None:
        four = expand(Powertrain())
        for name, pair in (("head_gasket_2", (2, 3)), ("head_gasket_1", (1, 2))):
            law = four.faults[name].misfire
            self.assertEqual(max(law, key=law.__getitem__), mask_of(pair))
        crossed = expand(Powertrain(layout="V", firing_order=(1, 3, 2, 4), numbering=Numbering.ALTERNATING))  # type: ignore[arg-type]
        for name, pair in (("head_gasket_1", (1, 3)), ("head_gasket_2", (2, 4))):  # each a bank there
            law = crossed.faults[name].misfire
            self.assertEqual(max(law, key=law.__getitem__), mask_of(pair))

    def test_a_swap_that_moved_nothing_acquits_the_coil_and_nobody_else(self) -> None:
        table = expand(Powertrain(ignition=Ignition.WASTED_SPARK)).tests["coil_swap"].given
        for fault in ("head_gasket_2", "plug_bad_2", "injector_circuit_open_2"):
            self.assertGreater(table[fault]["stayed"], 0.8, fault)
        worn = next(name for name in table if name.startswith("pair_coil_breakdown"))
        self.assertGreater(table[worn]["moved"], 0.8)


class BeforeAGuess(unittest.TestCase):
    def test_a_short_test_that_settles_it_comes_before_a_guess(self) -> None:
        """Exhaust into the intake spoils the measured air: with P0402 beside P0101 the valve is commanded first."""
        fulmar = known("ostrel_fulmar_20")
        codes = tuple(StoredCode(code, CodeState.CONFIRMED) for code in ("P0101", "P0402"))
        for symptoms in ((), ("low_power",), ("low_power", "rough_idle")):
            case = OnRecord(module=ModuleSnapshot(0x7E8, codes=codes), symptoms=symptoms)
            found, action = judged(fulmar, case)
            self.assertEqual(found.suspects[0].id, "egr_sticks")
            assert action.test, (symptoms, action.words)
            self.assertEqual(action.test.id, "egr_command")

    def test_the_ways_to_work_show_a_part_before_it_is_ordered(self) -> None:
        tern = known("ostrel_tern_16")
        found = assess(tern, extract(evidence("P0443"), tern))
        leader = found.suspects[0]
        self.assertGreater(leader.probability, 0.5)
        shows = {test.id for test in tern.shown_by(leader.id)}
        telling, quick, frequent = outlooks(found, tern, Costs())
        self.assertEqual(frequent.first[0].kind, "repair")
        for way in (telling, quick):
            steps = [step.id for step in way.first]
            first_part = next((n for n, step in enumerate(way.first) if step.kind == "repair"), len(steps))
            self.assertTrue(shows & set(steps[:first_part]), steps)
            self.assertLess(way.good_part, frequent.good_part + 1e-9)


class Timing(unittest.TestCase):
    """Common practice: a turned distributor is seen with the strobe, a slipped wheel at top dead centre."""

    def test_no_cam_is_commanded_where_none_can_be(self) -> None:
        eider = known("ostrel_eider_50")
        self.assertNotIn("cam_command", eider.tests)
        self.assertIn("base_timing", eider.tests)
        self.assertNotIn("base_timing", known("ostrel_tern_16").tests)

    def test_every_cam_off_is_looked_at_before_a_wheel_is_ordered(self) -> None:
        eider = known("ostrel_eider_50")
        codes = tuple(StoredCode(code, CodeState.CONFIRMED) for code in ("P0016", "P0018"))
        case = OnRecord(module=ModuleSnapshot(0x7E8, codes=codes))
        _, action = judged(eider, case)
        assert action.test, action.words
        self.assertIn(action.test.id, ("base_timing", "cam_trace"))
        seen = TestOutcome("base_timing", "off", "x", "1")
        found, action = judged(eider, OnRecord(module=ModuleSnapshot(0x7E8, codes=codes), tests=(seen,)))
        self.assertEqual(found.suspects[0].id, "distributor_turned")
