"""The next test and the cost to fix. Ratio rule: Heckerman, Breese & Rommelse, CACM 38(3), 1995."""

import itertools
import math
import unittest
from dataclasses import replace
from random import Random

import numpy as np

from gumshoe.core.clues.model import Clue, ClueKind
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.planning import (
    Costs,
    Standing,
    Strategy,
    best_step,
    expected_fix_cost,
    in_order_of,
    outlooks,
    propose,
    standing,
    worth_of,
)
from gumshoe.core.planning.next_test import entropy_bits, relevant_faults
from gumshoe.core.suspects import Assessment, assess
from tests.core import toy


class RatioRule(unittest.TestCase):
    def test_no_order_is_cheaper_for_single_faults(self) -> None:
        draw = Random(5)
        for _ in range(14):
            size = draw.randrange(2, 8)
            chances = np.array([draw.random() for _ in range(size)])
            chances /= chances.sum()
            cost = np.array([draw.uniform(5.0, 400.0) for _ in range(size)])
            best = min(
                sum(chances[repair] * sum(cost[list(order[: place + 1])]) for place, repair in enumerate(order))
                for order in itertools.permutations(range(size))
            )
            self.assertAlmostEqual(expected_fix_cost(chances, np.arange(size)[:, None], cost), best, places=9)

    def test_two_needed_repairs_cost_until_the_later(self) -> None:
        cost = np.array([10.0, 90.0])
        self.assertAlmostEqual(expected_fix_cost(np.array([1.0]), np.array([[0, 1]]), cost), 100.0)
        self.assertEqual(expected_fix_cost(np.array([1.0]), np.array([[2, 2]]), cost), 0.0)


class Information(unittest.TestCase):
    def test_entropy_of_known_distributions(self) -> None:
        # Shannon 1948: a fair coin is one bit, eight equal cases three, certainty none.
        self.assertAlmostEqual(entropy_bits(np.array([0.5, 0.5])), 1.0)
        self.assertAlmostEqual(entropy_bits(np.full(8, 0.125)), 3.0)
        self.assertEqual(entropy_bits(np.array([1.0, 0.0])), 0.0)

    def test_bits_and_savings_never_negative_for_a_free_test(self) -> None:
        for seed in range(30):
            draw = Random(seed)
            known = toy.knowledge(draw)
            free = replace(known, tests={n: replace(t, minutes=1e-9) for n, t in known.tests.items()})
            clues = [clue for clue in toy.clues(draw, free) if clue.kind is not ClueKind.TEST]
            for item in propose(assess(free, clues), free, Costs()):
                self.assertGreaterEqual(item.bits, 0.0)
                self.assertGreaterEqual(item.saving, -1e-6)
                self.assertAlmostEqual(sum(outcome.chance for outcome in item.outcomes), 1.0, places=9)

    def test_a_perfect_test_tells_the_whole_entropy(self) -> None:
        known = toy.knowledge(Random(2), faults=4, codes=0, tests=0)
        sure = toy.TestRow(
            "sure",
            "sure",
            "",
            "",
            10.0,
            0,
            (),
            (),
            (),
            outcomes=(toy.OutcomeRow("yes", "yes", ""), toy.OutcomeRow("no", "no", "")),
            otherwise={"yes": 0.0, "no": 1.0},
            given={"f0": {"yes": 1.0, "no": 0.0}},
        )
        known = replace(known, tests={"sure": sure})
        result = assess(known, [], max_size=1)
        chance = result.suspect("f0").probability  # type: ignore[union-attr]
        entropy = -chance * math.log2(chance) - (1 - chance) * math.log2(1 - chance)
        # Floors keep any test from being quite perfect: within two per cent.
        self.assertAlmostEqual(propose(result, known, Costs())[0].bits, entropy, delta=0.02)

    def test_made_tests_and_known_variables_are_not_proposed(self) -> None:
        known = toy.knowledge(Random(1))
        proposed = [item.test.id for item in propose(assess(known, []), known, Costs(), done=["t0"])]
        self.assertEqual(proposed, ["t1"])


