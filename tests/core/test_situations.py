"""Situations of the trade that must come out right, read from case files as a script would.

The situations are facts of the trade (common practice, no source); the vehicles and numbers in them are made up here.
"""

from __future__ import annotations

import unittest
from datetime import UTC, datetime
from typing import Any

from pydantic import TypeAdapter

from gumshoe.core.casefile import CaseAssessment, CaseFile, assess_file
from gumshoe.core.casefile.model import ComplaintFacts, EventFacts, TestFacts, VehicleFacts
from gumshoe.core.clues.misfire import MisfireReading, misfire_share, pattern_advice, read_misfire, shared_bank_warning
from gumshoe.core.codes import CodeState
from gumshoe.core.knowledge.code_index import OwnCode
from gumshoe.core.knowledge.parts import WiringRow
from gumshoe.core.obd.results import MonitorResult
from gumshoe.core.obd.snapshot import ModuleSnapshot, Snapshot, StoredCode
from gumshoe.core.obd.status import Monitor, MonitorStatus
from gumshoe.core.powertrain.description import Powertrain, usual
from gumshoe.core.powertrain.positions import NO_MISFIRE, PatternKind
from gumshoe.core.suspects.story import story

POWERTRAIN = TypeAdapter(Powertrain)
V6 = {"layout": "V", "cylinders": 6, "phasers": "both", "injection": "direct", "displacement_l": 3.0}
G103 = WiringRow(
    "G103",
    "ground",
    "ground G103 at the left inner wing",
    ("purge_valve", "vent_valve", "oxygen_heater_b1s1", "oxygen_heater_b1s2", "fan"),
)


def powertrain(**facts: object) -> Powertrain:
    return POWERTRAIN.validate_python(usual(facts))


def case(facts: dict[str, Any], *codes: str | StoredCode, symptoms: tuple[str, ...] = (), **more: Any) -> CaseFile:
    """A case file holding a powertrain and some codes."""
    lamp = more.pop("lamp", "steady")
    return CaseFile(
        "gumshoe-case",
        1,
        powertrain=powertrain(**facts),
        codes=codes,
        complaint=ComplaintFacts(symptoms=symptoms, lamp=lamp),
        **more,
    )


def scan(*modules: ModuleSnapshot) -> Snapshot:
    return Snapshot(datetime(2026, 3, 2, tzinfo=UTC), "11 bit", modules)


def counters(**counts: int) -> tuple[MonitorResult, ...]:
    """Last-cycle misfire counters, ``c1=…`` for cylinder 1."""
    return tuple(
        MonitorResult(0xA1 + int(name[1:]), 0x0C, "misfire", "counts", float(count), 0.0, 65535.0)
        for name, count in counts.items()
    )


class Situation(unittest.TestCase):
    def role(self, found: CaseAssessment, code: str) -> str:
        return found.read.reading(code).role.name

    def shares(self, found: CaseAssessment, name: str) -> float:
        suspect = found.assessment.suspect(name)
        self.assertIsNotNone(suspect, name)
        return suspect.probability if suspect else 0.0


class Timing(Situation):
    def test_correlation_and_slow_phaser_with_misfire_timing_first(self) -> None:
        found = assess_file(case(V6, "P0016", "P000A", "P0300", "P0302", "P0303"))
        self.assertEqual({self.role(found, code) for code in ("P0300", "P0302", "P0303")}, {"ECHO"})
        first = found.read.codes[0]
        self.assertEqual((first.role.name, first.code in ("P0016", "P000A")), ("CHASE", True))
        self.assertIn(found.read.reading("P0300").after, ("P0016", "P000A"))
        timing = self.shares(found, "chain_stretched") + self.shares(found, "intake_phaser_sticks")
        self.assertGreater(timing, 0.8)

    def test_a_signal_sensor_is_not_accused_by_a_correlation_code(self) -> None:
        found = assess_file(case(V6, "P0016"))
        sensors = [
            item for item in found.assessment.suspects if item.row.component.startswith(("cam_sensor", "crank_s"))
        ]
        self.assertGreater(len(sensors), 10)
        self.assertLess(sum(item.probability for item in sensors), 0.1)
        signal = assess_file(case(V6, "P0340"))
        self.assertGreater(max(self.shares(signal, f"{mode}_cam_sensor_intake") for mode in ("open", "worn")), 0.2)
        self.assertLess(self.shares(signal, "chain_stretched"), 0.05)

    def test_a_distributor_after_intake_work(self) -> None:
        facts = {"ignition": "distributor", "throttle": "cable", "layout": "V", "cylinders": 8}
        found = assess_file(case(facts, "P0016", symptoms=("work_intake",)))
        self.assertEqual(found.assessment.best, ("distributor_turned",))

    def test_knock_control_with_reduced_power_bearing_before_sensor(self) -> None:
        found = assess_file(case({"injection": "direct"}, "P0324", symptoms=("reduced_power", "knocking")))
        order = ["bearing_worn", "knock_software", "knock_sensor_loose"]
        shares = [self.shares(found, name) for name in order]
        self.assertEqual(shares, sorted(shares, reverse=True))


