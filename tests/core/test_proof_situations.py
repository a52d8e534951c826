"""How a repair is to be proven, situation by situation. The rules are common practice, no source, but for the similar
conditions of misfire and fuel system and the lamp after three good trips (13 CCR 1968.2, ISO 15031-5 [S])."""

from __future__ import annotations

import unittest
import unittest.mock
from datetime import UTC, datetime
from typing import Any

from pydantic import TypeAdapter

from gumshoe.core.casefile.model import CaseFile, ComplaintFacts, ProcedureFacts, RecurrenceFacts, WorkFacts
from gumshoe.core.casefile.proving import ProofPlan, plan_file
from gumshoe.core.codes import CodeState
from gumshoe.core.errors import BadInput, DataError
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.rows import WhenRow
from gumshoe.core.obd.snapshot import FreezeFrame, ModuleSnapshot, Snapshot, StoredCode
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.proof import circumstances as rules
from gumshoe.core.proof.circumstances import Repaired, asked_of
from gumshoe.core.proof.plan import Plan
from gumshoe.core.proof.tracker import Condition, Observation, ProofVerdict, Tracker
from gumshoe.core.suspects.driving import dangers
from gumshoe.core.validation import check_file

TURBO: dict[str, Any] = {"injection": "direct", "induction": "turbo", "air_metering": "flow", "displacement_l": 2.0}
AUTOMATIC: dict[str, Any] = {"gearbox": "automatic with torque converter"}
HYBRID: dict[str, Any] = {"fuel": "hybrid", "air_metering": "flow", "displacement_l": 1.8}
DIESEL: dict[str, Any] = {
    "fuel": "diesel",
    "induction": "turbo",
    "injection": "common rail",
    "ignition": "none",
    "egr": True,
    "evap": "none",
    "aftertreatment": ("catalyst", "particulate filter"),
}


def plan(*codes: str, work: str = "", said: str = "", symptoms: tuple[str, ...] = (), **more: Any) -> ProofPlan:
    complaint = ComplaintFacts(said, symptoms) if said or symptoms else None
    works = (WorkFacts(work),) if work else ()
    return plan_file(CaseFile("gumshoe-case", 1, codes=codes, complaint=complaint, work=works, **more))


def car(facts: dict[str, Any]) -> Powertrain:
    return TypeAdapter(Powertrain).validate_python(facts)


def asked(found: ProofPlan) -> set[str]:
    return {row.id for row in found.plan.circumstances if not row.advised}


def driven(found: ProofPlan) -> set[str]:
    return {row.id for trip in found.drive.trips for row in trip.segments}


