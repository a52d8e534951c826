"""How likely a clue is, for every set of faults at once.

Binary clues: noisy-or, P(absent | S) = (1 − leak) · Π (1 − p) over S (Pearl, Probabilistic Reasoning in Intelligent
Systems, 1988). Graded clues and tests: a table per fault; in a set all that claim it speak together, each the more the
farther (Kullback–Leibler) its table lies from the unclaimed one. Misfires: ``misfires.py``.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from copy import copy
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from gumshoe.core.clues.misfire_seen import MisfireSeen
from gumshoe.core.clues.model import Clue, ClueKind, Presence
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.places import floored
from gumshoe.core.knowledge.values import Distribution
from gumshoe.core.suspects.misfires import log_seen

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Counting = dict[str, Floats]
"""How much an absent code counts against each suspect (the last: none), by code; in full where it is not held."""

MAX_SIZE = 3
ITS_OWN, TOGETHER = 0.2, 1.5
"""A code is a shared point's own from this chance on; all its absent codes count as so many (common practice)."""
GUESSED = 0.5
"""Where no diagram is known, what hangs on a point is a guess: once circuits of two unlike parts on it are told of, the
silence of one of another kind counts so much against it (common practice). What is in one plug is no guess."""
LEAST_SAY = 1e-6
"""Whoever claims a clue has at least so much to say about it, even where it says what is said anyway."""
SUREST_LINK = 0.95
"""A root cause has its effect at most so often."""
P_OTHER_STAYS = 0.4
"""Chance that a second fault keeps the complaint alive after the first was cured (common practice)."""
P_REPAIR_BAD = 0.05
"""Chance that a repair aimed at the right fault still did not cure it: bad part, bad fitting (common practice)."""


@lru_cache(maxsize=64)
def fault_sets(count: int, max_size: int = MAX_SIZE) -> Ints:
    """All sets of up to ``max_size`` of ``count`` faults, as an array (sets, MAX_SIZE) of indices.

    Missing members are ``count`` (one past the end), so that padded arrays can be indexed directly. Row 0 is the empty
    set; smaller sets stand before larger ones.
    """
    rows = [np.full((1, MAX_SIZE), count, dtype=np.int64)]
    held = np.arange(count, dtype=np.int64)[:, None]
    for size in range(1, min(max_size, MAX_SIZE) + 1):
        if size > 1:
            held = extended(held, count)
        padding = np.full((len(held), MAX_SIZE - size), count, dtype=np.int64)
        rows.append(np.hstack([held, padding]))
    return np.vstack(rows)


def extended(sets: Ints, count: int) -> Ints:
    """Every set with one more member, of a higher index than those it has: each larger set once."""
    last = sets[:, -1]
    times = count - 1 - last
    starts = np.repeat(np.cumsum(times) - times, times)
    more = np.arange(int(times.sum())) - starts + np.repeat(last, times) + 1
    return np.hstack([np.repeat(sets, times, axis=0), more[:, None]])


def with_any_third(pairs: Ints, count: int) -> Ints:
    """Every set of three that holds one of these pairs (rows of two indices), each once, members in rising order."""
    thirds = np.arange(count, dtype=np.int64)
    both = np.repeat(pairs, count, axis=0)
    rows = np.sort(np.hstack([both, np.tile(thirds, len(pairs))[:, None]]), axis=1)
    rows = rows[(rows[:, 0] < rows[:, 1]) & (rows[:, 1] < rows[:, 2])]
    keys = (rows[:, 0] * count + rows[:, 1]) * count + rows[:, 2]
    _, first = np.unique(keys, return_index=True)
    return rows[first]


def marginals(columns: Iterable[Ints], weights: Floats, count: int) -> Floats:
    """The weight of the sets that hold each fault. ``columns``: the members of the sets, one array a place."""
    total: Floats = np.zeros(count + 1)
    for column in columns:
        total += np.bincount(column, weights, count + 1)
    return total[:-1]


