"""Root causes against brute force, and on shipped powertrains (links: common practice, no source)."""

import unittest
from dataclasses import replace
from random import Random

from gumshoe.core.clues import OnRecord, TestOutcome, extract
from gumshoe.core.codes import CodeState
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.presets import describe
from gumshoe.core.obd.snapshot import ModuleSnapshot, StoredCode
from gumshoe.core.suspects import assess
from gumshoe.core.suspects.roots import root_causes
from tests.core import toy
from tests.core.test_posterior import brute_force


class AgainstBruteForce(unittest.TestCase):
    def test_the_fault_comes_by_itself_or_through_a_root(self) -> None:
        """P(f | roots) = 1 − (1 − π)·Π (1 − s), set by set by the definition (``test_posterior.odds_of``)."""
        for seed in range(12):
            draw = Random(seed)
            known = toy.knowledge(draw, faults=6)
            links = {"f1": 0.4, "f2": 0.15}
            known = replace(known, faults=known.faults | {"f0": replace(known.faults["f0"], roots=links)})
            clues = toy.clues(draw, known)
            found = assess(known, clues)
            weights = {members: weight for members, weight in brute_force(known, clues).items() if "f0" in members}
            total = sum(weights.values())
            for root in root_causes(found, known, "f0"):
                wanted = sum(weight for members, weight in weights.items() if root.id in members) / total
                self.assertAlmostEqual(root.probability, wanted, places=9)

    def test_a_link_makes_a_root_likelier_than_chance(self) -> None:
        known = toy.knowledge(Random(3), codes=0, tests=0)
        known = replace(known, faults=known.faults | {"f0": replace(known.faults["f0"], roots={"f1": 0.5})})
        found = assess(known, [])
        (root,) = root_causes(found, known, "f0")
        self.assertGreater(root.probability, found.suspect("f1").probability)  # type: ignore[union-attr]
        self.assertEqual(root_causes(found, known, "f2"), ())
        self.assertEqual(root_causes(found, known, "nobody"), ())


class OnAnEngine(unittest.TestCase):
    def setUp(self) -> None:
        self.known = expand(describe({"layout": "V", "cylinders": 6, "phasers": "both"}))

    def found(self, *symptoms: str, tests: tuple[tuple[str, str], ...] = ()) -> float:
        module = ModuleSnapshot(0x7E8, codes=(StoredCode("P0011", CodeState.CONFIRMED),))
        told = OnRecord(symptoms=symptoms, module=module, tests=tuple(TestOutcome(t, o, t, "1") for t, o in tests))
        result = assess(self.known, extract(told, self.known))
        roots = root_causes(result, self.known, "intake_phaser_sticks")
        return next(root.probability for root in roots if root.id == "oil_low_or_old")

    def test_overdue_oil_is_asked_behind_a_sticking_phaser(self) -> None:
        plain, told = self.found(), self.found("oil_overdue")
        self.assertGreater(plain, 0.02)
        self.assertGreater(told, 1.5 * plain)

    def test_the_shortest_test_settles_it(self) -> None:
        result = assess(self.known, [])
        (root,) = root_causes(result, self.known, "exhaust_phaser_sticks_b2")
        assert root.settled_by
        self.assertEqual(root.settled_by.id, "look_oil")
        good, bad = (self.found(tests=(("look_oil", outcome),)) for outcome in ("good", "bad"))
        self.assertGreater(bad, 5.0 * good)

    def test_roots_stay_in_their_bank_and_cylinder(self) -> None:
        self.assertIn("plug_bad_2", self.known.faults["coil_breakdown_2"].roots)
        self.assertNotIn("plug_bad_3", self.known.faults["coil_breakdown_2"].roots)
        first = self.known.faults["catalyst_worn"].roots
        second = self.known.faults["catalyst_worn_b2"].roots
        coils = {name for name in first if name.startswith("coil")}
        self.assertEqual(len(coils), 3)
        self.assertFalse(coils & set(second))
