"""May it be driven? What is not known is never harmless; dangers come from lamp, complaint, codes, tests and values.

The dangers and the advice are common practice, no source; that a flashing lamp means catalyst-damaging misfire is
13 CCR 1968.2 [S]. Kinds of case, none of them from the casebook.
"""

import unittest
from dataclasses import replace

from gumshoe.core.clues import OnRecord, TestOutcome, extract
from gumshoe.core.codes import CodeState
from gumshoe.core.errors import DataError
from gumshoe.core.handtests.catalogue import cautions_of, hand_tests
from gumshoe.core.judgement import Grounds, Judged
from gumshoe.core.knowledge.catalogue import Knowledge, expand, tables
from gumshoe.core.knowledge.rows import DangersFile
from gumshoe.core.knowledge.tables import parse_table
from gumshoe.core.obd.actuators import actuators
from gumshoe.core.obd.snapshot import ModuleSnapshot, Part, SilentModule, Snapshot, StoredCode, Unread
from gumshoe.core.obd.typed import read_typed
from gumshoe.core.powertrain.description import Evap, Fuel, Ignition, Injection, Powertrain, Throttle
from gumshoe.core.suspects import assess
from gumshoe.core.suspects.driving import (
    NOT_KNOWN,
    DriveAdvice,
    Mended,
    Situation,
    after_work,
    dangers,
    drive_advice,
    situation_of,
)
from gumshoe.core.suspects.relations import read_codes

PETROL = expand(Powertrain())
HYBRID = expand(Powertrain(fuel=Fuel.HYBRID))
DIESEL = expand(
    Powertrain(
        fuel=Fuel.DIESEL,
        injection=Injection.COMMON_RAIL,
        ignition=Ignition.NONE,
        evap=Evap.NONE,
        throttle=Throttle.NONE,
    )
)


def advice(
    *codes: str,
    known: Knowledge = PETROL,
    state: CodeState = CodeState.CONFIRMED,
    lamp: str = "steady",
    symptoms: tuple[str, ...] = (),
    tests: tuple[tuple[str, str], ...] = (),
    unread: tuple[Unread, ...] = (),
    silent: tuple[SilentModule, ...] = (),
    values: dict[str, float] | None = None,
) -> DriveAdvice:
    """The advice for a case with these codes and the rest."""
    module = ModuleSnapshot(
        0x7E8, codes=tuple(StoredCode(code, state) for code in codes), values=values or {}, unread=unread
    )
    snapshot = Snapshot(read_typed("P0171").taken_at, "11 bit", (module,), silent=silent)
    made = tuple(TestOutcome(test, outcome, f"test-{n}", "") for n, (test, outcome) in enumerate(tests))
    evidence = OnRecord(symptoms=symptoms, module=module, tests=made)
    found = assess(known, extract(evidence, known))
    read = read_codes(dict.fromkeys(codes, (state,)), known, found)
    return drive_advice(
        situation_of(read.codes, known, found, lamp=lamp, symptoms=symptoms, tests=made, snapshot=snapshot)
    )


class Mending(unittest.TestCase):
    """A proof needs its drive, and what is proven may be driven; what it came in with stays told."""

    def test_a_car_that_had_to_stand_is_driven_for_its_proof_only(self) -> None:
        came = advice("P0171", symptoms=("hard_brake_pedal",))
        self.assertTrue(came.stop)
        found = after_work(came, Mended.UNPROVEN)
        self.assertTrue(found.stop)
        self.assertIn("for the proof", found.title)
        self.assertIn(came.title[1:], found.words)
        proven = after_work(came, Mended.PROVEN)
        self.assertFalse(proven.stop)
        self.assertIn("hand-over", proven.words)

    def test_work_makes_nothing_known(self) -> None:
        for mended in Mended:
            self.assertEqual(after_work(advice("P1234"), mended).title, NOT_KNOWN)

    def test_nothing_changes_before_the_work(self) -> None:
        for codes in (("P0171",), ("P0304",)):
            self.assertEqual(after_work(advice(*codes), Mended.NO), advice(*codes))


