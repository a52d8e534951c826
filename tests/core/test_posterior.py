"""The posterior against brute force in plain Python, and the properties it must have.

Noisy-or: Pearl, Probabilistic Reasoning in Intelligent Systems, 1988.
"""

import itertools
import math
import unittest
from dataclasses import replace
from random import Random

import numpy as np

from gumshoe.core.clues import OnRecord, extract
from gumshoe.core.clues.model import Clue, ClueKind
from gumshoe.core.codes import CodeState, TroubleCode
from gumshoe.core.knowledge.catalogue import Knowledge, expand
from gumshoe.core.knowledge.places import floored
from gumshoe.core.obd.snapshot import ModuleSnapshot, StoredCode
from gumshoe.core.powertrain.description import Layout, Powertrain
from gumshoe.core.suspects import assess
from gumshoe.core.suspects.likelihood import LEAST_SAY, LikelihoodModel
from gumshoe.core.suspects.posterior import Stance
from gumshoe.core.suspects.rates import priors
from gumshoe.core.suspects.weighing import Shares, softmax
from tests.core import toy

CODES = ("P0171", "P0302", "P0443", "P0420", "P0128")


def brute_force(known: Knowledge, clues: list[Clue]) -> dict[frozenset[str], float]:
    """P(S | clues) by the definition, set by set, in plain Python."""
    names = list(known.faults)
    prior = dict(zip(names, priors(known, names, None), strict=True))
    weights = {}
    for size in range(4):
        for chosen in itertools.combinations(names, size):
            weight = math.prod(odds_of(known, name, prior[name], chosen) for name in names)
            for clue in clues:
                weight *= likelihood(known, clue, chosen) ** clue.weight
            weights[frozenset(chosen)] = weight
    total = sum(weights.values())
    return {members: weight / total for members, weight in weights.items()}


def odds_of(known: Knowledge, name: str, own: float, members: tuple[str, ...]) -> float:
    """What one fault's being there, or not, weighs against nothing being wrong: by itself, or through its roots."""
    spared = math.prod(1 - chance for root, chance in known.faults[name].roots.items() if root in members)
    there = 1 - (1 - own) * spared
    return (there if name in members else 1 - there) / (1 - own)


def likelihood(known: Knowledge, clue: Clue, members: tuple[str, ...]) -> float:
    """P(clue | S) by the definition."""
    if clue.kind is ClueKind.CODE:
        absent = 1.0 - known.leaks[clue.variable]
        for name in members:
            absent *= 1.0 - known.faults[name].codes.get(clue.variable, 0.0)
        return absent if clue.value == "absent" else 1.0 - absent
    if clue.kind is ClueKind.GRADED:
        plain = floored(known.variables[clue.variable].normal)
        tables = {
            n: floored(known.faults[n].graded[clue.variable])
            for n in members
            if clue.variable in known.faults[n].graded
        }
    else:
        test = known.tests[clue.variable]
        plain = floored(test.otherwise)
        tables = {n: floored(test.given[n]) for n in members if n in test.given}
    if not tables:
        return plain[clue.value]

    def distance(table: dict[str, float]) -> float:
        return max(sum(share * math.log(share / plain[name]) for name, share in table.items()), LEAST_SAY)

    # all that claim it speak together, each the more the farther its table lies from the unclaimed one
    said = sum(distance(table) * table[clue.value] for table in tables.values())
    return said / sum(map(distance, tables.values()))