class Stop(unittest.TestCase):
    def setUp(self) -> None:
        known = toy.knowledge(Random(4), faults=4, codes=1, tests=0)
        shown = toy.TestRow(
            "look",
            "look",
            "",
            "",
            5.0,
            0,
            (),
            (),
            (),
            outcomes=(toy.OutcomeRow("seen", "seen", "", ("f0",)), toy.OutcomeRow("not", "not", "")),
            otherwise={"seen": 0.001, "not": 0.999},
            given={"f0": {"seen": 0.95, "not": 0.05}},
        )
        self.known = replace(known, tests={"look": shown})
        self.seen = Clue(ClueKind.TEST, "look", "seen", "look: seen", "look")

    def test_a_direct_test_and_enough_probability_make_a_verdict(self) -> None:
        judged = standing(assess(self.known, [self.seen]), "f0")
        self.assertIs(judged.standing, Standing.PROVEN)
        self.assertFalse(judged.guess)

    def test_without_a_direct_test_it_is_a_guess(self) -> None:
        for clues in ([], [replace(self.seen, value="not")], [replace(self.seen, doubtful=True, weight=0.25)]):
            self.assertTrue(standing(assess(self.known, clues), "f0").guess)
        self.assertTrue(standing(assess(self.known, []), "nobody").guess)


class WaysToWork(unittest.TestCase):
    def setUp(self) -> None:
        self.draw = Random(21)

    def case(self) -> tuple[Assessment, Knowledge]:
        known = toy.knowledge(self.draw, faults=5, tests=4)
        clues = [clue for clue in toy.clues(self.draw, known) if clue.kind is not ClueKind.TEST]
        return assess(known, clues), known

    def test_fix_first_costs_what_the_ratio_rule_says_for_single_faults(self) -> None:
        """With one fault at a time the order by falling p/c, kept up, is the static ratio order (Smith 1956)."""
        for _ in range(10):
            known = toy.knowledge(self.draw, faults=5, tests=0)
            found = assess(known, toy.clues(self.draw, known), max_size=1)
            names = [item.id for item in found.suspects]
            repairs = sorted({known.faults[name].repair for name in names})
            cost = np.array([Costs().of_repair(known.repairs[r]) for r in repairs])
            relevant = relevant_faults(found, found.model)  # type: ignore[arg-type]
            chance = np.zeros(len(repairs))
            for item in found.suspects:
                if item.id in relevant:
                    chance[repairs.index(item.row.repair)] += item.probability
            if chance.sum() <= 0.0:
                continue
            exact = expected_fix_cost(chance / chance.sum(), np.arange(len(repairs))[:, None], cost)
            way = next(item for item in outlooks(found, known, Costs()) if item.strategy is Strategy.FREQUENT)
            self.assertAlmostEqual(way.money, exact, delta=0.02 * exact + 1e-6)

    def test_figures_are_sane_and_steps_are_real(self) -> None:
        for _ in range(10):
            found, known = self.case()
            for way in outlooks(found, known, Costs()):
                self.assertTrue(0.0 <= way.good_part <= 1.0 + 1e-9)
                self.assertTrue(0.0 <= way.followed <= 1.0 + 1e-9)
                self.assertGreater(way.minutes, 0.0)
                self.assertTrue(1 <= len(way.first) <= 3)
                for step in way.first:
                    self.assertIn(step.id, known.tests if step.kind == "test" else known.repairs)

    def test_testing_pays_where_repairs_are_dear(self) -> None:
        cheap, dear = 0, 0
        for _ in range(12):
            found, known = self.case()
            telling, _, frequent = outlooks(found, known, Costs())
            cheap += telling.money
            dear += frequent.money
        self.assertLess(cheap, dear)

    def test_the_best_step_is_no_dearer_than_any_way_to_work(self) -> None:
        """A rollout is at least as good as what it rolls out (Bertsekas, Tsitsiklis & Wu 1997)."""
        others = 0
        for _ in range(12):
            found, known = self.case()
            step = best_step(found, known, Costs())
            assert step
            own = worth_of(step, found, known, Costs())
            assert own
            self.assertEqual((own.money, own.better), (0.0, None))
            for way in outlooks(found, known, Costs()):
                begun = worth_of(way.first[0], found, known, Costs())
                assert begun
                self.assertGreaterEqual(begun.money, 0.0)
                self.assertEqual(begun.better is None, way.first[0].id == step.id)
            others += step.id not in {way.first[0].id for way in outlooks(found, known, Costs())}
        self.assertGreater(others, 0)  # a test that none of them would begin with can be the best to begin with

    def test_made_tests_are_not_made_again(self) -> None:
        found, known = self.case()
        for way in outlooks(found, known, Costs(), done=list(known.tests)):
            self.assertTrue(all(step.kind == "repair" for step in way.first))

    def test_quick_looks_come_by_minutes(self) -> None:
        found, known = self.case()
        rows = in_order_of(Strategy.QUICK, propose(found, known, Costs()))
        quick = [r.minutes for r in rows if r.test.invasive == 0 and r.bits >= 0.03 and r.minutes <= 10]
        self.assertEqual(quick, sorted(quick))
        self.assertEqual({row.test.id for row in rows}, set(known.tests))
