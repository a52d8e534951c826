"""The warning lamp against what the control unit asks of it, and a supply that is still low (common practice)."""

from __future__ import annotations

import unittest

from gumshoe.core.casefile.assess import CaseAssessment
from gumshoe.core.suspects.relations import Role
from tests.core import one_read


def assessed(
    lamp: str, *, asked: bool, codes: tuple[str, ...] = (), said: tuple[str, ...] = (), **values: float
) -> CaseAssessment:
    status = {"lamp": asked, "codes": len(codes), "compression_ignition": False, "monitors": []}
    four = {"cylinders": 4, "air_metering": "flow"}
    return one_read.assessed(four, codes, said, lamp, values=values, status=status)


def told(found: CaseAssessment) -> str:
    return next((clue.value for clue in found.assessment.clues if clue.variable == "lamp_told"), "")


class Lamp(unittest.TestCase):
    def test_lit_though_nobody_asks_is_its_wire_or_the_instruments(self) -> None:
        found = assessed("steady", asked=False)
        self.assertEqual(told(found), "unasked")
        self.assertLess(
            {"short_ground_warning_lamp", "worn_cluster"}, {item.id for item in found.assessment.suspects[:4]}
        )
        self.assertEqual(found.proposals[0].test.id, "lamp_at_key_on")

    def test_dark_though_it_is_asked_for(self) -> None:
        found = assessed("out", asked=True)
        self.assertEqual(told(found), "dark")
        self.assertIn("open_warning_lamp", {item.id for item in found.assessment.suspects[:3]})

    def test_as_it_is_asked_says_nothing(self) -> None:
        self.assertEqual(told(assessed("out", asked=False)), "normal")

    def test_nobody_asked_or_cleared_lately_or_codes_there_is_no_clue(self) -> None:
        """Unknown is not none: what may have gone out with the codes accuses no wire."""
        self.assertEqual(told(assessed("", asked=False)), "")
        self.assertEqual(told(assessed("steady", asked=False, distance_clear_km=12.0)), "")
        self.assertEqual(told(assessed("steady", asked=False, codes=("P0171",))), "")


class StillLow(unittest.TestCase):
    """A battery that was flat excuses a code of the supply, unless the supply is still low."""

    def roles(self, volts: float) -> dict[str, Role]:
        found = assessed("steady", asked=True, codes=("P0606", "P0562"), said=("was_flat",), module_v=volts)
        return {item.code: item.role for item in found.read.codes}

    def test_charged_again_it_is_expected(self) -> None:
        self.assertIs(self.roles(12.6)["P0562"], Role.SELF)

    def test_still_low_it_is_chased_before_the_control_unit(self) -> None:
        roles = self.roles(11.4)
        self.assertIs(roles["P0562"], Role.CHASE)
        self.assertIsNot(roles["P0606"], Role.CHASE)