class Misfires(Situation):
    def test_misfire_before_the_air_flow_performance_code(self) -> None:
        found = assess_file(case({}, "P0101", "P0300"))
        self.assertEqual((self.role(found, "P0300"), self.role(found, "P0101")), ("CHASE", "ECHO"))
        self.assertEqual(found.read.reading("P0101").after, "P0300")

    def test_counters_of_one_cylinder_name_it(self) -> None:
        engine = ModuleSnapshot(
            0x7E8, codes=(StoredCode("P0300", CodeState.CONFIRMED),), results=counters(c1=0, c2=0, c3=0, c4=812)
        )
        found = assess_file(case({}, scans=(scan(engine),)))
        reading = read_misfire(engine, found.knowledge)
        self.assertEqual((reading.pattern.kind, reading.cylinders), (PatternKind.ONE, (4,)))
        top = found.assessment.suspects[0].row
        self.assertTrue(top.component.endswith("_4"), top.component)

    def test_an_injector_held_open_floods_the_engine(self) -> None:
        """Control wire low with a rich mixture: the injector is open all the time, whatever else may enrich (common
        practice: an injector is switched to ground)."""
        for codes in (("P0261", "P0172", "P0300"), ("P0264", "P0172", "P0302")):
            leader = assess_file(case({}, *codes)).assessment.suspects[0]
            self.assertEqual(leader.id, f"short_ground_injector_{'2' if codes[0] == 'P0264' else '1'}")
        direct = assess_file(case({"injection": "direct"}, "P0261"))  # both of its wires are driven
        self.assertNotIn("P0172", direct.knowledge.faults["short_ground_injector_1"].codes)

    def test_two_cylinders_of_a_bank_name_its_coil_feed_or_ground(self) -> None:
        engine = ModuleSnapshot(
            0x7E8,
            codes=tuple(StoredCode(code, CodeState.CONFIRMED) for code in ("P0300", "P0351", "P0353")),
            results=counters(c1=640, c2=3, c3=655, c4=1, c5=0, c6=2),
        )
        found = assess_file(case(V6, scans=(scan(engine),)))
        reading = read_misfire(engine, found.knowledge)
        self.assertEqual(reading.pattern.kind, PatternKind.BANK)
        self.assertEqual(found.assessment.suspects[0].id, "shared_ground_coils")
        self.assertIn("ground_coils", [item.id for item in found.read.shared])
        self.assertIn("verify spark by hand", shared_bank_warning(reading, found.knowledge.powertrain))
        self.assertIn("feed and ground", pattern_advice(reading.pattern))

    def test_flashing_lamp_stops_the_car(self) -> None:
        self.assertTrue(assess_file(case({}, "P0302", lamp="flashing")).advice.stop)
        self.assertFalse(assess_file(case({}, "P0030")).advice.stop)


