"""A code of a part that no table describes leads to that part, and a code of equipment that the description leaves out
says that the car has it (common practice, no source, unless said otherwise)."""

from __future__ import annotations

import json
import re
import unittest
from typing import Any

from gumshoe.core.casefile import read_case
from gumshoe.core.casefile.assess import CaseAssessment, assess_file, knowledge_of
from gumshoe.core.casefile.model import CaseFile
from gumshoe.core.circuits.library import circuit_for
from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.code_index import standard_index
from gumshoe.core.knowledge.equipped import equipped
from gumshoe.core.knowledge.parts import GENERIC
from gumshoe.core.knowledge.told_parts import by_codes, is_stranger
from gumshoe.core.knowledge.told_rows import told_row
from gumshoe.core.planning.next_action import Act
from gumshoe.core.powertrain.description import Evap, Gearbox, Phasers, Powertrain
from gumshoe.core.suspects.relations import Role

AUTOMATIC = {"gearbox": "automatic with torque converter"}
HYBRID = {"fuel": "hybrid"}


def case(*codes: str, tests: tuple[dict[str, str], ...] = (), **powertrain: Any) -> CaseFile:
    told = {"cylinders": 4, "air_metering": "flow"} | powertrain
    facts = {"format": "gumshoe-case", "version": 1, "powertrain": told, "codes": codes, "tests": tests}
    return read_case(json.dumps(facts))


def assessed(*codes: str, **powertrain: Any) -> CaseAssessment:
    return assess_file(case(*codes, **powertrain))


class Parts(unittest.TestCase):
    """Numbers: SAE J2012 / ISO 15031-6, from memory."""

    def test_a_circuit_code_leads_to_the_circuit_it_names(self) -> None:
        for code, words, powertrain in (
            ("P0748", "pressure control solenoid A", AUTOMATIC),
            ("P0842", "fluid pressure sensor A", AUTOMATIC),
            ("P0660", "manifold tuning valve", {}),
            ("P0597", "heater of the thermostat", {}),
            ("P0526", "fan speed sensor", {}),
            ("P0666", "internal temperature sensor", {}),
            ("P2227", "barometric", {}),
        ):
            found = assessed(code, **powertrain)
            foremost = found.assessment.suspects[0]
            self.assertRegex(foremost.row.words, re.compile(words, re.I), code)
            self.assertLess(found.assessment.nothing, 0.45, code)
            named = [item.test.words for item in found.proposals[:3]]
            self.assertTrue(any("ircuit" in text or "onnector" in text for text in named), (code, named))

    def test_its_check_and_its_bench_are_those_of_its_kind_of_circuit(self) -> None:
        known = knowledge_of(case("P0842", "P0748", "P0901", **AUTOMATIC))
        sensor, solenoid = "told_transmission_fluid_pressure_sensor_a", "told_transmission_pressure_control_solenoid_a"
        self.assertEqual(known.components[sensor].row.circuit, "reference sensor")
        self.assertIn(f"check_{solenoid}", known.tests)
        self.assertIn("control", {place.node for place in circuit_for(known, solenoid).places})
        self.assertIn(solenoid, {part.id for part in known.points["plug_gearbox"].members})
        with self.assertRaises(BadInput):  # of which not even the kind is known
            circuit_for(known, "told_clutch_actuator")

    def test_a_check_acquits_it(self) -> None:
        good = {"test": "check_told_fan_speed_sensor", "outcome": "good"}
        before, after = assessed("P0526"), assess_file(case("P0526", tests=(good,)))
        self.assertGreater(after.assessment.nothing, before.assessment.nothing + 0.2)
        self.assertEqual(after.judged.unknown, ())

    def test_nobody_probes_the_high_voltage_drive(self) -> None:
        """Of a drive's own circuits there is no check by meter, only the maker's plan, and it says by whom."""
        for code in ("P0A9D", "P0B10", "P0A1A", "P0C00", "P0ABC"):
            found = assessed(code, **HYBRID)
            self.assertIn(code, found.assessment.suspects[0].row.words)
            known = found.judged.grounds.knowledge
            plan = next(test for test in known.tests.values() if code in test.words)
            self.assertIn("high_voltage", plan.cautions)
            self.assertFalse([name for name in known.tests if name.startswith("check_told") and code not in name])
            self.assertTrue(found.judged.advice.stop, code)

    def test_every_code_of_the_drive_is_by_plan(self) -> None:
        """P0A to P0E are the electric drive's (SAE J2012, from memory): what is not by plan is on twelve volts."""
        index = standard_index()
        drive = [row for code, row in index.rows.items() if code[:3] in {f"P0{letter}" for letter in "ABCDE"}]
        strangers = {row.component for row in drive if is_stranger(row.number, index)}
        probed = {name for name in strangers if not told_row(name).by_plan}
        twelve_volts = {
            "engine mount A, control",
            "engine mount B, control",
            "auxiliary gearbox fluid pump motor control unit",
        }
        self.assertGreater(len(strangers), 150)
        self.assertEqual(probed - twelve_volts, set())

    def test_what_names_no_part_leads_to_the_makers_plan(self) -> None:
        found = assessed("P072D", **AUTOMATIC)
        self.assertRegex(found.assessment.suspects[0].row.words, "cause of P072D")
        self.assertEqual(found.judged.next.act, Act.SHOW)
        self.assertRegex(found.judged.next.words, "plan for P072D")

    def test_not_described_stays_not_known_in_the_advice(self) -> None:
        self.assertIn("not known here", assessed("P072D", **AUTOMATIC).judged.advice.words)

    def test_known_codes_make_nothing(self) -> None:
        local = by_codes(Powertrain(), GENERIC, ("P0171", "P0420", "P0351", "U0100"))[1]
        self.assertIs(local, GENERIC)

    def test_a_part_told_and_four_of_the_tables_share_one_place(self) -> None:
        found = assessed("P0660", "P0118", "P0443", "P0340", "P0500")
        self.assertEqual(found.assessment.suspects[0].id, "shared_one_place")

    def test_every_code_of_the_standard_falls_to_a_row(self) -> None:
        for row in standard_index().rows.values():
            told_row(row.component)

    def test_one_in_two_hundred_of_them_tried(self) -> None:
        """No code of the standard leads to a part of another kind before what it names, unless the tables say so."""
        known = expand(Powertrain())
        numbers = [
            number for number in sorted(standard_index().rows) if number[0] == "P" and number not in known.weighed
        ]
        told = 0
        for number in numbers[::200]:
            local = by_codes(Powertrain(), GENERIC, (number,))[1]
            told += bool(local.parts or local.causes or local.fitted)
        self.assertGreaterEqual(told / len(numbers[::200]), 0.8)