class Claims:
    """A graded variable or test: the unclaimed distribution and one table for each fault that claims it."""

    def __init__(self, faults: tuple[str, ...], otherwise: Distribution, given: Mapping[str, Distribution]) -> None:
        self.bins = tuple(otherwise)
        base = floored(otherwise)
        plain = np.array([base[name] for name in self.bins])
        tables = np.tile(plain, (len(faults) + 1, 1))
        strength = np.zeros(len(faults) + 1)
        claimants = [index for index, fault in enumerate(faults) if fault in given]
        if claimants:
            floor = [floored(given[faults[index]]) for index in claimants]
            told = np.array([[table[name] for name in self.bins] for table in floor])
            tables[claimants] = told
            strength[claimants] = np.maximum((told * np.log(told / plain)).sum(axis=1), LEAST_SAY)
        self.tables, self.strength, self.plain = tables, strength, plain
        self.weighed = tables * strength[:, None]

    def merged(self, seldom: NDArray[np.bool_], name: str) -> Claims:
        """The same with some of its bins reckoned as one, of that name, the last. Who has how much to say stays."""
        found = copy(self)
        found.bins = (*(bin for bin, out in zip(self.bins, seldom, strict=True) if not out), name)
        found.tables, found.plain, found.weighed = (
            np.concatenate([array[..., ~seldom], array[..., seldom].sum(axis=-1, keepdims=True)], axis=-1)
            for array in (self.tables, self.plain, self.weighed)
        )
        return found

    def per_set(self, sets: Ints) -> Floats:
        """P(bin | S): array (sets, bins): the mean of its claimants' tables, weighed by how much they have to say."""
        found = np.tile(self.plain, (len(sets), 1))
        rows, said = self.claimed(tuple(sets.T))
        found[rows] = said
        return found

    def claimed(self, columns: Sequence[Ints]) -> tuple[Ints, Floats]:
        """The sets in which somebody claims it, and P(bin | S) of those (rows, bins); the others have the unclaimed
        distribution. ``columns``: the members of the sets, one array a place."""
        total = np.zeros(len(columns[0]))
        for column in columns:
            total += self.strength.take(column)
        rows = np.flatnonzero(total)
        said = np.zeros((len(rows), len(self.bins)))
        for column in columns:
            said += self.weighed.take(column.take(rows), axis=0)
        said /= total.take(rows)[:, None]
        return rows, said


