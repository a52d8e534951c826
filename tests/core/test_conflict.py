"""Tests that contradict each other: found, the odd one named, and made again before anything is renewed."""

from __future__ import annotations

import itertools
import unittest

from gumshoe.core.clues import OnRecord, TestOutcome, extract
from gumshoe.core.codes import CodeState, TroubleCode
from gumshoe.core.judgement.grounds import Grounds
from gumshoe.core.judgement.judged import NOT_SEEN_ONCE, SEEN_ONCE, Judged
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.obd.snapshot import ModuleSnapshot, StoredCode
from gumshoe.core.planning.next_action import Act
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.suspects.conflict import Conflict, conflict_in
from gumshoe.core.suspects.posterior import assess

KNOWN = expand(Powertrain())


def record(codes: tuple[str, ...], *tests: tuple[str, str]) -> OnRecord:
    stored = tuple(StoredCode(TroubleCode(code), CodeState.CONFIRMED) for code in codes)
    made = tuple(TestOutcome(name, outcome, f"t{at}", str(at)) for at, (name, outcome) in enumerate(tests))
    return OnRecord(module=ModuleSnapshot(0x7E8, codes=stored), tests=made)


def found(codes: tuple[str, ...], *tests: tuple[str, str]) -> Conflict | None:
    evidence = record(codes, *tests)
    return conflict_in(assess(KNOWN, extract(evidence, KNOWN)), (row.test for row in evidence.tests))


class Contradicting(unittest.TestCase):
    """Common practice, no source: one misfire has one cause, and a result that fits nothing else is made again."""

    def test_three_swaps_that_all_moved_cannot_all_be_right(self) -> None:
        conflict = found(("P0302",), ("coil_swap", "moved"), ("plug_swap", "bad"), ("injector_swap", "bad"))
        assert conflict
        self.assertGreater(conflict.before, 4.0 * conflict.now)
        self.assertEqual(len(conflict.others), 2)

    def test_a_lone_result_against_several_is_the_odd_one(self) -> None:
        conflict = found(
            ("P0302",),
            ("coil_swap", "moved"),
            ("compression", "low_2"),
            ("relative_compression", "bad_2"),
            ("leak_down", "bad_2"),
        )
        assert conflict
        self.assertEqual(conflict.odd.variable, "coil_swap")

    def test_tests_that_agree_are_no_conflict(self) -> None:
        for tests in (
            [("compression", "low_2"), ("leak_down", "bad_2")],
            [("coil_swap", "moved"), ("plug_swap", "good"), ("spark_tester", "bad")],
            [("coil_swap", "stayed"), ("plug_swap", "good"), ("injector_swap", "bad")],
            [("look_cap", "good"), ("purge_hold", "bad"), ("smoke_evap", "line")],
        ):
            codes = ("P0302",) if tests[0][0] != "look_cap" else ("P0455",)
            self.assertIsNone(found(codes, *tests), tests)

    def test_two_faults_that_two_tests_show_are_no_conflict(self) -> None:
        self.assertIsNone(found(("P0302", "P0455"), ("coil_swap", "moved"), ("smoke_evap", "line")))

    def test_the_odd_one_is_made_again_first_and_not_a_third_time(self) -> None:
        tests = [("coil_swap", "moved"), ("compression", "low_2"), ("leak_down", "bad_2")]
        judged = Judged(Grounds(KNOWN, record(("P0302",), *tests)))
        assert judged.conflict and judged.next.test
        self.assertEqual(judged.next.test.id, "coil_swap")
        self.assertTrue(judged.next.words.startswith("Make it again"))
        self.assertEqual(judged.proposals[0].test.id, "coil_swap")
        twice = Judged(Grounds(KNOWN, record(("P0302",), *tests, ("coil_swap", "moved"))))
        self.assertNotEqual(twice.next.test.id if twice.next.test else "", "coil_swap")
        resolved = Judged(Grounds(KNOWN, record(("P0302",), *tests, ("coil_swap", "stayed"))))
        self.assertIsNone(resolved.conflict)
        self.assertEqual(resolved.assessment.suspects[0].id, "compression_low_2")

    def test_a_long_one_is_made_again_after_what_takes_less_and_before_any_repair(self) -> None:
        odd = ("compression", "low_3")  # 40 minutes
        good = ("relative_compression", "good"), ("leak_down", "good")
        others = ("coil_swap", "stayed"), ("plug_swap", "good"), ("injector_drive", "good"), ("spark_tester", "good")
        quicker = 0
        for codes, more in itertools.product((("P0303", "P0171"), ("P0303",)), range(len(others) + 1)):
            judged = Judged(Grounds(KNOWN, record(codes, *good, *others[:more], odd)))
            if judged.conflict is None or judged.conflict.odd.variable != odd[0]:
                continue
            self.assertIn(judged.next.act, (Act.TEST, Act.SHOW))
            assert judged.next.test
            self.assertLessEqual(judged.next.test.minutes, KNOWN.tests[odd[0]].minutes)
            quicker += judged.next.test.id != odd[0]
        self.assertGreater(quicker, 2)

    def test_what_one_check_showed_is_seen_once_more_before_a_guess(self) -> None:
        """A control unit is the last to be renewed, and not on one reading (common practice)."""
        looks = ("look_connectors", "home"), ("purge_opens", "bad"), ("wiggle", "good"), ("look_prior_work", "good")
        once = Judged(Grounds(KNOWN, record(("P0443",), ("check_purge_valve", "undriven"), *looks)))
        self.assertEqual(once.leader.id, "undriven_purge_valve")
        assert once.next.test
        self.assertEqual((once.next.test.id, once.next.why), ("check_purge_valve", SEEN_ONCE))
        again = ("check_purge_valve", "undriven")
        twice = Judged(Grounds(KNOWN, record(("P0443",), again, *looks, again)))
        self.assertNotEqual(twice.next.test.id if twice.next.test else "", "check_purge_valve")
        self.assertEqual(twice.leader.id, "undriven_purge_valve")

    def test_no_part_is_renewed_against_the_one_reading_that_says_it_is_good(self) -> None:
        looks = ("look_connectors", "home"), ("wiggle", "good")
        good = ("check_intake_air_sensor", "good")
        once = Judged(Grounds(KNOWN, record(("P0111",), good, *looks)))
        self.assertEqual(once.leader.id, "worn_intake_air_sensor")
        assert once.next.test
        self.assertEqual((once.next.test.id, once.next.why), ("check_intake_air_sensor", NOT_SEEN_ONCE))
        twice = Judged(Grounds(KNOWN, record(("P0111",), good, *looks, good)))
        self.assertNotEqual(twice.next.why, NOT_SEEN_ONCE, "it was seen twice")
        shown = Judged(Grounds(KNOWN, record(("P0111",), ("check_intake_air_sensor", "part"))))
        self.assertNotEqual(shown.next.why, NOT_SEEN_ONCE, "it was shown")


if __name__ == "__main__":
    unittest.main()
