"""How far is far enough: against scipy.stats, closed forms and limits.

Gamma–Poisson: Gelman et al., *Bayesian Data Analysis* (predictive distribution: negative binomial; Lomax for the
waiting time) [published]. Rule of three: Hanley and Lippman-Hand 1983, *JAMA* 249, 1743–1745 [published, from memory].
"""

import math
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy import integrate, stats

from gumshoe.core.errors import BadInput
from gumshoe.core.proof.exposure import (
    ENOUGH,
    RULE_OF_THREE,
    Recurrences,
    Unit,
    believed,
    clean_wanted,
    curve,
    deferred,
)
from gumshoe.core.words import plain

TIMES = st.integers(min_value=0, max_value=60)
OVER = st.floats(min_value=1.0, max_value=200_000.0)
DRIVEN = st.floats(min_value=0.0, max_value=400_000.0)
BELIEF = st.floats(min_value=0.02, max_value=0.9)


class AgainstScipy(unittest.TestCase):
    @given(TIMES, OVER, DRIVEN)
    def test_quiet_is_the_negative_binomials_zero_term(self, times: int, over: float, driven: float) -> None:
        before = Recurrences(times, over)
        expected = stats.nbinom.pmf(0, times + 0.5, over / (over + driven))
        self.assertAlmostEqual(before.quiet(driven), float(expected), places=9)

    @given(TIMES, OVER, DRIVEN)
    def test_waiting_for_the_next_is_lomax(self, times: int, over: float, driven: float) -> None:
        before = Recurrences(times, over)
        expected = stats.lomax.cdf(driven, times + 0.5, scale=over)
        self.assertAlmostEqual(before.returns_within(driven), float(expected), places=9)
        for chance in (0.1, 0.5, 0.9):
            wanted = stats.lomax.ppf(chance, times + 0.5, scale=over)
            self.assertTrue(math.isclose(before.exposure_for(chance), float(wanted), rel_tol=1e-9))

    def test_quiet_is_the_integral_over_the_rate(self) -> None:
        for times, over, driven in ((0, 1000.0, 500.0), (3, 9000.0, 4000.0), (12, 40_000.0, 1500.0)):
            rate = stats.gamma(times + 0.5, scale=1.0 / over)

            def quiet(x: float, rate: object = rate, driven: float = driven) -> float:
                return float(rate.pdf(x) * math.exp(-x * driven))  # type: ignore[attr-defined]

            expected, _ = integrate.quad(quiet, 0.0, float(rate.ppf(1 - 1e-12)), limit=400)
            self.assertAlmostEqual(Recurrences(times, over).quiet(driven), expected, places=4)

    def test_jeffreys_rate(self) -> None:
        """The mean of Γ(r + ½, T)."""
        self.assertAlmostEqual(Recurrences(4, 8000.0).rate, float(stats.gamma(4.5, scale=1 / 8000.0).mean()))

    def test_simulated_cars_agree(self) -> None:
        random = np.random.default_rng(7)
        before = Recurrences(3, 9000.0)
        rates = random.gamma(before.shape, 1.0 / before.over, 200_000)
        clean = (random.poisson(rates * 5000.0) == 0).mean()
        self.assertAlmostEqual(before.quiet(5000.0), float(clean), delta=0.005)


class Limits(unittest.TestCase):
    def test_a_well_known_rate_tends_to_the_exponential(self) -> None:
        rate = 1.0 / 2500.0
        for driven in (500.0, 2500.0, 10_000.0):
            well_known = Recurrences(40_000, 40_000 / rate)
            self.assertAlmostEqual(well_known.quiet(driven), math.exp(-rate * driven), places=3)

    def test_rule_of_three(self) -> None:
        """With nothing but the rate, 95 % need three mean distances: the unrepaired car is quiet with 5 % there."""
        self.assertAlmostEqual(RULE_OF_THREE, 3.0, delta=0.005)
        well_known = Recurrences(100_000, 100_000 * 2500.0)
        self.assertAlmostEqual(well_known.quiet(3.0 * 2500.0), 0.05, delta=0.0005)
        # Even odds before: the clean distance wanted for 95 % is ln 19 mean distances (closed form).
        self.assertAlmostEqual(clean_wanted(0.5, well_known) / 2500.0, math.log(19.0), delta=0.001)


class Belief(unittest.TestCase):
    @given(BELIEF, TIMES, OVER)
    def test_what_is_wanted_is_where_the_curve_reaches_it(self, prior: float, times: int, over: float) -> None:
        before = Recurrences(times, over)
        wanted = clean_wanted(prior, before)
        self.assertAlmostEqual(believed(prior, before, wanted), ENOUGH, places=6)

    @given(BELIEF, TIMES, OVER, DRIVEN, DRIVEN)
    def test_never_falls_with_distance(self, prior: float, times: int, over: float, a: float, b: float) -> None:
        before = Recurrences(times, over)
        low, high = sorted((a, b))
        self.assertLessEqual(believed(prior, before, low), believed(prior, before, high) + 1e-12)

    def test_bayes_by_hand(self) -> None:
        # 2 times over 6000 km, 3000 km clean: (6000/9000)^2.5 = 0.36289; 0.7/(0.7+0.3·0.36289) = 0.8654
        self.assertAlmostEqual(believed(0.7, Recurrences(2, 6000.0), 3000.0), 0.8654, places=4)
        self.assertEqual(believed(0.0, Recurrences(2, 6000.0), 1e9), 0.0)
        self.assertEqual(clean_wanted(0.0, Recurrences(2, 6000.0)), math.inf)
        self.assertEqual(clean_wanted(0.97, Recurrences(2, 6000.0)), 0.0)

    def test_the_curve_has_the_present_point(self) -> None:
        found = curve(0.6, Recurrences(3, 9000.0), 2000.0)
        self.assertEqual(found.points[0], (0.0, 0.6))
        self.assertGreater(found.points[-1][0], found.wanted)
        self.assertFalse(found.enough)
        self.assertAlmostEqual(found.left, found.wanted - 2000.0)
        self.assertTrue(curve(0.6, Recurrences(3, 9000.0), found.wanted + 1.0).enough)


class Deferring(unittest.TestCase):
    def test_the_odds_are_told(self) -> None:
        odds = deferred(Recurrences(3, 9000.0))
        self.assertAlmostEqual(odds.chances[0][1], 1 - (9000 / 10_000) ** 3.5)
        self.assertAlmostEqual(odds.half, 9000.0 * (2 ** (1 / 3.5) - 1))
        self.assertIn("3 times over 9,000 km", plain(odds.words))
        self.assertIn("Half of such cars", plain(odds.words))
        self.assertIn("trips", deferred(Recurrences(1, 40.0, Unit.TRIPS)).words)

    def test_what_cannot_be_is_refused(self) -> None:
        for times, over in ((-1, 10.0), (2, 0.0), (2, math.inf), (2, -5.0)):
            with self.assertRaises(BadInput):
                Recurrences(times, over)
        with self.assertRaises(BadInput):
            Recurrences(2, 10.0).exposure_for(1.0)
        with self.assertRaises(BadInput):
            believed(1.5, Recurrences(2, 10.0), 5.0)