class SharedPoints(Situation):
    FIVE = ("P0444", "P0447", "P0030", "P0036", "P0480")

    def test_plug_left_off_after_a_filter_change_and_a_coil_are_two_faults(self) -> None:
        found = assess_file(case({}, "P0113", "P0102", "P0352", symptoms=("work_intake",)))
        self.assertEqual(set(found.assessment.best), {"meter_unplugged", "coil_circuit_open_2"})
        self.assertEqual(found.read.shared[0].id, "plug_meter")
        self.assertEqual(self.role(found, "P0352"), "CHASE")

    def test_the_rival_of_a_shared_point_is_one_part_on_it(self) -> None:
        """Four heaters on one feed, and a cylinder that misfires by itself: that is another fault, no rival."""
        heaters = ("P0031", "P0037", "P0051", "P0057")
        found = assess_file(case(V6, *heaters, "P0304", symptoms=("rough_idle",)))
        self.assertEqual(found.assessment.suspects[0].id, "shared_feed_heaters")
        told = " ".join(story(found.assessment, "shared_feed_heaters"))
        self.assertNotIn("cylinder 4", told)
        self.assertRegex(told, r"[Hh]eater of .* would not bring P00\d\d")

    def test_five_open_circuits_and_a_headlamp_accuse_the_ground(self) -> None:
        headlamp = OwnCode("B1A20", "left headlamp", "circuit open", part="fan")
        found = assess_file(case({}, *self.FIVE, "B1A20", wiring=(G103,), own_codes=(headlamp,)))
        self.assertEqual(found.assessment.best, ("shared_G103",))
        self.assertEqual(found.read.shared[0].id, "G103")
        parts = [item for item in found.assessment.suspects if item.row.origin == "part"]
        self.assertLess(max(item.probability for item in parts), 0.05)

    def test_a_consumer_that_works_acquits_the_ground(self) -> None:
        four = self.FIVE[:4]
        good = (TestFacts("check_fan", "good"),)
        with_it = self.shares(assess_file(case({}, *four, wiring=(G103,), tests=good)), "shared_G103")
        self.assertGreater(self.shares(assess_file(case({}, *four, wiring=(G103,))), "shared_G103"), 0.9)
        self.assertLess(with_it, 0.5)
        found = assess_file(case({}, *four, wiring=(G103,), tests=good))
        self.assertNotIn("shared_G103", found.assessment.best)

    def test_a_reference_kills_every_sensor_on_it(self) -> None:
        found = assess_file(case({}, "P0452", "P0532", "P2127", "P0652"))
        self.assertEqual(found.assessment.best, ("shared_reference_reference_b",))

    def test_without_wiring_the_generic_layer_says_so(self) -> None:
        found = assess_file(case({}, "P0444", "P0447", "P0102"))
        self.assertEqual([item.from_platform for item in found.read.shared][:1], [False])


class OtherModules(Situation):
    def test_a_cam_sensor_echoes_in_the_chassis_controller(self) -> None:
        engine = ModuleSnapshot(0x7E8, codes=(StoredCode("P0345", CodeState.CONFIRMED),))
        brakes = ModuleSnapshot(
            0x768, "brakes", codes=tuple(StoredCode(c, CodeState.CONFIRMED) for c in ("U0401", "C1A05"))
        )
        own = OwnCode("C1A05", "engine control unit A", "invalid")
        found = assess_file(case(V6, scans=(scan(engine, brakes),), own_codes=(own,)))
        self.assertEqual(self.role(found, "P0345"), "CHASE")
        self.assertEqual({self.role(found, code) for code in ("U0401", "C1A05")}, {"ECHO"})
        self.assertEqual(len(found.assessment.best), 1)
        self.assertIn("cam_sensor_b2", found.knowledge.faults[found.assessment.best[0]].component)

    def test_the_rash_after_a_flat_battery_is_self_inflicted(self) -> None:
        rash = ("P0562", "U0121", "U0140", "U0155", "C1234", "B1010")
        own = (
            OwnCode("C1234", "brake control module", "power lost"),
            OwnCode("B1010", "body control module", "power lost"),
        )
        found = assess_file(case({}, "P2101", "P2119", *rash, symptoms=("was_flat",), own_codes=own))
        self.assertEqual({self.role(found, code) for code in rash}, {"SELF"})
        self.assertEqual(found.read.codes[0].code, "P2101")
        self.assertTrue(found.read.known)

    def test_lamp_on_with_an_empty_engine_controller(self) -> None:
        engine = ModuleSnapshot(0x7E8, status=MonitorStatus(True, 0, False, (Monitor("misfire", True, True),)))
        gearbox = ModuleSnapshot(0x7E9, "transmission", codes=(StoredCode("P0715", CodeState.CONFIRMED),))
        facts = {"gearbox": "automatic with torque converter"}
        found = assess_file(case(facts, scans=(scan(engine, gearbox),)))
        self.assertTrue(any("read the other modules" in note and "transmission" in note for note in found.notes))
        self.assertEqual(self.role(found, "P0715"), "CHASE")

    def test_a_low_supply_is_named_before_the_codes(self) -> None:
        engine = ModuleSnapshot(
            0x7E8,
            codes=tuple(StoredCode(c, CodeState.CONFIRMED) for c in ("P0562", "U0121", "U0140")),
            values={"module_v": 9.8},
        )
        found = assess_file(case({}, scans=(scan(engine),)))
        self.assertIn("9.8 V", found.notes[0])
        supply = {"battery_low", "charging_weak", "main_ground_bad"}
        self.assertLessEqual(set(found.assessment.best), supply)


