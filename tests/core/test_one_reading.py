"""What one reading shows, and when a second one is asked for: facts of the trade (common practice, no source)."""

import unittest
from dataclasses import replace

from gumshoe.core.clues import extract
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.planning import Costs, NextAction, next_action, propose
from gumshoe.core.planning.next_action import Act, can_deceive
from gumshoe.core.suspects import Assessment, assess
from gumshoe.core.suspects.conflict import rests_on, without
from tests.core.test_bench_found import evidence, judged, known

MISFIRE = "P0303"


def after(knowledge: Knowledge, code: str, *tests: tuple[str, str]) -> tuple[Assessment, NextAction]:
    return judged(knowledge, evidence(code, *((name, outcome, "1") for name, outcome in tests)))


class OneReading(unittest.TestCase):
    def setUp(self) -> None:
        self.known = known("ostrel_tern_16")

    def test_no_spark_is_the_coil_or_the_wire_to_it(self) -> None:
        """With the coil's own circuit code stored, a spark tester cannot tell the coil from its plug and wire."""
        found, action = after(self.known, "P0353", ("spark_tester", "bad"))
        for name in ("coil_breakdown_3", "coil_circuit_open_3"):
            suspect = found.suspect(name)
            assert suspect
            self.assertEqual(suspect.proven_by, (), name)
        self.assertIsNot(action.act, Act.NAME)

    def test_a_dear_part_on_one_swap_is_looked_at_twice(self) -> None:
        found, action = after(self.known, MISFIRE, ("coil_swap", "moved"))
        leader = found.suspects[0]
        self.assertEqual(leader.id, "coil_breakdown_3")
        self.assertLess(without(found, leader.proven_by[0], leader.id), 0.5)
        self.assertIs(action.act, Act.SHOW)
        assert action.test
        self.assertNotEqual(action.test.id, "coil_swap")
        self.assertIn("one reading", action.why)
        found, action = after(self.known, MISFIRE, ("coil_swap", "moved"), ("spark_tester", "bad"))
        self.assertIs(action.act, Act.NAME)

    def test_one_who_leads_is_shown_before_a_look_that_tells_less(self) -> None:
        """A cylinder that misfires under a flashing lamp is not left running for its trims: its coil is tried."""
        case = replace(evidence(MISFIRE), symptoms=("rough_idle", "jerks_under_load", "low_power"), lamp="flashing")
        found = assess(self.known, extract(case, self.known), odometer_km=131_880.0, age_years=11.0)
        shows = self.known.shown_by("coil_breakdown_3")
        self.assertGreater(found.suspects[0].probability, 0.5)
        barely = (  # each of its minutes not quite saved, as with a good coil at hand
            replace(item, saving=-1.0) if item.test in shows else item for item in propose(found, self.known, Costs())
        )
        self.assertIn(next_action(found, self.known, barely).test, shows)

    def test_what_is_seen_and_a_row_of_readings_need_no_second(self) -> None:
        deceive = {name: can_deceive(row) for name, row in self.known.tests.items()}
        self.assertTrue(all(deceive[name] for name in ("coil_swap", "fuel_pressure", "battery_rest")))
        self.assertFalse(any(deceive[name] for name in ("look_hoses", "look_connectors", "check_purge_valve")))

    def test_tests_end_where_they_tell_next_to_nothing(self) -> None:
        """One acquittal after the other: in the end a guess or a recording is next, not the twentieth test."""
        made, measured = list[tuple[str, str]](), set[str]()
        for _ in range(25):
            case = evidence(MISFIRE, *((name, outcome, "1") for name, outcome in made))
            found = assess(self.known, extract(case, self.known))
            done = {name for name, _ in made}
            rows = propose(found, self.known, Costs(), done=done, known=measured)
            action = next_action(found, self.known, rows)
            if action.test is None:
                break
            if action.test.measures:
                measured.add(action.test.measures)
            else:
                made.append((action.test.id, max(action.test.otherwise, key=lambda name: action.test.otherwise[name])))
        self.assertIsNone(action.test, made)
        self.assertLess(len(made), 18, made)


class OnceMore(unittest.TestCase):
    """Measure twice, renew once (common practice): what a case rests on is seen again before a part is ordered."""

    def setUp(self) -> None:
        self.known = known("ostrel_tern_16")

    def test_a_finding_that_carries_the_case_is_seen_again(self) -> None:
        found, _ = after(self.known, "P0171", ("look_hoses", "crankcase"))
        leader = found.suspects[0]
        self.assertEqual(leader.id, "crankcase_hose_split")
        one = rests_on(found, leader)
        assert one
        self.assertEqual(one.result, ("look_hoses", "crankcase"))
        self.assertIsNone(rests_on(found, leader, [("look_hoses", "crankcase")] * 2))
        self.assertIsNotNone(rests_on(found, leader, [("look_hoses", "whole"), ("look_hoses", "crankcase")]))

    def test_two_findings_carry_each_other(self) -> None:
        found, _ = after(self.known, MISFIRE, ("coil_swap", "moved"), ("spark_tester", "bad"))
        self.assertIsNone(rests_on(found, found.suspects[0]))

    def test_nothing_is_seen_again_where_nothing_was_shown(self) -> None:
        found, _ = after(self.known, "P0171")
        self.assertIsNone(rests_on(found, found.suspects[0]))


class WhichPlug(unittest.TestCase):
    """A plug that is off, or parts when it is moved, speaks for its own circuit only: which one it was is asked."""

    def setUp(self) -> None:
        self.known = known("ostrel_tern_16")

    def share(self, name: str, code: str, *tests: tuple[str, str]) -> float:
        suspect = after(self.known, code, *tests)[0].suspect(name)
        assert suspect
        return suspect.probability

    def test_a_plug_found_off_convicts_no_other(self) -> None:
        coil = "coil_circuit_open_3"
        before = self.share(coil, "P0353")
        found, action = after(self.known, "P0353", ("look_connectors", "off_ignition_coil_3"))
        self.assertEqual(found.suspects[0].id, coil)
        self.assertTrue(found.suspects[0].proven_by)
        self.assertGreater(found.suspects[0].probability, 0.9)
        self.assertIs(action.act, Act.NAME)
        found, _ = after(self.known, "P0353", ("look_connectors", "off_fan"))
        suspect = found.suspect(coil)
        assert suspect
        self.assertLess(suspect.probability, before + 0.1)
        self.assertFalse(suspect.proven_by)

    def test_a_gap_when_a_plug_is_moved_is_that_contact(self) -> None:
        loose = "loose_coolant_sensor"
        before, own = self.share(loose, "P0119"), self.share(loose, "P0119", ("wiggle", "bad_coolant_sensor"))
        self.assertGreater(own, 0.9)
        self.assertLess(self.share(loose, "P0119", ("wiggle", "bad_fan")), before)
        unsaid = self.share(loose, "P0119", ("wiggle", "bad"))  # as it stands on record from before it was asked
        self.assertTrue(before < unsaid < own)

    def test_parts_in_one_housing_share_their_plug(self) -> None:
        asked = self.known.tests["wiggle"].readings[-1]
        self.assertEqual(asked.label, "Which plug")
        places = [item.place for item in self.known.tests["wiggle"].outcomes if item.place]
        self.assertIn("plug_oxygen_b1s1", places)
        self.assertNotIn("oxygen_heater_b1s1", places)
        self.assertEqual(len(places), len(set(asked.options)) - 1)


if __name__ == "__main__":
    unittest.main()