class NotKnown(unittest.TestCase):
    def test_a_code_nobody_knows_is_looked_up_before_driving(self) -> None:
        found = advice("P1234")
        self.assertEqual(found.title, NOT_KNOWN)
        self.assertFalse(found.sure)
        self.assertIn("P1234", found.words)

    def test_a_known_harmless_code_beside_an_unknown_one_does_not_make_it_harmless(self) -> None:
        self.assertEqual(advice("P0456", "P1234").title, NOT_KNOWN)

    def test_nor_does_a_danger_that_only_asks_for_care(self) -> None:
        found = advice("P1234", symptoms=("heavy_steering",))
        self.assertEqual(found.title, NOT_KNOWN)
        self.assertIn("steering", found.words)
        self.assertIn("P1234", found.words)
        asked = drive_advice(Situation(symptoms=frozenset({"heavy_steering"}), scanned=False))
        self.assertIn("steering", asked.title)  # nothing was read yet: the danger that is known leads
        self.assertIn("not known", asked.words)

    def test_the_title_is_said_once(self) -> None:
        for number in ("P0171", "P0443", "P0101", "P0128", "P0455", "P0420", "P0562"):
            found = advice(number)
            self.assertTrue(found.words, number)
            self.assertFalse(found.words.startswith(("May be driven", found.title)), found)

    def test_a_misfire_is_not_unknown(self) -> None:
        """Misfire codes are read as one pattern, which the suspects explain."""
        for codes in (("P0300",), ("P0106", "P0300"), ("P0304",)):
            self.assertNotIn("not known", advice(*codes).words)

    def test_codes_that_were_not_read_are_no_codes_nowhere(self) -> None:
        for unread in (Unread(Part.CONFIRMED, "no answer"), Unread(Part.CONFIRMED, "not offered", offered=False)):
            with self.subTest(unread.why):
                found = advice(unread=(unread,))
                self.assertEqual(found.title, NOT_KNOWN)
                self.assertIn("confirmed codes of the engine", found.words)
        self.assertEqual(advice(silent=(SilentModule("Brakes", 0x768, "no answer"),)).title, NOT_KNOWN)
        self.assertTrue(advice(unread=(Unread(Part.PERMANENT, "no answer"),)).sure)
        self.assertTrue(advice(unread=(Unread(Part.PENDING, "not offered", offered=False),)).sure)

    def test_a_code_that_no_suspect_explains_says_so(self) -> None:
        code = next(
            row.number
            for row in PETROL.codes.values()
            if row.severity == "can wait" and row.number not in PETROL.linked and row.number.startswith("P0")
        )
        found = advice(code)
        self.assertNotEqual(found.title, "May be driven")
        self.assertIn(f"What {code} means for driving is not known", found.words)

    def test_nothing_read_yet_is_no_all_clear(self) -> None:
        found = assess(PETROL, [])
        self.assertEqual(drive_advice(situation_of((), PETROL, found, scanned=False)).title, NOT_KNOWN)

    def test_no_code_read_whole_is_said_so(self) -> None:
        self.assertEqual(advice().title, "No code that limits driving")

    def test_old_codes_and_harmless_ones_do_not_stop(self) -> None:
        self.assertFalse(advice("P0301", state=CodeState.HISTORY).stop)
        self.assertFalse(advice("P0456").stop)


