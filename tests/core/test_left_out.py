"""What the enumeration leaves out: counted exactly where it says so, and never more than its bound elsewhere."""

import itertools
import unittest
from math import inf
from random import Random
from unittest.mock import patch

import numpy as np

from gumshoe.core.knowledge import expanded
from gumshoe.core.suspects import assess, posterior
from gumshoe.core.suspects.likelihood import extended, fault_sets, with_any_third
from tests.core import toy
from tests.core.test_posterior import brute_force


class Sets(unittest.TestCase):
    """The sets against itertools."""

    def test_all_sets_up_to_three(self) -> None:
        for count in (0, 1, 2, 3, 7):
            made = {tuple(sorted(int(i) for i in row if i < count)) for row in fault_sets(count)}
            wanted = {c for size in range(4) for c in itertools.combinations(range(count), size)}
            self.assertEqual(made, wanted)
            self.assertEqual(len(fault_sets(count)), len(wanted))
        self.assertTrue((fault_sets(5)[0] == 5).all())

    def test_each_larger_set_once(self) -> None:
        pairs = extended(np.arange(6)[:, None], 6)
        self.assertEqual(sorted(map(tuple, pairs.tolist())), list(itertools.combinations(range(6), 2)))

    def test_a_pair_with_every_third(self) -> None:
        rows = with_any_third(np.array([[0, 1], [1, 3]]), 5)
        wanted = {tuple(sorted({*pair, k})) for pair in ((0, 1), (1, 3)) for k in range(5) if k not in pair}
        self.assertEqual({tuple(row) for row in rows.tolist()}, wanted)
        self.assertEqual(len(rows), len(wanted))


class Counted(unittest.TestCase):
    """A small circle, so that much is left out, against every set by the definition."""

    def shares(self, seed: int, paired: int, carried: int) -> tuple[float, float, float, float]:
        """(threes as told, as they are, beyond as told, as it is). A suspect that no clue speaks about is not left out:
        it multiplies every set alike."""
        draw = Random(seed)
        known = toy.knowledge(draw, faults=9, codes=5, tests=3)
        clues = toy.clues(draw, known)
        with patch.object(expanded, "UNLISTED", inf):
            exact = brute_force(known, clues)
        with (
            patch.multiple(posterior, PAIRED=paired, CARRIED_ON=carried, FIRST=9),
            patch.object(expanded, "UNLISTED", inf),  # leaks as they were drawn, large ones too
        ):
            found = assess(known, clues)
            left = found.left_out
        assert found.model is not None
        names = found.model.faults
        made = {frozenset(names[i] for i in row if i < len(names)) for row in found.model.sets.tolist()}
        spoken = {
            name
            for name, row in known.faults.items()
            for clue in clues
            if clue.value != "absent"
            and (
                clue.variable in row.codes
                or clue.variable in row.graded
                or (clue.variable in known.tests and name in known.tests[clue.variable].given)
            )
        }
        whole = sum(weight for s, weight in exact.items() if s <= set(names))
        every = sum(weight for s, weight in exact.items() if s <= set(names) | spoken)
        kept = sum(exact[s] for s in made)
        return left.threes, 1.0 - kept / whole, left.beyond, (every - whole) / kept

    def test_threes_are_counted_exactly(self) -> None:
        for seed in range(25):
            told, truth, beyond, _ = self.shares(seed, paired=9, carried=4)
            self.assertAlmostEqual(told, truth, places=9)
            self.assertEqual(beyond, 0.0)

    def test_what_lies_beyond_is_never_more_than_said(self) -> None:
        said = truth = 0.0
        for seed in range(60):
            _, _, bound, real = self.shares(seed, paired=5, carried=99)
            self.assertGreaterEqual(bound, real - 1e-9, seed)
            said, truth = said + bound, truth + real
        self.assertGreater(truth, 0.0)
        self.assertLess(said, 60 * truth)

    def test_nothing_is_left_out_of_a_small_model(self) -> None:
        draw = Random(4)
        known = toy.knowledge(draw)
        self.assertLess(assess(known, toy.clues(draw, known)).left_out.share, 1e-12)
