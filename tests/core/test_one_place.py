"""Circuits of unlike parts that fail together: one place, though no diagram says so (common practice, no source)."""

from __future__ import annotations

import unittest

from gumshoe.core.casefile import read_case
from gumshoe.core.casefile.assess import CaseAssessment, assess_file, knowledge_of
from gumshoe.core.casefile.model import CaseFile
from gumshoe.core.knowledge.one_place import ONE_PLACE

PLACE = f"shared_{ONE_PLACE}"


def case(*codes: str, wiring: str = "[]") -> CaseFile:
    told = ", ".join(f'"{code}"' for code in codes)
    return read_case(
        '{"format": "gumshoe-case", "version": 1, "powertrain": {"cylinders": 4, "air_metering": "flow"}, '
        f'"codes": [{told}], "wiring": {wiring}}}'
    )


def assessed(*codes: str) -> CaseAssessment:
    return assess_file(case(*codes))


class Made(unittest.TestCase):
    def test_five_unlike_circuits_begin_with_one_cause_and_a_look_at_earlier_repairs(self) -> None:
        found = assessed("P0118", "P0443", "P0340", "P0135", "P0500")
        self.assertEqual(found.assessment.suspects[0].id, PLACE)
        first = [item.test.id for item in found.proposals[:3]]
        self.assertIn("look_prior_work", first)
        self.assertIn(f"check_{ONE_PLACE}", first)

    def test_it_is_less_sure_of_three_than_of_five(self) -> None:
        three, five = assessed("P0335", "P0443", "P0201"), assessed("P0335", "P0443", "P0201", "P0118", "P0135")
        chances = [next(s.probability for s in found.assessment.suspects if s.id == PLACE) for found in (three, five)]
        self.assertLess(chances[0], chances[1])

    def test_two_circuits_or_three_alike_make_none(self) -> None:
        for codes in (("P0118", "P0443"), ("P0201", "P0202", "P0203"), ("P0171", "P0300", "P0420")):
            self.assertNotIn(ONE_PLACE, knowledge_of(case(*codes)).points, codes)

    def test_a_point_that_is_known_says_so_itself(self) -> None:
        """The main relay feeds these, and its own code is among them."""
        codes = ("P0685", "P0102", "P0443", "P0135", "P0201")
        self.assertNotIn(ONE_PLACE, knowledge_of(case(*codes)).points)
        self.assertEqual(assessed(*codes).assessment.suspects[0].id, "shared_feed_main")

    def test_a_shared_point_is_looked_at_where_it_is_and_not_at_a_part_nobody_speaks_of(self) -> None:
        """Two pulse sensors and their 5 V: the pedal hangs on the same wire and is not in question."""
        found = assessed("P0335", "P0340", "P0641").judged
        self.assertTrue(found.assessment.suspects[0].id.startswith("shared_reference"))
        offered = [item.test.checks for item in found.every_test if item.test.checks]
        self.assertEqual(offered[0], "reference_reference_a")
        self.assertNotIn("pedal_sensor", offered)
        alone = [item.test for item in assessed("P0122").judged.every_test]
        self.assertEqual(next(test.checks for test in alone if test.checks), "throttle_sensor")
        before = alone[: next(place for place, test in enumerate(alone) if test.checks)]
        self.assertLessEqual({test.id for test in before}, {"look_connectors"}, "but for a look that takes minutes")

    def test_typed_wiring_takes_its_place(self) -> None:
        wiring = (
            '[{"id": "bulkhead", "field": "plug", "words": "bulkhead connector",'
            ' "members": ["coolant_sensor", "purge_valve", "cam_sensor_intake"]}]'
        )
        codes = ("P0118", "P0443", "P0340")
        self.assertIn(ONE_PLACE, knowledge_of(case(*codes)).points)
        self.assertNotIn(ONE_PLACE, knowledge_of(case(*codes, wiring=wiring)).points)

    def test_what_the_place_does_not_hold_is_left_out(self) -> None:
        found = knowledge_of(case("P0335", "P0443", "P0201", "P0420"))
        members = {part.id for part in found.points[ONE_PLACE].members}
        self.assertEqual(members, {"crank_sensor", "purge_valve", "injector_1"})
