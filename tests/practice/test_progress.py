"""How somebody gets on, against general-purpose statistics (SciPy)."""

from __future__ import annotations

import unittest
from datetime import UTC, datetime, timedelta
from math import inf, log
from typing import Any

import numpy as np
from scipy import stats

from gumshoe.practice.progress import (
    SPACED_DAYS,
    STUDENT,
    Done,
    by_system,
    next_to_practise,
    ratio,
    share,
    standing,
)

NOW = datetime(2026, 12, 1, 10, tzinfo=UTC)


def done(system: str = "fuel", days_ago: float = 0.0, **other: Any) -> Done:
    """An attempt, right at first and as cheap as the best line unless told otherwise."""
    usual: dict[str, Any] = {
        "first": True, "cured": True, "proven": True, "looked_first": True, "money": 100.0, "best_money": 100.0,
        "minutes": 60.0, "best_minutes": 60.0, "regret": 0.0,
    }  # fmt: skip
    return Done(NOW - timedelta(days=days_ago), system, **(usual | other))


class Bands(unittest.TestCase):
    def test_a_share_is_wilsons(self) -> None:
        """Against SciPy's proportion_ci(method="wilson")."""
        for right, of in ((0, 1), (1, 1), (8, 10), (3, 40), (40, 40)):
            found = share(right, of)
            assert found
            want = stats.binomtest(right, of).proportion_ci(method="wilson")
            self.assertAlmostEqual(found.low, want.low, 6)
            self.assertAlmostEqual(found.high, want.high, 6)
        self.assertIsNone(share(0, 0))

    def test_a_ratio_is_students_on_the_logarithm(self) -> None:
        pairs = [(120.0, 100.0), (300.0, 100.0), (90.0, 100.0), (150.0, 100.0)]
        logs = [log(a / b) for a, b in pairs]
        found, half = ratio(pairs), stats.t.ppf(0.975, 3) * stats.sem(logs)
        assert found
        self.assertAlmostEqual(found.low, float(np.exp(np.mean(logs) - half)), 2)
        self.assertAlmostEqual(found.high, float(np.exp(np.mean(logs) + half)), 2)
        for freedom, value in STUDENT.items():
            self.assertAlmostEqual(value, stats.t.ppf(0.975, freedom), 2)

    def test_of_one_nothing_is_claimed(self) -> None:
        one = ratio([(200.0, 100.0)])
        assert one
        self.assertEqual((one.low, one.high, round(one.value, 6)), (0.0, inf, 2.0))
        self.assertIsNone(ratio([]))
        wide = share(1, 1)
        assert wide
        self.assertLess(wide.low, 0.25)


class Next(unittest.TestCase):
    SYSTEMS = ("fuel", "air", "boost")

    def test_the_most_regret_first_among_those_whose_day_has_come(self) -> None:
        rows = [done("fuel", 2, first=False, regret=40.0), done("air", 2, first=False, regret=90.0)]
        found = next_to_practise(rows, self.SYSTEMS, NOW)
        assert found
        self.assertEqual(found.system, "air")
        self.assertIn("90 lost on average", found.why)

    def test_right_again_and_again_comes_back_later_and_later(self) -> None:
        for times, days in enumerate(SPACED_DAYS, start=1):
            rows = [done("fuel", 0.0) for _ in range(times)]
            found = next_to_practise(rows, ("fuel",), NOW)
            assert found
            self.assertEqual(found.due, NOW + timedelta(days=days))
        slip = [*(done("fuel", 3) for _ in range(4)), done("fuel", 0, first=False)]
        found = next_to_practise(slip, ("fuel",), NOW)
        assert found
        self.assertEqual(found.due, NOW)

    def test_what_was_never_practised_comes_before_what_is_not_due(self) -> None:
        found = next_to_practise([done("fuel", 0.0)], self.SYSTEMS, NOW)
        assert found
        self.assertEqual((found.system, found.why), ("air", "not practised yet"))
        self.assertIsNone(next_to_practise([], (), NOW))

    def test_standings(self) -> None:
        rows = [done("fuel", regret=10.0), done("air", first=False, cured=False, proven=False, regret=70.0)]
        self.assertEqual([row.system for row in by_system(rows)], ["air", "fuel"])
        whole = standing("", rows)
        assert whole.first and whole.proves
        self.assertEqual((whole.n, whole.first.value, whole.proves.n), (2, 0.5, 1))
        self.assertEqual(whole.regret, 55.0)  # what was spent on a car that left unmended is lost, all of it
        self.assertIsNone(standing("air", rows[1:]).proves)

    def test_a_car_that_leaves_unmended_is_no_bargain(self) -> None:
        """It comes back, and somebody mends it then."""
        left = done(cured=False, first=False, money=7.0, best_money=400.0, minutes=5.0, best_minutes=190.0, regret=0.0)
        told = standing("fuel", [left])
        assert told.money and told.minutes
        self.assertAlmostEqual(told.money.value, 407.0 / 400.0)
        self.assertAlmostEqual(told.minutes.value, 195.0 / 190.0)
        self.assertEqual(told.regret, 7.0)
