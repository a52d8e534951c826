"""The posterior against an independent Bayesian-network library (pyAgrum, exact inference), on random small models.

With three faults the sets of up to three are all sets, so that both must agree to rounding. Noisy-or: Pearl,
Probabilistic Reasoning in Intelligent Systems, 1988.
"""

from __future__ import annotations

import itertools
import math
import unittest
from random import Random

import pyagrum as gum

from gumshoe.core.clues.model import Clue, ClueKind
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.places import floored
from gumshoe.core.knowledge.rows import Distribution
from gumshoe.core.suspects import assess
from gumshoe.core.suspects.likelihood import LEAST_SAY
from gumshoe.core.suspects.rates import priors
from tests.core import toy


class Network:
    """The same model as a network of the library: one node a fault, one a clue."""

    def __init__(self, known: Knowledge, clues: list[Clue]) -> None:
        self.net, self.evidence = gum.BayesNet("case"), dict[str, int]()
        self.faults = list(known.faults)
        for name, chance in zip(self.faults, priors(known, self.faults, None), strict=True):
            self.net.add(gum.LabelizedVariable(name, name, ["no", "yes"]))
            self.net.cpt(name).fillWith([1.0 - float(chance), float(chance)])
        for clue in clues:
            if clue.kind is ClueKind.CODE:
                self._code(known, clue)
            elif clue.kind is ClueKind.GRADED:
                given = {n: row.graded[clue.variable] for n, row in known.faults.items() if clue.variable in row.graded}
                self._table(clue, known.variables[clue.variable].normal, given)
            else:
                test = known.tests[clue.variable]
                self._table(clue, test.otherwise, test.given)

    def _add(self, name: str, labels: list[str]) -> None:
        self.net.add(gum.LabelizedVariable(name, name, labels))
        for fault in self.faults:
            self.net.addArc(fault, name)

    def _states(self) -> itertools.product[tuple[int, ...]]:
        return itertools.product((0, 1), repeat=len(self.faults))

    def _code(self, known: Knowledge, clue: Clue) -> None:
        self._add(clue.variable, ["absent", "present"])
        for state in self._states():
            absent = 1.0 - known.leaks[clue.variable]
            for fault, held in zip(self.faults, state, strict=True):
                absent *= 1.0 - held * known.faults[fault].codes.get(clue.variable, 0.0)
            self.net.cpt(clue.variable)[dict(zip(self.faults, state, strict=True))] = [absent, 1.0 - absent]
        self.evidence[clue.variable] = 1 if clue.value == "present" else 0

    def _table(self, clue: Clue, otherwise: Distribution, given: dict[str, Distribution]) -> None:
        plain = floored(otherwise)
        bins, tables = list(plain), {name: floored(table) for name, table in given.items()}
        node = f"{clue.kind}_{clue.variable}"
        self._add(node, bins)

        def distance(table: Distribution) -> float:
            return max(sum(share * math.log(share / plain[name]) for name, share in table.items()), LEAST_SAY)

        for state in self._states():
            held = [tables[f] for f, on in zip(self.faults, state, strict=True) if on and f in tables]
            heavy = sum(map(distance, held))
            mean = {name: sum(distance(t) * t[name] for t in held) / heavy for name in bins} if held else plain
            self.net.cpt(node)[dict(zip(self.faults, state, strict=True))] = [mean[name] for name in bins]
        self.evidence[node] = bins.index(clue.value)

    def posterior(self) -> dict[str, float]:
        """P(fault | evidence) by the library's exact inference."""
        engine = gum.LazyPropagation(self.net)
        engine.setEvidence(self.evidence)
        engine.makeInference()
        return {name: float(engine.posterior(name)[1]) for name in self.faults}


class AgainstTheLibrary(unittest.TestCase):
    def test_every_marginal_on_random_models(self) -> None:
        for seed in range(40):
            draw = Random(seed)
            known = toy.knowledge(draw, faults=3, codes=4, tests=2)
            clues = toy.clues(draw, known)
            exact = Network(known, clues).posterior()
            for suspect in assess(known, clues).suspects:
                self.assertAlmostEqual(suspect.probability, exact[suspect.id], places=9, msg=f"seed {seed}")


if __name__ == "__main__":
    unittest.main()