class Planned(unittest.TestCase):
    def test_a_misfire_without_a_frame_is_tried_under_load_at_idle_and_cold(self) -> None:
        found = plan("P0303", work="renew_coil_3", said="Jerks uphill in fourth", symptoms=("jerks_under_load",))
        self.assertLessEqual({"under_load", "idle", "cold"}, asked(found))
        self.assertLessEqual({"hill", "idle", "cold_start"}, driven(found))
        self.assertGreater(len(found.drive.trips), 1)  # a misfire code takes two trips to be stored
        self.assertIs(found.verdict, ProofVerdict.NOT_YET)

    def test_a_hard_circuit_fault_asks_for_no_road_and_no_night(self) -> None:
        found = plan("P0118", work="mend_coolant_sensor")
        self.assertLess(found.drive.minutes, 15.0)
        self.assertEqual(found.drive.rest_hours, 0.0)
        self.assertEqual(set(found.plan.monitors), {"comprehensive components"})
        self.assertIsNone(found.plan.window)

    def test_a_danger_of_the_complaint_is_shown_to_be_gone(self) -> None:
        """No code tells of a hard brake pedal: a boost repair that is proven makes no brake good."""
        by_symptom = {name for row in dangers() if row.stop for when in row.when
                      for name in when.symptoms if when == WhenRow(symptoms=when.symptoms)}  # fmt: skip
        self.assertLessEqual({"hard_brake_pedal", "fuel_leak", "oil_lamp"}, by_symptom)
        for name in sorted(by_symptom):
            found = plan("P0171", work="renew_crankcase_hose", symptoms=(name,))
            self.assertTrue([row for row in found.plan.circumstances if row.by_hand and not row.advised], name)

    def test_what_was_stored_while_driving_is_driven(self) -> None:
        """Sensors and wiring are checked at idle too; a pedal's worn spot shows only where the pedal goes."""
        for frame, there in (
            ({"rpm": 1726.0, "load_pct": 79.0, "speed_kmh": 36.0}, True),
            ({"rpm": 1726.0, "load_pct": 79.0}, True),
            ({"rpm": 760.0, "load_pct": 20.0, "speed_kmh": 0.0}, False),
            ({"rpm": 0.0, "load_pct": 0.0, "speed_kmh": 0.0}, False),
        ):
            module = ModuleSnapshot(
                0x7E8, codes=(StoredCode("P2138", CodeState.CONFIRMED),), frames=(FreezeFrame("P2138", frame),)
            )
            found = plan(work="renew_pedal_sensor", scans=(Snapshot(datetime.now(UTC), "11 bit", (module,)),))
            self.assertEqual("driven_off" in asked(found), there, frame)
            self.assertEqual("town" in driven(found), there, frame)

    def test_a_tank_leak_waits_for_its_monitor_and_asks_for_no_load(self) -> None:
        found = plan("P0442", work="mend_evap_lines")
        self.assertIn("evaporative system", found.plan.monitors)
        self.assertGreaterEqual(found.drive.rest_hours, 8.0)
        self.assertNotIn("under_load", asked(found))
        self.assertIn("smoke_again", {row.id for row in found.plan.circumstances})

    def test_boost_is_proven_under_boost(self) -> None:
        found = plan("P0299", work="mend_charge_pipes", powertrain=car(TURBO))
        self.assertIn("under_load", asked(found))
        self.assertIn("hill", driven(found))

    def test_a_filter_burns_free_on_the_road_and_its_counter_is_reset(self) -> None:
        found = plan("P2463", work="renew_filter", powertrain=car(DIESEL))
        self.assertIn("filter_burn", driven(found))
        self.assertIn("regeneration", asked(found))

    def test_timing_is_proven_on_a_real_drive(self) -> None:
        found = plan("P0016", work="renew_chain")
        self.assertIn("long_drive", asked(found))
        self.assertGreater(found.drive.km, 8.0)

    def test_a_thermostat_is_proven_from_cold(self) -> None:
        found = plan("P0128", work="renew_thermostat")
        self.assertIn("from_cold", asked(found))
        (trip,) = [row for row in found.drive.trips if "cold_drive" in {item.id for item in row.segments}]
        self.assertTrue({"cruise", "motorway"} & {item.id for item in trip.segments})  # on until it must be warm

    def test_cooling_is_proven_by_its_fan_and_not_uphill(self) -> None:
        found = plan("P0217", work="mend_cooling", symptoms=("runs_hot",))
        self.assertIn("fan", asked(found))
        self.assertNotIn("hill", driven(found))

    def test_what_came_in_the_wet_is_tried_wet(self) -> None:
        self.assertIn("wet", asked(plan("P0303", work="renew_coil_3", said="Shakes when wet")))
        self.assertNotIn("wet", asked(plan("P0303", work="renew_coil_3", said="Shakes, not when wet")))

    def test_an_aborted_relearn_stands_in_the_way(self) -> None:
        aborted = ProcedureFacts("throttle_stops", "aborted")
        names = [row.words for row in plan("P0506", work="clean_throttle").conditions]
        self.assertTrue(any("throttle" in words for words in names), names)
        found = plan("P0506", work="clean_throttle", procedures=(aborted,))
        self.assertIs(found.verdict, ProofVerdict.NOT_YET)

    def test_high_flow_is_proven_at_high_flow(self) -> None:
        frame = FreezeFrame("P0171", {"rpm": 3900.0, "load_pct": 84.0, "speed_kmh": 96.0, "coolant_c": 90.0})
        module = ModuleSnapshot(0x7E8, codes=(StoredCode("P0171", CodeState.CONFIRMED),), frames=(frame,))
        scan = Snapshot(datetime(2026, 1, 2, tzinfo=UTC), "11 bit", (module,))
        found = plan(work="renew_fuel_filter", scans=(scan,))
        assert found.plan.window
        self.assertTrue(found.plan.window.holds(3600.0, 80.0, 88.0))
        self.assertFalse(found.plan.window.holds(750.0, 30.0, 88.0))
        self.assertLessEqual({"under_load", "fast_road"}, asked(found))

    def test_history_only_is_a_small_proof_and_permanent_only_its_own(self) -> None:
        old = plan_file(CaseFile("gumshoe-case", 1, codes=(StoredCode("P0113", CodeState.HISTORY),)))
        self.assertEqual([(row.code, row.held) for row in old.plan.targets], [("P0113", "history")])
        self.assertLess(old.drive.minutes, 15.0)
        kept = plan_file(
            CaseFile(
                "gumshoe-case", 1, codes=(StoredCode("P0442", CodeState.PERMANENT),), work=(WorkFacts("renew_cap"),)
            )
        )
        self.assertEqual(kept.plan.permanent, ("P0442",))
        self.assertTrue(any("permanent list" in row.words for row in kept.conditions))
        self.assertIn("cold_start", driven(kept))

    def test_a_ghost_asks_for_its_time(self) -> None:
        found = plan("P0335", work="mend_crank_sensor", recurrence=RecurrenceFacts(3, 90.0, "days"))
        self.assertTrue(any("days" in row.detail for row in found.conditions))
        self.assertIs(found.verdict, ProofVerdict.NOT_YET)

    def test_a_hybrid_is_started_again_and_again(self) -> None:
        self.assertIn("restarts", asked(plan("P0335", work="renew_crank_sensor", powertrain=car(HYBRID))))

    def test_gears_are_asked_of_an_automatic_only(self) -> None:
        manual = plan("P0171", work="renew_crankcase_hose", symptoms=("shudder",))
        self.assertNotIn("gears", asked(manual))
        turning = plan("P0171", work="renew_crankcase_hose", symptoms=("shudder",), powertrain=car(AUTOMATIC))
        self.assertIn("gears", asked(turning))

    def test_nothing_scanned_is_said(self) -> None:
        with self.assertRaisesRegex(BadInput, "nothing to prove"):
            plan(work="renew_coil_3")

    def test_the_document_is_stable(self) -> None:
        document = plan("P0303", work="renew_coil_3").document()
        self.assertEqual(document["format"], "gumshoe-plan")
        for key in ("codes", "similar", "key_on", "circumstances", "drive", "conditions", "verdict", "missing"):
            self.assertIn(key, document)


