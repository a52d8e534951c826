"""What is proposed, and what is not: looks before dear repairs, nothing running on a car that does not start, a gap
found by wiggling, the branch that parts alike share. Common practice, no source."""

from __future__ import annotations

import json
import unittest
from typing import Any

from gumshoe.core.casefile import read_case
from gumshoe.core.casefile.assess import CaseAssessment, assess_file
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.powertrain.description import Gearbox, Layout, Powertrain


def found(codes: list[str], said: tuple[str, ...] = (), **more: Any) -> CaseAssessment:
    case = {
        "format": "gumshoe-case",
        "version": 1,
        "codes": codes,
        "complaint": {"symptoms": list(said), "lamp": "steady"},
        **more,
    }
    if not codes:
        case.pop("codes")
    return assess_file(read_case(json.dumps(case)))


def tests_of(result: CaseAssessment) -> list[str]:
    return [item.test.id for item in result.proposals]


class Proposed(unittest.TestCase):
    def test_nothing_that_needs_it_running_where_it_does_not_start(self) -> None:
        result = found([], ("no_start",))
        self.assertTrue(result.proposals)
        for item in result.proposals:
            self.assertTrue("running" not in item.test.needs or item.test.cranks, item.test.id)
        runs = found(["P0171"], ("rough_idle",))
        self.assertTrue(any("running" in item.test.needs for item in runs.proposals))

    def test_what_shows_the_leader_comes_before_it_is_ordered(self) -> None:
        result = found(["P0751"], ("shifts_badly",), powertrain={"gearbox": Gearbox.AUTOMATIC.value})
        self.assertEqual(result.assessment.suspects[0].id, "worn_shift_valve_A")
        self.assertIn("look_fluid", tests_of(result)[:3])
        reference = found(["P0651", "P0452", "P0532"])
        self.assertIn("reference_isolate", tests_of(reference)[:3])

    def test_a_leader_that_is_rather_there_has_its_proof_among_the_first(self) -> None:
        result = found(
            ["P0307"],
            ("rough_idle",),
            powertrain={"cylinders": 8, "layout": "V"},
            tests=[{"test": "relative_compression", "outcome": "bad_7"}],
        )
        leader = result.assessment.suspects[0]
        self.assertEqual(leader.id, "compression_low_7")
        shows = {test.id for test in result.knowledge.shown_by(leader.id)}
        self.assertTrue(shows & set(tests_of(result)[:3]))

    def test_an_outcome_may_be_told_in_its_words(self) -> None:
        by_id = found(["P0302"], tests=[{"test": "relative_compression", "outcome": "good"}])
        in_words = found(["P0302"], tests=[{"test": "relative_compression", "outcome": "Even"}])
        self.assertEqual(by_id.assessment.suspects[0].probability, in_words.assessment.suspects[0].probability)
        self.assertEqual(in_words.unknown, ())


class Judged(unittest.TestCase):
    def leader(self, result: CaseAssessment) -> str:
        return result.assessment.suspects[0].id

    def test_a_gap_while_wiggling_is_a_contact_not_a_worn_part(self) -> None:
        before = found(["P0339"], ("stalls",))
        after = found(["P0339"], ("stalls",), tests=[{"test": "wiggle", "outcome": "bad"}])
        self.assertEqual(self.leader(after), "loose_crank_sensor")
        suspect, then = (item.assessment.suspect("loose_crank_sensor") for item in (after, before))
        assert suspect and then
        self.assertGreater(suspect.probability, then.probability)

    def test_two_thermistors_at_once_share_a_branch(self) -> None:
        result = found(["P0118", "P0113"])
        self.assertEqual(self.leader(result), "shared_low_reference_sensors_thermistor")
        self.assertIn("coolant temperature sensor", result.assessment.suspects[0].row.words)
        one = found(["P0118"])
        self.assertNotIn("shared", self.leader(one))

    def test_the_code_of_a_shared_point_is_chased_before_those_of_its_members(self) -> None:
        for own in ("P0641", "P0651"):  # which letter a reference has is a guess where no diagram is known
            result = found([own, "P0452", "P0532"])
            self.assertEqual(result.read.codes[0].code, own)

    def test_the_other_bank_speaks_when_it_is_silent(self) -> None:
        six = {"cylinders": 6, "layout": Layout.V.value, "firing_order": [1, 4, 2, 5, 3, 6]}
        one, both = found(["P0174"], powertrain=six), found(["P0171", "P0174"], powertrain=six)
        gasket = [item.assessment.suspect("manifold_gasket_leak_b2") for item in (one, both)]
        assert gasket[0] and gasket[1]
        self.assertGreater(gasket[0].probability, gasket[1].probability)

    def test_codes_typed_in_are_newer_than_the_work_that_is_dated(self) -> None:
        event = {
            "off": "coolant_sensor",
            "did": "off",
            "what": "unplugged",
            "key_on": True,
            "at": "2026-03-02T10:00:00Z",
            "back_at": "2026-03-02T10:10:00Z",
        }
        result = found(["P0118"], events=[event])
        self.assertEqual(result.read.reading(result.read.codes[0].code).role.name, "SELF")

    def test_what_was_measured_does_not_stand_behind_what_is_inferred(self) -> None:
        result = found(["P0524"], ("knocking",), tests=[{"test": "bearing_clearance", "outcome": "bad"}])
        self.assertEqual(self.leader(result), "bearing_worn")


class Branches(unittest.TestCase):
    def test_a_branch_holds_parts_of_one_kind_that_hang_on_one_point(self) -> None:
        known = expand(Powertrain())
        point = known.points["low_reference_sensors_thermistor"]
        whole = {item.id for item in known.points["low_reference_sensors"].members}
        self.assertLess({item.id for item in point.members}, whole)
        self.assertEqual({item.row.circuit for item in point.members}, {"thermistor"})
        self.assertIn("check_low_reference_sensors_thermistor", known.tests)


if __name__ == "__main__":
    unittest.main()