class AgainstBruteForce(unittest.TestCase):
    def test_every_marginal_and_the_best_set(self) -> None:
        for seed in range(40):
            draw = Random(seed)
            known = toy.knowledge(draw, faults=draw.randrange(4, 8))
            clues = toy.clues(draw, known)
            exact = brute_force(known, clues)
            result = assess(known, clues)
            for suspect in result.suspects:
                expected = sum(weight for members, weight in exact.items() if suspect.id in members)
                self.assertAlmostEqual(suspect.probability, expected, places=9)
            self.assertAlmostEqual(result.best_probability, max(exact.values()), places=9)
            self.assertAlmostEqual(result.nothing, exact[frozenset()], places=9)

    def test_of_absent_codes_about_the_same_thing_each_suspect_answers_for_one(self) -> None:
        """By the definition: for each suspect that one of them which it raises most often. A control unit sets one."""
        for seed in range(20):
            draw = Random(seed)
            known = toy.knowledge(draw, codes=5)
            named = sorted(known.codes)
            there = Clue(ClueKind.CODE, named[0], "present", named[0], named[0])
            gone = [Clue(ClueKind.CODE, name, "absent", name, name, about="alternator") for name in named[1:4]]
            apart = Clue(ClueKind.CODE, named[4], "absent", named[4], named[4], about="fan")
            only = {
                name: replace(row, codes={code: chance for code, chance in row.codes.items() if code not in named[2:4]})
                for name, row in known.faults.items()
            }
            for name, row in known.faults.items():
                most = max(row.codes.get(code, 0.0) for code in named[1:4])
                only[name].codes.pop(named[1], None)
                if most:
                    only[name].codes[named[1]] = most
            exact = brute_force(replace(known, faults=only), [there, gone[0], apart])
            for suspect in assess(known, [there, *gone, apart]).suspects:
                expected = sum(weight for members, weight in exact.items() if suspect.id in members)
                self.assertAlmostEqual(suspect.probability, expected, places=9)

    def test_ratio_of_a_clue_is_bayes_factor_given_those_before_it(self) -> None:
        draw = Random(3)
        known = toy.knowledge(draw)
        clues = toy.clues(draw, known)
        result = assess(known, clues)
        for place, clue in enumerate(result.clues):
            without = brute_force(known, list(result.clues[:place]))
            for suspect in result.suspects:
                inside = [(m, w) for m, w in without.items() if suspect.id in m]
                outside = [(m, w) for m, w in without.items() if suspect.id not in m]
                with_it = sum(w * likelihood(known, clue, tuple(m)) for m, w in inside) / sum(w for _, w in inside)
                no_it = sum(w * likelihood(known, clue, tuple(m)) for m, w in outside) / sum(w for _, w in outside)
                entry = next(item for item in suspect.entries if item.clue is clue)
                self.assertAlmostEqual(entry.llr, math.log(with_it / no_it), places=7)

    def test_the_ratios_of_a_suspect_lead_from_what_it_was_to_what_it_is(self) -> None:
        """Two clues that carry each other cannot both be silent: what they say adds up to the whole move."""
        for seed in range(12):
            draw = Random(seed)
            known = toy.knowledge(draw)
            for suspect in assess(known, toy.clues(draw, known)).suspects:
                before, now = (math.log(p / (1.0 - p)) for p in (suspect.prior, suspect.probability))
                self.assertAlmostEqual(before + sum(entry.llr for entry in suspect.entries), now, places=6)