class TheWorkItself(Situation):
    def test_an_unplugged_meter_sets_its_own_codes(self) -> None:
        found = assess_file(case({}, "P0102", "P0113", "P0302", events=(EventFacts("air_flow_meter", at="10:42"),)))
        self.assertEqual({self.role(found, code) for code in ("P0102", "P0113")}, {"SELF"})
        self.assertIn("10:42", found.read.reading("P0102").reason)
        self.assertLess(self.shares(found, "meter_unplugged"), 0.1)
        self.assertEqual(found.read.codes[0].code, "P0302")

    def test_history_is_stale_and_does_not_limit_driving(self) -> None:
        old = StoredCode("P0217", CodeState.HISTORY)
        found = assess_file(case({}, old, "P0455"))
        self.assertEqual(self.role(found, "P0217"), "STALE")
        self.assertFalse(found.advice.stop)


class Systems(Situation):
    def test_large_leak_and_purge_flow_cap_first_and_calm(self) -> None:
        codes = [StoredCode(c, s) for c in ("P0455", "P0441") for s in (CodeState.CONFIRMED, CodeState.PENDING)]
        found = assess_file(case({}, *codes, vehicle=VehicleFacts(odometer_km=18_000)))
        self.assertEqual(found.assessment.best, ("cap_loose",))
        self.assertFalse(found.advice.stop)
        self.assertEqual(found.advice.title, "May be driven")

    def test_rusted_lines_come_with_age(self) -> None:
        young = assess_file(case({}, "P0442", vehicle=VehicleFacts(odometer_km=18_000)))
        old = assess_file(case({}, "P0442", vehicle=VehicleFacts(odometer_km=240_000)))
        self.assertGreater(self.shares(old, "evap_hose_leak"), 1.5 * self.shares(young, "evap_hose_leak"))

    def test_too_many_regenerations_with_low_model_values_acquit_the_filter(self) -> None:
        diesel = {"fuel": "diesel", "displacement_l": 2.0}
        found = assess_file(case(diesel, "P2459", tests=(TestFacts("filter_values", "low"),)))
        self.assertLess(self.shares(found, "filter_full"), 0.03)
        questioned = ("air_flow_drift", "air_flow_meter_aged", "filter_pressure_skewed", "intake_restricted")
        self.assertGreater(sum(self.shares(found, name) for name in questioned), 0.7)

    def test_low_boost_hoses_first(self) -> None:
        found = assess_file(case({"induction": "turbo", "injection": "direct"}, "P0299"))
        order = ["charge_hose_leak", "gate_sticks", "turbo_worn"]
        shares = [self.shares(found, name) for name in order]
        self.assertEqual(shares, sorted(shares, reverse=True))
        self.assertEqual(found.assessment.best, ("charge_hose_leak",))

    def test_converter_clutch_is_a_matter_of_the_gearbox(self) -> None:
        found = assess_file(case({"gearbox": "automatic with torque converter"}, "P0741", "P0700"))
        self.assertEqual(self.role(found, "P0741"), "CHASE")
        self.assertEqual((self.role(found, "P0700"), found.read.reading("P0700").after), ("ECHO", "P0741"))
        self.assertFalse(found.advice.stop)


if __name__ == "__main__":
    unittest.main()


class MisfireShares(unittest.TestCase):
    """Per cent of the firings: a four-stroke cylinder fires every second revolution (common practice)."""

    def reading(self, **last: int) -> MisfireReading:
        counts = {int(name[1:]): count for name, count in last.items()}
        return MisfireReading(counts, {}, (), NO_MISFIRE, True)

    def test_a_dead_cylinder_misses_all_its_firings_and_a_quarter_of_a_four(self) -> None:
        share = misfire_share(self.reading(c1=0, c2=100, c3=0, c4=0), 200.0, 4)
        self.assertEqual((share.by_cylinder[2], share.by_cylinder[1], share.whole), (100.0, 0.0, 25.0))
        self.assertTrue(share.possible and share.endangers_catalyst)

    def test_more_misses_than_firings_of_one_cylinder_are_not_possible(self) -> None:
        share = misfire_share(self.reading(c1=0, c2=120, c3=0, c4=0), 200.0, 4)
        self.assertFalse(share.possible or share.endangers_catalyst)

    def test_the_catalyst_limit_is_ten_per_cent(self) -> None:
        self.assertTrue(misfire_share(self.reading(c1=40), 200.0, 4).endangers_catalyst)
        self.assertFalse(misfire_share(self.reading(c1=39), 200.0, 4).endangers_catalyst)
