"""Sound parts by kind and by how the engine is made, burnt contacts, and the ground of the control unit.

Resistances: common practice, from memory; no published source.
"""

from __future__ import annotations

import json
import unittest

from gumshoe.core.casefile import read_case
from gumshoe.core.casefile.assess import assess_file
from gumshoe.core.casefile.probe import probe_file
from gumshoe.core.circuits.library import circuit_for, sound_ohms
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.powertrain.description import Fuel, Ignition, Induction, Injection, Powertrain

PORT = expand(Powertrain())
DIRECT = expand(Powertrain(injection=Injection.DIRECT, induction=Induction.TURBO))
DIESEL = expand(
    Powertrain(fuel=Fuel.DIESEL, injection=Injection.COMMON_RAIL, ignition=Ignition.NONE, induction=Induction.TURBO)
)


def read(component: str, *readings: dict[str, object], **powertrain: object) -> dict[str, object]:
    """What ``manage.py probe`` prints of one circuit."""
    case = {
        "format": "gumshoe-case",
        "version": 1,
        "powertrain": powertrain,
        "codes": ["P0443"],
        "circuits": [{"component": component, "readings": list(readings)}],
    }
    (found,) = probe_file(read_case(json.dumps(case)))
    return found.document()


def inside(ohms: float) -> dict[str, object]:
    """The part's own resistance, its plug off."""
    return {
        "plus": "part_plus",
        "minus": "part_minus",
        "instrument": "ohmmeter",
        "value": ohms,
        "unplugged": ["part"],
    }


class Ranges(unittest.TestCase):
    def test_an_injector_has_what_its_kind_of_injection_has(self) -> None:
        spans = [
            sound_ohms(known.components["injector_1"], known.powertrain.features) for known in (PORT, DIRECT, DIESEL)
        ]
        self.assertEqual(spans, [(11.0, 18.0), (0.5, 3.5), (0.15, 3.5)])
        load = next(item for item in circuit_for(DIRECT, "injector_1").elements if item.id == "load")
        self.assertTrue(0.5 < load.ohm < 3.5)

    def test_a_direct_injector_of_an_ohm_and_a_half_is_sound_and_a_port_one_is_not(self) -> None:
        direct = read("injector_1", inside(1.5), injection="direct", induction="turbo")
        self.assertFalse((direct["conclusion"] or {}).get("stands") and direct["conclusion"]["outcome"] == "part")
        port = read("injector_1", inside(0.8), {"plus": "feed", "value": 12.4})
        self.assertIn("shorted inside", port["faults"][0]["words"])

    def test_a_heater_may_have_three_ohms_or_twelve(self) -> None:
        for ohms in (3.2, 9.0, 12.0):
            found = read("oxygen_heater_b1s1", inside(ohms), {"plus": "feed", "value": 12.4})
            self.assertEqual(found["faults"][0]["id"], "none", ohms)
        dead = read("oxygen_heater_b1s1", inside(2e6), {"plus": "feed", "value": 12.4})
        self.assertIn("open", dead["faults"][0]["words"])

    def test_an_unknown_kind_keeps_what_its_circuit_says(self) -> None:
        self.assertIsNone(sound_ohms(PORT.components["fan"], PORT.powertrain.features))


class Contacts(unittest.TestCase):
    def test_two_volts_lost_in_the_solenoids_contact(self) -> None:
        found = read(
            "starter_relay",
            {"plus": "battery", "value": 9.9, "command": 1.0},
            {"plus": "solenoid_in", "value": 9.7, "command": 1.0},
            {"plus": "starter_plus", "value": 7.7, "command": 1.0},
            {"plus": "engine", "value": 0.15, "command": 1.0},
        )
        self.assertEqual(found["faults"][0]["words"], "resistance in contact of the starter's solenoid (burnt)")

    def test_the_ground_of_the_control_unit_is_a_finding_of_its_own(self) -> None:
        case = {
            "format": "gumshoe-case",
            "version": 1,
            "codes": ["P0606"],
            "circuits": [
                {
                    "component": "purge_valve",
                    "readings": [
                        {"plus": "feed", "value": 12.4, "command": 1.0},
                        {"plus": "control", "value": 1.4, "command": 1.0},
                        {"plus": "unit_ground", "value": 1.2, "command": 1.0},
                    ],
                }
            ],
        }
        found = assess_file(read_case(json.dumps(case)))
        self.assertIn("ground of the engine control unit", found.assessment.suspects[0].row.words)


if __name__ == "__main__":
    unittest.main()