class Properties(unittest.TestCase):
    def setUp(self) -> None:
        self.draw = Random(11)
        self.known = toy.knowledge(self.draw)
        self.clues = toy.clues(self.draw, self.known)

    def shares(self, clues: list[Clue], **more: object) -> dict[str, float]:
        return {item.id: item.probability for item in assess(self.known, clues, **more).suspects}  # type: ignore[arg-type]

    def test_order_of_clues_is_of_no_account(self) -> None:
        expected = self.shares(self.clues)
        for _ in range(10):
            self.draw.shuffle(self.clues)
            for name, value in self.shares(self.clues).items():
                self.assertAlmostEqual(value, expected[name], places=12)

    def test_a_copy_of_a_clue_changes_nothing(self) -> None:
        copied = [*self.clues, replace(self.clues[0], source="another scan")]
        for name, value in self.shares(copied).items():
            self.assertAlmostEqual(value, self.shares(self.clues)[name], places=12)

    def test_a_family_counts_less_than_two_independent_clues(self) -> None:
        first = next(clue for clue in self.clues if clue.kind is ClueKind.TEST)
        second = replace(self.clues[0], value="present", family="apart")
        together = [replace(first, family="same"), replace(second, family="same")]
        apart = [replace(first, family="one"), replace(second, family="two")]

        def moved(clues: list[Clue]) -> float:
            base = self.shares([])
            return sum(abs(value - base[name]) for name, value in self.shares(clues).items())

        self.assertLess(moved(together), moved(apart) + 1e-12)

    def test_doubt_pulls_towards_the_prior(self) -> None:
        clue = next(item for item in self.clues if item.kind is ClueKind.TEST)
        base, whole = self.shares([]), self.shares([clue])
        doubted = self.shares([replace(clue, weight=0.25, doubtful=True)])
        for name in base:
            low, high = sorted((base[name], whole[name]))
            self.assertTrue(low - 1e-9 <= doubted[name] <= high + 1e-9, name)

    def test_ruled_out_takes_no_part_and_own_suspect_is_lifted(self) -> None:
        shares = self.shares(self.clues, ruled_out=["f1"])
        self.assertNotIn("f1", shares)
        self.assertGreater(self.shares([], own=["f2"])["f2"], self.shares([])["f2"])

    def test_distance_raises_what_wears(self) -> None:
        worn = replace(self.known, faults=self.known.faults | {"f0": replace(self.known.faults["f0"], wear=1.5)})
        young = assess(worn, [], odometer_km=20_000).suspect("f0")
        old = assess(worn, [], odometer_km=200_000).suspect("f0")
        assert young and old
        self.assertGreater(old.probability, young.probability)

    def test_age_raises_what_ages_and_distance_alone_does_not(self) -> None:
        aged = replace(self.known, faults=self.known.faults | {"f0": replace(self.known.faults["f0"], ageing=0.8)})
        shares = {years: assess(aged, [], age_years=years).suspect("f0") for years in (2.0, 8.0, 20.0)}
        young, usual, old = (row.probability for row in shares.values() if row)
        self.assertLess(young, usual)
        self.assertLess(usual, old)
        told = assess(aged, []).suspect("f0")
        assert told
        self.assertAlmostEqual(told.probability, usual)  # a car of unknown age counts as one of the usual age

    def test_words_follow_from_the_ratio_alone(self) -> None:
        for suspect in assess(self.known, self.clues).suspects:
            for entry in suspect.entries:
                expected = (
                    Stance.SUPPORTS
                    if entry.llr > math.log(1.5)
                    else (Stance.AGAINST if entry.llr < -math.log(1.5) else Stance.SILENT)
                )
                self.assertIs(entry.stance, expected)
                self.assertIn(entry.clue.words, entry.words)


class WorkedOutOnce(unittest.TestCase):
    def test_what_is_taken_from_pairs_and_from_everybody_is_what_it_would_be_alone(self) -> None:
        """The sets of two are weighed first, and what a clue says of a suspect is worked out once for all models."""
        known = expand(Powertrain(cylinders=6, layout=Layout.V, firing_order=tuple(range(1, 7))))
        codes = tuple(StoredCode(TroubleCode(code), CodeState.CONFIRMED) for code in CODES)
        record = OnRecord(symptoms=("rough_idle",), module=ModuleSnapshot(0x7E8, codes=codes))
        found = assess(known, extract(record, known))
        assert found.model is not None and found.weights is not None
        faults, sets = found.model.faults, found.model.sets
        self.assertTrue((sets < len(faults)).all(axis=1).any(), "there are sets of three")
        plain = LikelihoodModel(known, faults, sets)
        everybody = dict(zip(known.faults, priors(known, known.faults, None), strict=True))
        prior = np.array([everybody[name] for name in faults])
        again = softmax(plain.log_prior(prior) + Shares(plain, found.clues).total)
        self.assertLess(float(np.abs(again - found.weights).max()), 1e-12)
