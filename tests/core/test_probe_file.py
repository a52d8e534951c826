"""Readings at circuits in a case file: what they leave, and what is refused where it stands."""

import json
import unittest
from typing import Any

from gumshoe.core.casefile import case_of, plain_case, read_case
from gumshoe.core.casefile.probe import probe_file
from gumshoe.core.errors import BadInput

LAMP = {"plus": "feed", "minus": "control", "instrument": "test lamp", "command": 1.0, "unplugged": ["part"]}


def case(*readings: dict[str, Any], component: str = "purge_valve") -> bytes:
    document = {
        "format": "gumshoe-case",
        "version": 1,
        "vehicle": {"platform": "ostrel_tern_16"},
        "circuits": [{"component": component, "readings": list(readings)}],
    }
    return json.dumps(document).encode()


class OneCircuit(unittest.TestCase):
    def test_the_load_is_left_and_the_meter_on_its_pins_is_next(self) -> None:
        (found,) = probe_file(
            read_case(
                case(
                    {"plus": "control", "value": 0.01},
                    {"plus": "feed", "value": 12.5, "command": 1.0},
                    LAMP | {"value": "dark", "command": 0.0},
                    LAMP | {"value": "bright"},
                )
            )
        )
        self.assertGreater(sum(group.probability for group in found.groups[:2]), 0.98)
        self.assertIn("open:load", [fault.id for group in found.groups[:2] for fault in group.faults])
        # One listens first (half a minute), then measures the part at its own pins.
        pins = "feed pin of purge valve itself to control pin"
        self.assertTrue(any(pins in row.words for row in found.proposals[:3]), [r.words for r in found.proposals])
        document = found.document()
        self.assertEqual(document["component"], "purge_valve")
        self.assertAlmostEqual(sum(row["probability"] for row in document["faults"]), 1.0, delta=0.02)
        self.assertEqual(document["doubtful"], "")

    def test_pins_measured_decide(self) -> None:
        pins = {"plus": "part_plus", "minus": "part_minus", "instrument": "ohmmeter", "unplugged": ["part"]}
        low = {"plus": "control", "value": 0.01}
        (dead,) = probe_file(read_case(case(low, pins | {"value": 1e7})))
        (whole,) = probe_file(read_case(case(low, pins | {"value": 22.1})))
        self.assertEqual(dead.left[0].fault.id, "open:load")
        self.assertNotIn("open:load", [row.fault.id for row in whole.left[:6]])

    def test_what_came_in_goes_out(self) -> None:
        kept = read_case(case({"plus": "control", "value": 0.01}))
        self.assertEqual(case_of(plain_case(kept)), kept)

    def test_refused_where_it_stands(self) -> None:
        for row, words in (
            ({"plus": "moon", "value": 1.0}, "no place “moon”"),
            ({"plus": "feed", "value": 1.0, "unplugged": ["radio"]}, "no connector “radio”"),
            ({"plus": "feed", "value": 1.0, "command": 7.0}, "a command of 7"),
            ({"plus": "feed", "value": 400.0}, "cannot be read here"),
            ({"plus": "feed", "value": "bright"}, "not a reading of a meter"),
            ({"plus": "unit_ground", "instrument": "test lamp", "value": "dim"}, "does not go on"),
            ({"plus": "part_plus", "value": 1.0}, "only with the plug of purge valve off"),
        ):
            with self.assertRaisesRegex(BadInput, words):
                probe_file(read_case(case(row)))
        with self.assertRaisesRegex(BadInput, "no component"):
            probe_file(read_case(case(component="flux_box")))
