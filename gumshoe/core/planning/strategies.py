"""Three ways to work, followed through to the end of the case in thought: what each costs, and what it would do first.

- *most telling per minute*: the test with the most bits about the needed repair per minute, while it saves more than it
  costs; then the likeliest repair per cost, and before it the test that shows its fault where that costs less.
- *quick looks first*: the shortest test that takes nothing apart and can change the order; then as above.
- *most frequent fix first*: replace by falling p/c and see; optimal for single faults with perfect repair (Heckerman,
  Breese & Rommelse, Communications of the ACM 38(3), 1995; Smith's ratio rule).

Each is followed over the posterior by branching on every outcome; branches rarer than SMALL are closed by the ratio
rule. Repairs are taken to cure what they are aimed at, and the complaint to show whether a fault is left.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gumshoe.core.clues.model import ClueKind
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.rows import TestRow
from gumshoe.core.planning.next_test import (
    Costs,
    Proposal,
    entropy_bits,
    expected_fix_cost,
    relevant_faults,
    repair_groups,
    seldom_as_one,
    stands_out,
)
from gumshoe.core.planning.stop import LEADS
from gumshoe.core.suspects.likelihood import Floats, Ints
from gumshoe.core.suspects.posterior import Assessment

KEPT_SETS = 220
KEPT_TESTS = 24
SMALL = 0.004
CAN_CHANGE_BITS = 0.03
QUICK_MINUTES = 10.0
MAX_STEPS = 14
LOOKED_AT = 5
"""So many of the most telling tests are asked whether they save more than they cost."""
FIRST_STEPS = 3


class Strategy(StrEnum):
    """A way to work."""

    TELLING = "most telling per minute"
    QUICK = "quick looks first"
    FREQUENT = "most frequent fix first"


@dataclass(frozen=True)
class Step:
    """One step: a test or a repair, with its minutes and money."""

    kind: str
    id: str
    words: str
    minutes: float
    money: float


@dataclass(frozen=True)
class Outlook:
    """What following a strategy would take, on average over the posterior.

    ``minutes`` of work, ``money`` for labour and parts, ``good_part``: chance that a part is renewed that was good.
    ``first``: the first steps if all goes the likeliest way. ``followed``: share of the posterior followed to its
    end; the rest was closed by the ratio rule.
    """

    strategy: Strategy
    minutes: float
    money: float
    good_part: float
    first: tuple[Step, ...]
    followed: float


@dataclass
class _Totals:
    minutes: float = 0.0
    money: float = 0.0
    good_part: float = 0.0
    closed: float = 0.0


class _Table:
    """The posterior and the tests as arrays: everything a step needs, computed once."""

    def __init__(
        self, assessment: Assessment, knowledge: Knowledge, costs: Costs, skip: frozenset[str], keep: str = ""
    ) -> None:
        """``skip``: tests that are not made any more; ``keep``: one that stays whatever it tells."""
        model, everything = assessment.model, assessment.weights
        if model is None or everything is None:
            raise ValueError("this assessment carries no model")
        relevant = relevant_faults(assessment, model)
        order = np.argsort(-everything, kind="stable")[: KEPT_SETS * 3]
        group, repairs, needed = repair_groups(model, order, relevant)
        kept = np.flatnonzero((needed < len(repairs)).any(axis=1))[:KEPT_SETS]
        self.needed: Ints = needed[kept]
        one_hot = np.zeros((len(kept), len(repairs) + 1), dtype=bool)
        one_hot[np.arange(len(kept))[:, None], self.needed] = True
        self.needs: NDArray[np.bool_] = one_hot[:, :-1]
        weights = everything[order][kept]
        self.weights: Floats = weights / weights.sum() if weights.sum() > 0.0 else weights
        self.repairs = [knowledge.repairs[name] for name in repairs]
        self.repair_minutes = np.array([row.minutes + costs.proof_minutes for row in self.repairs], dtype=np.float64)
        self.repair_money = np.array([costs.of_repair(row) for row in self.repairs])
        self.has_part = np.array([float(row.parts) > 0.0 for row in self.repairs])
        shown, sets, usual = stands_out(assessment.clues), model.sets[order][kept], model.marginals(everything)
        self.tests: list[TestRow] = []
        self.outcomes: list[Floats] = []
        for test in knowledge.tests.values():
            touches = (test.measures or not relevant.isdisjoint(test.given)) and shown.issuperset(test.once)
            if test.id in skip or (test.measures and test.measures in skip) or not touches:
                continue
            kind, variable = (ClueKind.GRADED, test.measures) if test.measures else (ClueKind.TEST, test.id)
            self.tests.append(test)
            self.outcomes.append(seldom_as_one(test, model.claims(kind, variable), usual).per_set(sets))
        self.test_money = np.array([costs.of_minutes(test.minutes) for test in self.tests])
        _, self.group = np.unique(group[kept], return_inverse=True)
        self.groups = int(self.group.max()) + 1 if len(self.group) else 0
        self._join()
        self.shows: dict[int, frozenset[str]] = {}
        for item in assessment.suspects:
            repair = item.row.repair
            if repair in repairs and not item.proven_by:
                place, shown_by = repairs.index(repair), {test.id for test in knowledge.shown_by(item.id)}
                self.shows[place] = self.shows.get(place, frozenset()) | shown_by
        self._shorten(keep)

    def _shorten(self, keep: str) -> None:
        """Keep the tests that tell most at the beginning: what says nothing now seldom says much later."""
        if not self.tests:
            return
        worth = self.per_minute(self.weights)
        leads = np.flatnonzero(self.weights @ self.needs >= LEADS / 2.0)
        proofs = {index for place in leads for index in self.proofs_of(int(place))}
        kept = {index for index, test in enumerate(self.tests) if test.id == keep}
        best = sorted({*np.argsort(-worth, kind="stable")[:KEPT_TESTS].tolist(), *proofs, *kept})
        self.tests = [self.tests[index] for index in best]
        self.outcomes = [self.outcomes[index] for index in best]
        self.test_money = self.test_money[best]
        self._join()

    def proofs_of(self, repair: int) -> list[int]:
        """The tests that show a fault which this repair mends, shortest first; none for one shown already."""
        shown_by = self.shows.get(repair, frozenset())
        found = [index for index, test in enumerate(self.tests) if test.id in shown_by]
        return sorted(found, key=lambda index: self.tests[index].minutes)

    def _join(self) -> None:
        """The outcomes of all tests side by side, and where each test begins."""
        sizes = [table.shape[1] for table in self.outcomes]
        self._side_by_side = np.hstack(self.outcomes) if sizes else np.zeros((len(self.weights), 0))
        self._begins = np.cumsum([0, *sizes[:-1]]) if sizes else np.zeros(0, dtype=np.int64)
        self._of_group = (self.group[None, :] == np.arange(self.groups)[:, None]).astype(np.float64)

    def bits(self, weights: Floats) -> Floats:
        """Information of every test about the needed repairs, under these (normalised) weights."""
        if not self.tests:
            return np.zeros(0)
        now = entropy_bits(np.bincount(self.group, weights, self.groups).astype(np.float64))
        joint = self._of_group @ (weights[:, None] * self._side_by_side)
        chance = joint.sum(axis=0)
        # Σ p·H(group | outcome) = −Σ joint·log(joint / chance), outcome by outcome
        ratio = np.divide(joint, chance, out=np.ones_like(joint), where=joint > 0.0)
        left = -(joint * np.log2(ratio)).sum(axis=0)
        told: Floats = np.maximum(now - np.add.reduceat(left, self._begins), 0.0)
        return told

    def per_minute(self, weights: Floats) -> Floats:
        """The same by the minute."""
        return self.bits(weights) / np.array([test.minutes for test in self.tests], dtype=np.float64)

    def order(self, weights: Floats, done: frozenset[int]) -> list[int]:
        """Repairs left by falling p/c."""
        ratio = (weights @ self.needs) / np.maximum(self.repair_money, 1.0)
        return [int(index) for index in np.argsort(-ratio, kind="stable") if int(index) not in done]

    def fix_now(self, weights: Floats, done: frozenset[int]) -> float:
        """Money until everything needed is repaired, by the ratio rule, under normalised weights."""
        order = np.array(self.order(weights, done), dtype=np.int64)
        return expected_fix_cost(weights, self.needed, self.repair_money, order)

    def saving(self, weights: Floats, test: int, done: frozenset[int]) -> float:
        """Money a test saves, its own cost taken off (myopic value of information)."""
        joint = weights[:, None] * self.outcomes[test]
        chance = joint.sum(axis=0)
        now, after = self.fix_now(weights, done), 0.0
        for o in range(joint.shape[1]):
            if chance[o] > 0.0:
                after += float(chance[o]) * self.fix_now(joint[:, o] / chance[o], done)
        return now - after - float(self.test_money[test])


def _table(
    assessment: Assessment, knowledge: Knowledge, costs: Costs, skip: frozenset[str], keep: str = ""
) -> _Table | None:
    """The table of an assessment; None where no suspect needs a repair."""
    if assessment.model is None or assessment.weights is None:
        return None
    table = _Table(assessment, knowledge, costs, skip, keep)
    return table if len(table.weights) and table.weights.sum() > 0.0 and table.repairs else None


def is_quick_look(test: TestRow) -> bool:
    """A look that takes nothing apart and is soon made."""
    return test.invasive == 0 and test.minutes <= QUICK_MINUTES


Choice = tuple[str, int]
Policy = Callable[["_Table", Floats, frozenset[int], frozenset[int]], Choice]


def _fix(table: _Table, weights: Floats, done: frozenset[int]) -> Choice:
    return "repair", table.order(weights, done)[0]


def _shown_first(table: _Table, weights: Floats, done: frozenset[int], made: frozenset[int]) -> Choice:
    """The next repair, and before it the test that shows its fault where one leads and showing it is the cheaper."""
    kind, repair = _fix(table, weights, done)
    proofs = table.proofs_of(repair)
    leads = float(weights @ table.needs[:, repair]) >= LEADS
    if proofs and leads and made.isdisjoint(proofs) and table.test_money[proofs[0]] < table.repair_money[repair]:
        return "test", proofs[0]
    return kind, repair


def _most_telling(table: _Table, weights: Floats, made: frozenset[int]) -> list[int]:
    """The tests not made that tell most per minute; none that tells nothing."""
    worth = table.per_minute(weights)
    ranked = [int(index) for index in np.argsort(-worth, kind="stable") if int(index) not in made]
    return [index for index in ranked[:LOOKED_AT] if worth[index] > 0.0]


def _telling(table: _Table, weights: Floats, done: frozenset[int], made: frozenset[int]) -> Choice:
    for index in _most_telling(table, weights, made):
        if table.saving(weights, index, done) > 0.0:
            return "test", index
    return _shown_first(table, weights, done, made)


def _quick(table: _Table, weights: Floats, done: frozenset[int], made: frozenset[int]) -> Choice:
    looks = sorted(
        (test.minutes, index) for index, test in enumerate(table.tests) if index not in made and is_quick_look(test)
    )
    bits = table.bits(weights) if looks else ()
    for _, index in looks:
        if bits[index] >= CAN_CHANGE_BITS:
            return "test", index
    return _shown_first(table, weights, done, made)


def _frequent(table: _Table, weights: Floats, done: frozenset[int], made: frozenset[int]) -> Choice:
    return _fix(table, weights, done)


_POLICIES: dict[Strategy, Policy] = {
    Strategy.TELLING: _telling,
    Strategy.QUICK: _quick,
    Strategy.FREQUENT: _frequent,
}


def in_order_of(strategy: Strategy, proposals: Iterable[Proposal]) -> tuple[Proposal, ...]:
    """Proposed tests in the order a way to work would take them (they come by bits per minute)."""
    rows = tuple(proposals)
    if strategy is not Strategy.QUICK:
        return rows

    def slow(item: Proposal) -> bool:
        return not is_quick_look(item.test) or item.bits < CAN_CHANGE_BITS

    return tuple(sorted(rows, key=lambda item: (slow(item), item.minutes if not slow(item) else 0.0)))


def what_is_here(proposals: Iterable[Proposal], lacking: Iterable[str]) -> tuple[Proposal, ...]:
    """The same proposals, those last that need what this shop has not."""
    missing = frozenset(lacking)
    return tuple(sorted(proposals, key=lambda item: item.test.equipment in missing))


def outlooks(
    assessment: Assessment, knowledge: Knowledge, costs: Costs, *, done: Iterable[str] = (), known: Iterable[str] = ()
) -> tuple[Outlook, ...]:
    """Every strategy followed to the end. ``done``: tests already made; ``known``: graded variables already measured.

    Empty when no suspect needs a repair.
    """
    table = _table(assessment, knowledge, costs, frozenset(done) | frozenset(known))
    return tuple(_follow(table, strategy) for strategy in Strategy) if table else ()


def best_step(
    assessment: Assessment, knowledge: Knowledge, costs: Costs, *, done: Iterable[str] = (), known: Iterable[str] = ()
) -> Step | None:
    """The step from which the case ends cheapest on average, when it is followed from there by the way to work that
    then costs least: never dearer than any of the ways (a rollout; Bertsekas, Tsitsiklis & Wu, Journal of Heuristics 3,
    1997). None where no suspect needs a repair."""
    table = _table(assessment, knowledge, costs, frozenset(done) | frozenset(known))
    return _step(table, _best(table)[1]) if table else None


@dataclass(frozen=True)
class Worth:
    """What one step leads to against the best first one, each followed to the end by the way to work that then costs
    least: ``minutes`` and ``money`` that it costs more on average (never less than nothing), the ``bits`` it could
    tell, and the ``better`` step, None where it is that one itself."""

    minutes: float
    money: float
    bits: float
    better: Step | None


def worth_of(
    step: Step, assessment: Assessment, knowledge: Knowledge, costs: Costs, *, known: Iterable[str] = ()
) -> Worth | None:
    """The worth of a step somebody took. One that tells nothing costs what it took. ``known``: tests made already and
    graded variables measured. None where no suspect needs a repair."""
    table = _table(assessment, knowledge, costs, frozenset(known) - {step.id}, step.id)
    if table is None:
        return None
    best, choice = _best(table)
    first = _step(table, choice)
    better = None if (first.kind, first.id) == (step.kind, step.id) else first
    rows: list[Any] = table.tests if step.kind == "test" else table.repairs
    places = [index for index, row in enumerate(rows) if row.id == step.id]
    if not places:
        return Worth(step.minutes, step.money, 0.0, better)
    after = _cheapest(table, (step.kind, places[0]))
    bits = float(table.bits(table.weights)[places[0]]) if step.kind == "test" else 0.0
    return Worth(max(after.minutes - best.minutes, 0.0), max(after.money - best.money, 0.0), bits, better)


def _best(table: _Table) -> tuple[_Totals, Choice]:
    """The best first step, and what the case then takes. Tried are what the ways to work would begin with, and the
    tests that tell most per minute."""
    nothing = frozenset[int]()
    firsts = {way(table, table.weights, nothing, nothing) for way in _POLICIES.values()}
    firsts |= {("test", index) for index in _most_telling(table, table.weights, nothing)}
    tried = [(_cheapest(table, first), first) for first in sorted(firsts)]
    return min(tried, key=lambda row: (row[0].money, row[0].minutes))


def _cheapest(table: _Table, first: Choice) -> _Totals:
    """What the case takes with this step before anything, by the way to work that then costs least."""

    def begun_by(way: Policy) -> Policy:
        def policy(table: _Table, weights: Floats, done: frozenset[int], made: frozenset[int]) -> Choice:
            return first if not done and not made else way(table, weights, done, made)

        return policy

    return min((_totals(table, begun_by(way)) for way in _POLICIES.values()), key=lambda totals: totals.money)


def _totals(table: _Table, policy: Policy) -> _Totals:
    totals, spoiled = _Totals(), np.zeros(len(table.weights), dtype=bool)
    _branch(table, policy, table.weights, frozenset(), frozenset(), spoiled, totals, 0)
    return totals


def _follow(table: _Table, strategy: Strategy) -> Outlook:
    policy = _POLICIES[strategy]
    totals = _totals(table, policy)
    first = _first_steps(table, policy)
    return Outlook(strategy, totals.minutes, totals.money, totals.good_part, first, 1.0 - totals.closed)


def _branch(
    table: _Table,
    policy: Policy,
    weights: Floats,
    done: frozenset[int],
    made: frozenset[int],
    spoiled: NDArray[np.bool_],
    totals: _Totals,
    depth: int,
) -> None:
    """Follow one branch. ``weights`` carry its probability; ``spoiled``: sets for which a good part was renewed."""
    mass = float(weights.sum())
    if mass <= 0.0:
        return
    left = frozenset(range(len(table.repairs))) - done
    if mass < SMALL or depth >= MAX_STEPS or not left:
        _close(table, weights, done, spoiled, totals)
        return
    kind, index = policy(table, weights / mass, done, made)
    if kind == "test":
        totals.minutes += mass * table.tests[index].minutes
        totals.money += mass * float(table.test_money[index])
        for o in range(table.outcomes[index].shape[1]):
            after = weights * table.outcomes[index][:, o]
            _branch(table, policy, after, done, made | {index}, spoiled, totals, depth + 1)
        return
    totals.minutes += mass * float(table.repair_minutes[index])
    totals.money += mass * float(table.repair_money[index])
    spoiled = spoiled | (~table.needs[:, index] & table.has_part[index])
    now = done | {index}
    unmet = table.needs[:, [repair for repair in range(len(table.repairs)) if repair not in now]].any(axis=1)
    totals.good_part += float(weights[~unmet & spoiled].sum())
    _branch(table, policy, np.where(unmet, weights, 0.0), now, made, spoiled, totals, depth + 1)


def _close(table: _Table, weights: Floats, done: frozenset[int], spoiled: NDArray[np.bool_], totals: _Totals) -> None:
    """End a rare branch with repairs in the order of the ratio rule."""
    mass = float(weights.sum())
    order = table.order(weights / mass, done)
    if order:
        needed = table.needs[:, order]
        last = np.where(needed, np.arange(1, len(order) + 1), 0).max(axis=1)
        minutes = np.concatenate([[0.0], np.cumsum(table.repair_minutes[order])])
        money = np.concatenate([[0.0], np.cumsum(table.repair_money[order])])
        totals.minutes += float(weights @ minutes[last])
        totals.money += float(weights @ money[last])
        tried = np.arange(1, len(order) + 1)[None, :] <= last[:, None]
        spoiled = spoiled | (tried & ~needed & table.has_part[order][None, :]).any(axis=1)
    totals.good_part += float(weights[spoiled].sum())
    totals.closed += mass


def _step(table: _Table, choice: Choice) -> Step:
    """A choice as a step."""
    kind, index = choice
    if kind == "test":
        test = table.tests[index]
        return Step(kind, test.id, test.words, test.minutes, float(table.test_money[index]))
    row = table.repairs[index]
    return Step(kind, row.id, row.words, row.minutes, float(table.repair_money[index]))


def _first_steps(table: _Table, policy: Policy) -> tuple[Step, ...]:
    """The steps if every test ends in its likeliest way and no repair suffices before the last shown."""
    weights, done, made, steps = table.weights, frozenset[int](), frozenset[int](), list[Step]()
    while len(steps) < FIRST_STEPS and weights.sum() > 0.0 and len(done) < len(table.repairs):
        weights = weights / weights.sum()
        kind, index = policy(table, weights, done, made)
        steps.append(_step(table, (kind, index)))
        if kind == "test":
            made = made | {index}
            joint = weights[:, None] * table.outcomes[index]
            weights = joint[:, int(joint.sum(axis=0).argmax())]
            continue
        done = done | {index}
        left = [repair for repair in range(len(table.repairs)) if repair not in done]
        weights = np.where(table.needs[:, left].any(axis=1), weights, 0.0)
    return tuple(steps)