class Equipment(unittest.TestCase):
    def fitted(self, *codes: str, powertrain: Powertrain | None = None) -> Powertrain:
        return equipped(powertrain or Powertrain(), codes, standard_index())[0]

    def test_what_is_watched_is_fitted(self) -> None:
        self.assertTrue(self.fitted("P0401").egr)
        self.assertTrue(self.fitted("P0411").secondary_air)
        self.assertEqual(self.fitted("P0011").phasers, Phasers.INTAKE)
        self.assertEqual(self.fitted("P0010", "P0013").phasers, Phasers.BOTH)
        self.assertEqual(self.fitted("P0734").gearbox, Gearbox.AUTOMATIC)
        self.assertEqual(self.fitted("P0748").gearbox, Gearbox.AUTOMATIC, "only the code names that solenoid")
        self.assertEqual(self.fitted("P0455", powertrain=Powertrain(evap=Evap.NONE)).evap, Evap.VACUUM)

    def test_what_any_engine_can_set_fits_nothing(self) -> None:
        for code in ("P0171", "P0300", "P0420", "P0101", "P0128", "P0335", "P0562", "P0016", "U0101"):
            self.assertEqual(self.fitted(code), Powertrain(), code)

    def test_another_kind_of_engine_is_not_believed(self) -> None:
        """An over-boost code on an engine without a turbocharger: the description or the code is wrong."""
        for code in ("P0234", "P0671", "P20EE", "P0306", "P0A80"):
            self.assertEqual(self.fitted(code), Powertrain(), code)

    def test_the_suspects_follow_and_it_is_said(self) -> None:
        found = assessed("P0401")
        self.assertRegex(found.assessment.suspects[0].row.words, "recirculation")
        self.assertTrue(any("P0401" in note and "recirculation" in note for note in found.notes), found.notes)
        self.assertEqual(assessed("P0401", egr=True).notes, ())


class ASensorThatIsNotBelieved(unittest.TestCase):
    def test_what_is_judged_by_it_comes_after_it(self) -> None:
        turbo = {"induction": "turbo", "injection": "direct", "air_metering": "both", "egr": True}
        diesel = {
            "fuel": "diesel",
            "injection": "common rail",
            "induction": "turbo",
            "ignition": "none",
            "egr": True,
            "evap": "none",
            "aftertreatment": ["catalyst", "particulate filter", "reductant injection"],
        }
        for sensor, judged, powertrain in (
            ("P0106", "P0299", turbo),
            ("P0236", "P0299", turbo),
            ("P0406", "P0401", turbo),
            ("P0191", "P0087", turbo),
            ("P229F", "P20EE", diesel),
            ("P204B", "P20E8", diesel),
            ("P2453", "P2463", diesel),
            ("P0716", "P0741", AUTOMATIC),
            ("P0711", "P0741", AUTOMATIC),
            ("P0116", "P0128", {}),
            ("P0136", "P0420", {}),
        ):
            roles = {item.code: item.role for item in assessed(judged, sensor, **powertrain).judged.read.codes}
            self.assertEqual((roles[sensor], roles[judged]), (Role.CHASE, Role.ECHO), (sensor, judged))


if __name__ == "__main__":
    unittest.main()