class Dangers(unittest.TestCase):
    def test_every_code_of_the_high_voltage_drive_is_for_qualified_people(self) -> None:
        for code in ("P0A00", "P0A80", "P0AA6", "P0B3D", "P0C78", "P0D2F", "P0E5E", "P0EFF"):
            for known in (PETROL, HYBRID):
                found = advice(code, known=known)
                self.assertTrue(found.stop, code)
                self.assertIn("ualified", found.words)
        self.assertTrue(advice("P0AA6", known=HYBRID, state=CodeState.HISTORY).stop)
        self.assertTrue(advice("U0110", known=HYBRID).stop)
        self.assertFalse(advice("U0110", known=PETROL).stop)

    def test_the_complaint_counts_beside_the_codes(self) -> None:
        for symptom, word in (
            ("runs_hot", "hot"),
            ("hard_brake_pedal", "booster"),
            ("fuel_leak", "leak"),
            ("oil_lamp", "oil"),
            ("wrong_fuel", "fuel"),
            ("burning_smell", "extinguisher"),
        ):
            found = advice("P0456", symptoms=(symptom,))
            self.assertTrue(found.stop, symptom)
            self.assertIn(word, found.words.lower())

    def test_chain_noise_with_correlation_codes(self) -> None:
        self.assertTrue(advice("P0016", "P0017", symptoms=("start_rattle",)).stop)
        alone = advice("P0016")
        self.assertFalse(alone.stop)
        self.assertIn("rev", alone.title)

    def test_what_a_test_has_shown_counts(self) -> None:
        for test, outcome in (("bearing_clearance", "bad"), ("fuel_sample", "bad"), ("coolant_level", "bad")):
            found = advice(tests=((test, outcome),))
            self.assertTrue(found.stop, test)
            self.assertFalse(advice(tests=((test, "good"),)).stop, test)
        self.assertTrue(advice(symptoms=("fuel_smell",), tests=(("bleed_down", "bad"),)).stop)
        smell = advice(symptoms=("fuel_smell",))
        self.assertFalse(smell.stop)
        self.assertIn("leak", smell.title)

    def test_every_danger_that_can_be_seen_holds_once_it_is_seen(self) -> None:
        """What somebody found stops the car as a code of it would (common practice)."""
        for test, outcome, word in (
            ("look_fuel_leak", "wet", "fuel may be leaking"),
            ("rail_hold", "wet", "fuel may be leaking"),
            ("look_oil_fuel", "fuel", "fuel in the oil"),
            ("oil_pressure_gauge", "low", "oil pressure"),
            ("combustion_gas", "bad", "combustion gas"),
            ("cooling_flow", "shut", "overheats"),
            ("egr_cooler_pressure", "wet", "coolant low"),
            ("cams_turn", "bad", "valve timing"),
            ("look_throttle", "stuck", "throttle"),
            ("isolation_told", "low", "high voltage"),
        ):
            found = advice(tests=((test, outcome),))
            self.assertTrue(found.stop, test)
            self.assertIn(word, found.title)
        self.assertIn("oost", advice(tests=(("boost_watch", "over"),)).title)

    def test_what_a_danger_asks_to_be_looked_at_comes_before_the_engine_runs(self) -> None:
        known = PETROL
        for said, look, found in (
            ("fuel_smell", "look_fuel_leak", "dry"),
            ("fuel_leak", "look_fuel_leak", "dry"),
            ("oil_lamp", "look_oil", "good"),
            ("runs_hot", "coolant_level", "good"),
            ("wrong_fuel", "fuel_sample", "good"),
        ):
            with self.subTest(said):
                told = OnRecord(symptoms=(said,), symptom_source=("complaint", "1"))
                first = Judged(Grounds(known, told)).next.test
                assert first
                self.assertFalse(first.moves, f"{first.id} turns the engine")
                made = TestOutcome(look, found, "t", "1")
                after = Judged(Grounds(known, replace(told, tests=(made,)))).advice
                self.assertNotIn(look, [name for name, _ in after.looks])
        smell = OnRecord(symptoms=("fuel_smell", "rough_idle"), symptom_source=("complaint", "1"))
        self.assertEqual(Judged(Grounds(known, smell)).proposals[0].test.id, "look_fuel_leak")

    def test_oil_pressure_fuel_leak_temperature_and_charging_codes(self) -> None:
        for code in ("P0524", "P0522", "P0093", "P0217", "P0563", "P2111"):
            self.assertTrue(advice(code).stop, code)
        self.assertIn("battery lasts", advice("P0562").words)
        self.assertIn("teering", advice("U0131").words)

    def test_values_the_car_told_count(self) -> None:
        self.assertTrue(advice(values={"coolant_c": 124.0}).stop)
        self.assertTrue(advice(values={"module_v": 16.6}).stop)
        self.assertFalse(advice(values={"coolant_c": 92.0, "module_v": 14.2}).stop)

    def test_a_flashing_lamp_comes_before_and_every_danger_is_told(self) -> None:
        found = advice("P0300", lamp="flashing", symptoms=("runs_hot",))
        self.assertEqual(found.title, "Stop driving")
        self.assertIn("hot", found.words)
        self.assertEqual(set(found.reasons), {"flashing_lamp", "overheating"})

    def test_the_countdown_of_the_reductant_is_told(self) -> None:
        self.assertIn("may not start again", advice("P20EE", known=DIESEL).words)

    def test_the_table_is_checked(self) -> None:
        self.assertEqual(len({row.id for row in dangers()}), len(dangers()))
        text = '[[danger]]\nid = "x"\nstop = true\ntitle = "x"\nwords = "x"\nwhen = [{ symptom = ["runs_hot"] }]\n'
        raw = {"danger": [{"id": "x", "stop": True, "title": "x", "words": "x", "when": [{"symptom": ["runs_hot"]}]}]}
        with self.assertRaisesRegex(DataError, "dangers.toml, line"):
            parse_table(raw, text, "dangers.toml", DangersFile)