class LikelihoodModel:
    """The fault model of one powertrain in the order of ``faults``, over ``sets`` of them (all up to MAX_SIZE unless
    given; row 0 is the empty set); answers likelihoods per set. ``within``: the model of everybody, which has worked
    out already what each clue says of them."""

    def __init__(
        self,
        knowledge: Knowledge,
        faults: tuple[str, ...],
        sets: Ints | None = None,
        within: LikelihoodModel | None = None,
    ) -> None:
        self.knowledge, self.faults = knowledge, faults
        self.sets = fault_sets(len(faults)) if sets is None else sets
        self._columns = tuple(np.ascontiguousarray(column) for column in self.sets.T)
        self._place = {name: index for index, name in enumerate(faults)}
        self._claims: dict[tuple[ClueKind, str], Claims] = {}
        self._per_set: dict[tuple[ClueKind, str, str], Floats] = {}
        self._misfires: dict[MisfireSeen, Floats] = {}
        self._silent: dict[tuple[ClueKind, str], Floats] = {}
        self._within = within
        if within is not None:
            self._among = np.array([*(within._place[name] for name in faults), len(within.faults)], dtype=np.int64)

    def log_likelihood(self, clue: Clue, counting: Counting | None = None) -> Floats:
        """log P(clue | S) for every set, not yet weighted. ``counting``: of the absences."""
        if clue.kind in (ClueKind.CODE, ClueKind.SYMPTOM):
            return self._binary(clue, counting)
        if clue.kind is ClueKind.REPAIR:
            cured = [
                fault in self.knowledge.faults and self.knowledge.faults[fault].repair == clue.variable
                for fault in self.faults
            ]
            hit = np.append(np.array(cured, dtype=bool), False)[self.sets]
            # The complaint stayed: some fault must be left over, or the repair went wrong.
            others = (self.sets < len(self.faults)) & ~hit
            stays = np.where(others.any(axis=1), P_OTHER_STAYS, P_REPAIR_BAD)
            return np.where(hit.any(axis=1), np.log(stays), 0.0)
        if clue.seen is not None:
            return self._misfire(clue.seen) - (self._misfire(clue.given) if clue.given else 0.0)
        return np.log(self.chance(clue.kind, clue.variable, clue.value))

    def _misfire(self, seen: MisfireSeen) -> Floats:
        if seen not in self._misfires:
            takers = self.knowledge.takers[seen.lacks]  # the others leave the cylinder what was looked for
            laws = (self.knowledge.faults[name].misfire if name in takers else None for name in self.faults)
            self._misfires[seen] = log_seen(seen, self.knowledge.misfires_unclaimed, laws, self.sets)
        return self._misfires[seen]

    def chance(self, kind: ClueKind, variable: str, value: str) -> Floats:
        """P(value | S), array (sets,), of a graded variable or a test; kept for reuse."""
        key = (kind, variable, value)
        if key not in self._per_set:
            claims = self.claims(kind, variable)
            others = np.array([name != value for name in claims.bins])
            self._per_set[key] = claims.merged(others, "").per_set(self.sets)[:, 0]
        return self._per_set[key]

    def claims(self, kind: ClueKind, variable: str) -> Claims:
        """The tables behind a graded variable or a test."""
        key = (kind, variable)
        if key not in self._claims:
            if kind is ClueKind.TEST:
                test = self.knowledge.tests[variable]
                self._claims[key] = Claims(self.faults, test.otherwise, test.given)
            else:
                given = {
                    fault: row.graded[variable]
                    for fault, row in self.knowledge.faults.items()
                    if variable in row.graded
                }
                self._claims[key] = Claims(self.faults, self.knowledge.variables[variable].normal, given)
        return self._claims[key]

    def log_prior(self, prior: Floats) -> Floats:
        """log of the prior over each set (unnormalised): Π π/(1−π), but for a fault that roots in the set bring about.

        P(f | roots) = 1 − (1 − π)·Π (1 − s) over its roots in the set (a noisy-or with the fault's own rate as its
        leak: Pearl 1988): root and effect do not compete for what both explain, each makes the other likelier.
        """
        odds = np.append(np.log(prior) - np.log1p(-prior), 0.0)
        total: Floats = odds[self.sets].sum(axis=1)
        for place, rows, has, spared in self._rooted:
            own = float(prior[place])
            brought = np.log(1.0 - (1.0 - own) * np.exp(spared)) - math.log(own)
            total[rows] += np.where(has, brought, spared)
        return total

    @cached_property
    def _rooted(self) -> tuple[tuple[int, Ints, NDArray[np.bool_], Floats], ...]:
        """For every fault with roots among these: its index, the sets that hold one of its roots, which of them hold
        the fault itself, and log Π (1 − s) over the roots there."""
        found = []
        for place, name in enumerate(self.faults):
            links = {root: s for root, s in self.knowledge.faults[name].roots.items() if root in self._place}
            if not links:
                continue
            spared: Floats = np.zeros(len(self.sets))
            for root, chance in links.items():
                spared[self.holding(root)] += math.log1p(-min(chance, SUREST_LINK))
            rows = np.flatnonzero(spared)
            found.append((place, rows, self.holding(name)[rows], spared[rows]))
        return tuple(found)

    def holding(self, fault: str) -> NDArray[np.bool_]:
        """Which sets hold a fault."""
        found: NDArray[np.bool_] = (self.sets == self._place[fault]).any(axis=1)
        return found

    def marginals(self, weights: Floats) -> Floats:
        """The weight of the sets that hold each fault: array (faults)."""
        return marginals(self._columns, weights, len(self.faults))

    def told_at_once(self, present: Iterable[str]) -> Floats:
        """How much an absent code counts against each suspect (the last: none): in full, but for a shared point none of
        whose codes is there. Its circuits are told all together or not at all, so their absences are one finding."""
        shown = frozenset(present)
        counts = np.ones(len(self.faults) + 1)
        for index, name in enumerate(self.faults):
            row = self.knowledge.faults[name]
            if row.members and not any(row.codes.get(code, 0.0) >= ITS_OWN for code in shown):
                counts[index] = min(1.0, TOGETHER / len(row.members))
        return counts

    def counting(self, present: Iterable[str], absent: Iterable[Clue]) -> Counting:
        """How much each of these absences counts, beside these codes: as ``told_at_once`` says, and of several codes
        about the same thing, for each suspect the one that it raises most often. A control unit sets one of them."""
        shown, found = frozenset(present), Counting()
        at_once, kinds = self.told_at_once(shown), self._kinds(shown)
        unlike = at_once * np.array([*(GUESSED if self._guessed(name, kinds) else 1.0 for name in self.faults), 1.0])
        about: dict[str, list[tuple[Clue, Floats]]] = {}
        for clue in absent:
            found[clue.variable] = unlike if kinds.isdisjoint(self._kinds((clue.variable,))) else at_once
            if clue.about:
                about.setdefault(clue.about, []).append((clue, clue.weight * self._silence(clue)[0]))
        for rows in (rows for rows in about.values() if len(rows) > 1):
            strongest = np.argmin(np.array([own for _, own in rows]), axis=0)
            for index, (clue, _) in enumerate(rows):
                found[clue.variable] = np.where(strongest == index, found[clue.variable], 0.0)
        return found

    def _kinds(self, codes: Iterable[str]) -> frozenset[str]:
        """The kinds of the parts that these codes are about."""
        known = self.knowledge
        return frozenset(known.components[name].row.id for code in codes for name in known.components_of(code))

    def _guessed(self, fault: str, told: frozenset[str]) -> bool:
        """Whether it is a shared point of which only usual wiring says what hangs on it, and parts of two kinds on it
        are told of."""
        point = self.knowledge.points_by_fault.get(fault)
        if point is None or point.from_platform or point.field == "plug":
            return False
        return len({member.row.id for member in point.members} & told) > 1

    def absence(self, clues: Iterable[Clue], counting: Counting | None = None) -> Floats:
        """log P(all of these codes or symptoms absent | S), weighted: one sum per fault, since it factorises."""
        silent, always = np.zeros(len(self.faults) + 1), 0.0
        for clue in clues:
            own, leak = self._silence(clue)
            silent += clue.weight * own * (counting.get(clue.variable, 1.0) if counting else 1.0)
            always += clue.weight * leak
        return self._over_sets(silent, always)

    def _silence(self, clue: Clue) -> tuple[Floats, float]:
        """log of the chance to stay silent: of every fault (none last), and of the leak with any known cause."""
        if clue.kind is ClueKind.CODE:
            leak = self.knowledge.leaks[clue.variable]
        else:
            row = self.knowledge.symptoms[clue.variable]
            leak = self.knowledge.complaints[clue.variable] if clue.brought else row.leak
        # a known cause is one more arm of the noisy-or, present in every set
        return self.silent(clue.kind, clue.variable), math.log1p(-leak) + math.log1p(-clue.explained)

    def silent(self, kind: ClueKind, variable: str) -> Floats:
        """log of the chance of every fault (none last) not to raise a code or symptom; kept for reuse."""
        found = self._silent.get((kind, variable))
        if found is None:
            found = (
                self._within.silent(kind, variable).take(self._among) if self._within else self._quiet(kind, variable)
            )
            self._silent[kind, variable] = found
        return found

    def _quiet(self, kind: ClueKind, variable: str) -> Floats:
        links = (self.knowledge.by_code if kind is ClueKind.CODE else self.knowledge.by_symptom).get(variable, {})
        found = np.zeros(len(self.faults) + 1)
        for fault, chance in links.items():
            if fault in self._place:
                found[self._place[fault]] = math.log1p(-chance)
        return found

    def _over_sets(self, per_fault: Floats, always: float) -> Floats:
        total: Floats = np.full(len(self.sets), always)
        for column in self._columns:
            total += per_fault.take(column)
        return total

    def _binary(self, clue: Clue, counting: Counting | None = None) -> Floats:
        own, always = self._silence(clue)
        if clue.value == Presence.ABSENT:
            return self._over_sets(own * (counting.get(clue.variable, 1.0) if counting else 1.0), always)
        log_absent = self._over_sets(own, always)
        return np.log(-np.expm1(log_absent))