class Tracked(unittest.TestCase):
    ROW = next(row for row in rules.circumstances() if row.id == "under_load")

    def drive(self, tracker: Tracker, begin: float, seconds: int, load: float) -> float:
        for second in range(seconds):
            values = {"rpm": 2000.0, "load_pct": load, "coolant_c": 90.0, "speed_kmh": 60.0}
            tracker.observe(Observation(begin + second, values))
        return begin + seconds

    def test_two_pulls_are_needed_and_one_long_one_is_not_enough(self) -> None:
        tracker = Tracker(Plan((), circumstances=(self.ROW,)))
        at = self.drive(tracker, 1.0, 60, 90.0)
        self.assertEqual(tracker.circumstances_met, frozenset())
        at = self.drive(tracker, at, 10, 20.0)
        self.drive(tracker, at, 12, 90.0)
        self.assertEqual(tracker.circumstances_met, {"under_load"})

    def test_idling_is_no_pull(self) -> None:
        tracker = Tracker(Plan((), circumstances=(self.ROW,)))
        self.drive(tracker, 1.0, 300, 25.0)
        self.assertEqual(tracker.tried["under_load"].seconds, 0.0)
        self.assertFalse(any(row.done for row in tracker.conditions() if row.words == self.ROW.words))

    def test_what_came_again_by_hand_is_a_comeback(self) -> None:
        again = Condition("Plug and harness moved", False, "it came again", 0.0, failed=True)
        verdict, reasons = Tracker(Plan(())).verdict((again,))
        self.assertIs(verdict, ProofVerdict.CAME_BACK)
        self.assertIn("it came again", reasons[0])


class Table(unittest.TestCase):
    def test_a_bad_row_is_named(self) -> None:
        text = rules.FILE.read_text(encoding="utf-8")
        for row, words in (
            ('when = [{ symptoms = ["purple"] }]\nby_hand = true', "no symptom"),
            ('when = [{ no_frame = true }]\nsegments = ["moon"]\nseconds = 1', "no segment"),
            ("when = [{ no_frame = true }]", "neither driven"),
            ("when = [{ }]\nby_hand = true", "without any condition"),
        ):
            more = f'\n[[circumstance]]\nid = "x"\nwords = "x"\nwhy = "x"\n{row}\n'
            with self.subTest(words), self.assertRaisesRegex(DataError, words):
                check_file(rules.FILE, text + more)

    def test_wiring_is_moved_once_and_a_loose_contact_must_be(self) -> None:
        known = expand(Powertrain())
        hard = asked_of(Repaired(suspects=("open_crank_sensor",), repairs=("mend_crank_sensor",)), known)
        self.assertTrue(all(row.advised for row in hard))
        loose = asked_of(Repaired(suspects=("loose_crank_sensor",), repairs=("mend_crank_sensor",)), known)
        self.assertTrue(any(row.id == "wiggle" and not row.advised for row in loose))