class Cautions(unittest.TestCase):
    def test_a_running_engine_gives_off_gas_and_turns(self) -> None:
        for test in PETROL.tests.values():
            if "running" in test.needs:
                self.assertLessEqual({"carbon_monoxide", "rotating"}, set(test.cautions), test.id)
            if test.cranks:
                self.assertLessEqual({"cranking", "rotating"}, set(test.cautions), test.id)

    def test_port_injection_tests_stay_away_from_high_pressure(self) -> None:
        direct = expand(Powertrain(injection=Injection.DIRECT))
        self.assertIn("injector_balance", PETROL.tests)
        self.assertNotIn("injector_balance", direct.tests)
        self.assertIn("low-pressure side", direct.tests["fuel_pressure"].words)
        for name in ("fuel_pressure", "injector_swap", "bleed_down"):
            self.assertIn("injection", direct.tests[name].cautions)
            self.assertNotIn("injection", PETROL.tests[name].cautions)
        self.assertIn("correction code", " ".join(direct.tests["injector_swap"].steps))
        self.assertIn("correction code", " ".join(direct.repairs["renew_injector_1"].steps))
        self.assertIn("injector_voltage", direct.tests["check_injector_1"].cautions)
        self.assertNotIn("injector_voltage", PETROL.tests["check_injector_1"].cautions)

    def test_a_hybrid_has_no_alternator_booster_hose_or_starter(self) -> None:
        for name in ("charging_volts", "relative_compression", "booster_pedal", "main_ground_drop", "check_alternator"):
            self.assertIn(name, PETROL.tests)
            self.assertNotIn(name, HYBRID.tests)
        for name in ("charging_weak", "booster_hose_leak"):
            self.assertNotIn(name, HYBRID.faults)
        self.assertTrue(all("high_voltage" in test.cautions for test in HYBRID.tests.values()))

    def test_the_throttle_bites(self) -> None:
        self.assertIn("throttle_fingers", actuators()["throttle_motor"].cautions)

    def test_hand_tests_carry_cautions(self) -> None:
        bare = {row.id for row in hand_tests().values() if not cautions_of(row, PETROL)}
        self.assertEqual(bare, {"convert"})
        self.assertTrue(all(cautions_of(row, HYBRID) for row in hand_tests().values()))

    def test_every_caution_named_is_there(self) -> None:
        named = {name for row in (*tables().tests, *tables().repairs) for name in row.cautions}
        named |= {name for row in actuators().values() for name in row.cautions}
        self.assertLessEqual(named, set(tables().cautions))
