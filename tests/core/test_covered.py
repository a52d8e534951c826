"""Every code that a described powertrain's parts can set has a suspect, and every suspect a test that shows it: 98 in a
hundred at least, over every platform, every preset and what neither has."""

from __future__ import annotations

import unittest
from dataclasses import replace

from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.code_index import CodeIndex, OwnCode, standard_index
from gumshoe.core.knowledge.covered import codes_covered, codes_led_somewhere, codes_of_parts, suspects_covered
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.spread import powertrains

FLOOR = 0.98
STANDARD = 2850
"""Numbers of the standard with a title of our own, at least."""


class Covered(unittest.TestCase):
    def test_over_every_powertrain(self) -> None:
        known = [expand(powertrain, local) for _, powertrain, local in powertrains()]
        areas = codes_covered(known)
        covered, whole = sum(row.covered for row in areas.values()), sum(row.whole for row in areas.values())
        missing = {area: row.missing for area, row in areas.items() if row.missing}
        self.assertGreaterEqual(covered / whole, FLOOR, missing)
        suspects = suspects_covered(known)
        self.assertGreaterEqual(suspects.share, FLOOR, suspects.missing)

    def test_a_code_of_the_standard_leads_to_what_it_names(self) -> None:
        """By what the tables describe, or by what is made from the code itself."""
        known = [expand(powertrain, local) for _, powertrain, local in powertrains()]
        led = codes_led_somewhere(known, standard_index())
        self.assertGreaterEqual(led.share, FLOOR, led.missing)
        described = codes_led_somewhere(known, CodeIndex([OwnCode("P1FFF", "thing of the maker's", "circuit")]))
        self.assertEqual(described.whole, led.whole + 1)
        self.assertNotIn("P1FFF", described.missing)

    def test_what_is_not_covered_is_named(self) -> None:
        known = expand(Powertrain())
        bare = replace(known, faults={}, tests={})
        self.assertEqual(sum(row.covered for row in codes_covered([bare]).values()), 0)
        whole = {number for row in codes_covered([bare]).values() for number in row.missing}
        self.assertEqual(whole, codes_of_parts(known))
        untested = replace(known, tests={})
        self.assertEqual(suspects_covered([untested]).covered, 0)
        self.assertIn("thermostat_open", suspects_covered([untested]).missing)

    def test_the_standard_has_titles(self) -> None:
        self.assertGreaterEqual(len(standard_index().rows), STANDARD)


if __name__ == "__main__":
    unittest.main()
