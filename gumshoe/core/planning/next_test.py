"""The next test: information about which repair is needed, per minute; and what it saves.

Information is mutual information (Shannon 1948) between the test's outcome and the set of repairs needed. The cost to
fix now follows the ratio rule: repairs in falling p/c, optimal for single faults with perfect repair (Heckerman,
Breese & Rommelse, Communications of the ACM 38(3), 1995).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal

import numpy as np

from gumshoe.core.clues.model import Clue, ClueKind
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.rows import RepairRow, TestRow
from gumshoe.core.knowledge.values import Origin
from gumshoe.core.suspects.likelihood import Claims, Floats, Ints, LikelihoodModel, marginals
from gumshoe.core.suspects.posterior import Assessment


@dataclass(frozen=True)
class Costs:
    """The shop's labour rate, in its currency per hour; ``proof_minutes``: clear, drive and read after each repair."""

    labour_per_hour: Decimal = Decimal("84.00")
    proof_minutes: float = 20.0

    def of_minutes(self, minutes: float) -> float:
        return float(self.labour_per_hour) * minutes / 60.0

    def of_repair(self, row: RepairRow) -> float:
        """Parts, labour, and the proof that follows every repair."""
        return float(row.parts) + self.of_minutes(row.minutes + self.proof_minutes)


@dataclass(frozen=True)
class OutcomeChance:
    """One outcome of a proposed test: its chance, and which suspect would then lead."""

    words: str
    chance: float
    leader: str
    leader_probability: float


@dataclass(frozen=True)
class Proposal:
    """A test worth considering. ``bits`` about which repair is needed; ``saving`` in the shop's currency, cost of the
    test already taken off (myopic value of information); ``decides``: whether one of its outcomes changes what would be
    done next: another repair first, or a suspect likely enough to act on, or no longer."""

    test: TestRow
    bits: float
    minutes: float
    bits_per_minute: float
    saving: float
    outcomes: tuple[OutcomeChance, ...]
    decides: bool = True
    share: float = 0.0
    """``bits`` as a share of all that is still open about the repair."""

    @property
    def tells(self) -> str:
        """How much it tells, as one says it."""
        return next(words for limit, words in TELLS if self.share >= limit)


A_LITTLE, NARROWS, SETTLES = 0.03, 0.12, 0.3
TELLS = (
    (0.6, "settles most of it"),
    (SETTLES, "settles a good part"),
    (NARROWS, "narrows it down"),
    (A_LITTLE, "tells a little"),
    (0.0, "tells next to nothing"),
)
NEGLIGIBLE = 1e-9
"""Sets less likely than this take no part in planning; ten thousand of them weigh less than 10⁻⁵ together."""


LIFTED = 1.3
"""A suspect takes part in planning when the clues have made it likelier than it was by this factor."""


OF_LEADER = 0.1
"""… and by at least this share of what they did for the leader: what the leader explains already speaks for nobody
else, and a fault that is hardly likelier than on any other car is not what the car came for."""


LIKELY = 0.01
"""A generated check is proposed for suspects at least this likely."""


ORDINARY = ("none", "normal")
"""Values of graded variables that show nothing."""


HAPPENS = 0.005
"""An outcome rarer than this decides nothing."""


MANY_PLACES, SELDOM, ELSEWHERE = 16, 0.002, "at another place"
"""Of a test that may find something at more places than this, what is found at one more rarely is reckoned with what is
found at other such places."""


ACT_ON = 0.90
"""From this probability on a suspect is likely enough to act on (``stop.ENOUGH``)."""


TELLS_BITS = 0.03
"""What tells this much brings the next test nearer, even where no single outcome changes what would be done."""


def relevant_faults(assessment: Assessment, model: LikelihoodModel) -> frozenset[str]:
    """Suspects that the clues speak for; all of them while nothing speaks for any.

    What no clue speaks for is as likely as on any other car: no test is made for its sake.
    """
    leader = assessment.suspects[0]
    least = max(LIFTED, OF_LEADER * leader.probability / max(leader.prior, 1e-12))
    found = frozenset(item.id for item in assessment.suspects if item.probability > least * item.prior)
    return found & frozenset(model.faults) or frozenset(model.faults)


def repair_groups(
    model: LikelihoodModel, kept: Ints, relevant: frozenset[str] | None = None
) -> tuple[Ints, tuple[str, ...], Ints]:
    """For the sets at ``kept``: (group of each by the repairs it needs, repair ids, repairs of each set).

    Faults that are not ``relevant`` need no repair here.
    The last is an array (sets, members) of repair indices, each repair once, filled up with the number of repairs.
    """
    counted = frozenset(model.faults) if relevant is None else relevant
    repairs = sorted({model.knowledge.faults[name].repair for name in counted})
    none = len(repairs)
    place = {name: index for index, name in enumerate(repairs)}
    of_fault = np.array(
        [place[model.knowledge.faults[name].repair] if name in counted else none for name in model.faults] + [none]
    )
    needed = np.sort(of_fault[model.sets[kept]], axis=1)
    needed[:, 1:][needed[:, 1:] == needed[:, :-1]] = none
    needed = np.sort(needed, axis=1)
    key = needed @ (none + 1) ** np.arange(needed.shape[1])
    _, group = np.unique(key, return_inverse=True)
    return group.reshape(-1), tuple(repairs), needed


def entropy_bits(chances: Floats) -> float:
    """Shannon entropy of a distribution, in bits."""
    held = chances[chances > 0.0]
    return float(-(held * np.log2(held)).sum())


def repair_order(weights: Floats, needed: Ints, cost: Floats) -> Ints:
    """Repairs by falling p/c: place → repair."""
    chance = np.bincount(needed.ravel(), np.repeat(weights, needed.shape[1]), len(cost) + 1)[:-1]
    order: Ints = np.argsort(-chance / cost, kind="stable")
    return order


def expected_fix_cost(weights: Floats, needed: Ints, cost: Floats, order: Ints | None = None) -> float:
    """Expected cost of replacing, in an order (falling p/c unless given), until every needed repair is done.

    ``weights`` P(S); ``needed`` (sets, members) repair indices, filled up with ``len(cost)``; ``cost`` by repair.
    Returns the currency of ``cost``.
    """
    if order is None:
        order = repair_order(weights, needed, cost)
    spent = np.zeros(len(cost) + 1)
    spent[order] = np.cumsum(cost[order])  # money gone when this repair is done; nothing for "no repair"
    return float(weights @ spent[needed].max(axis=1))


def propose(
    assessment: Assessment,
    knowledge: Knowledge,
    costs: Costs,
    *,
    done: Iterable[str] = (),
    known: Iterable[str] = (),
    standing: bool = False,
) -> tuple[Proposal, ...]:
    """Tests by falling bits per minute. ``done``: tests already made; ``known``: graded variables already measured;
    ``standing``: the engine does not start, so nothing is asked for that needs it running."""
    model, everything = assessment.model, assessment.weights
    if model is None or everything is None:
        return ()
    kept = np.flatnonzero(everything > NEGLIGIBLE)
    relevant = relevant_faults(assessment, model)
    likely = frozenset(item.id for item in assessment.suspects if item.id in relevant and item.probability >= LIKELY)
    group, repairs, needed = repair_groups(model, kept, relevant)
    # Sets that need the same repairs stand together: sums over them are all that bits and costs ask for.
    together = np.argsort(group, kind="stable")
    kept, needed = kept[together], needed[together]
    fresh = np.diff(group[together], prepend=-1) != 0
    begins, home = np.flatnonzero(fresh), np.cumsum(fresh) - 1
    needed = needed[begins]
    weights = everything[kept] / everything[kept].sum()
    cost = np.array([costs.of_repair(knowledge.repairs[name]) for name in repairs])
    now = np.add.reduceat(weights, begins)
    now_bits = entropy_bits(now)
    order_now = repair_order(now, needed, cost)
    now_cost = expected_fix_cost(now, needed, cost, order_now)
    columns = [np.ascontiguousarray(column) for column in model.sets[kept].T]
    usual = marginals(columns, weights, len(model.faults))
    acts_now = bool(usual.max(initial=0.0) >= ACT_ON)
    skip, have = set(done), set(known)
    shown = stands_out(assessment.clues)
    strangers = _strangers(knowledge, likely, skip)
    proposals = []
    for test in knowledge.tests.values():
        if standing and test.runs:
            continue
        if test.id in skip or {test.measures, test.told_by} & have or not _concerns(test, likely, shown):
            continue
        if test.checks in strangers:
            continue
        kind, variable = (ClueKind.GRADED, test.measures) if test.measures else (ClueKind.TEST, test.id)
        claims = seldom_as_one(test, model.claims(kind, variable), usual)
        # Only where a suspect claims the test does its outcome differ from what it mostly is: the rest is one sum.
        rows, said = claims.claimed(columns)
        more = weights.take(rows)[:, None] * (said - claims.plain)
        places, members = home.take(rows), [column.take(rows) for column in columns]
        words = _outcome_words(test, knowledge)
        left_bits = left_cost = 0.0
        outcomes = []
        decides = False
        for index, name in enumerate(claims.bins):
            share = claims.plain[index] * now + np.bincount(places, more[:, index], len(now))
            share = np.maximum(share, 0.0)
            chance = float(share.sum())
            after = share / chance
            left_bits += chance * entropy_bits(after)
            # Nobody has to follow a result: with several faults the ratio rule can be led astray, and then the order
            # from before the test still stands. So a free test never costs.
            left_cost += chance * min(
                expected_fix_cost(after, needed, cost), expected_fix_cost(after, needed, cost, order_now)
            )
            marginal = claims.plain[index] * usual + marginals(members, more[:, index], len(model.faults))
            lead = int(np.argmax(marginal))
            if chance > HAPPENS:
                first = repair_order(after, needed, cost)
                acts = bool(marginal[lead] / chance >= ACT_ON)
                decides |= bool(first.size and first[0] != order_now[0]) or acts != acts_now
            outcomes.append(
                OutcomeChance(words.get(name, name), chance, model.faults[lead], float(marginal[lead]) / chance)
            )
        bits = max(now_bits - left_bits, 0.0)
        decides |= bits >= TELLS_BITS
        saving = now_cost - left_cost - costs.of_minutes(test.minutes)
        outcomes.sort(key=lambda item: -item.chance)
        proposals.append(
            Proposal(
                test,
                bits,
                test.minutes,
                bits / test.minutes,
                saving,
                tuple(outcomes),
                decides,
                bits / max(now_bits, 1e-9),
            )
        )
    proposals.sort(key=lambda item: (-item.bits_per_minute, item.test.id))
    return tuple(proposals)


def seldom_as_one(test: TestRow, claims: Claims, usual: Floats) -> Claims:
    """The claims of a test with all that is found at one place and hardly ever reckoned as one: a gap may be at any of
    fifty plugs. ``usual``: how likely each suspect is."""
    placed = {item.id for item in test.outcomes if item.place}
    if len(placed) <= MANY_PLACES:
        return claims
    chance = claims.plain + usual @ (claims.tables[:-1] - claims.plain)
    seldom = np.array([name in placed for name in claims.bins]) & (chance < SELDOM)
    return claims.merged(seldom, ELSEWHERE) if seldom.any() else claims


def stands_out(clues: Iterable[Clue]) -> frozenset[str]:
    """The graded variables that have shown something out of the ordinary."""
    return frozenset(clue.variable for clue in clues if clue.kind is ClueKind.GRADED and clue.value not in ORDINARY)


def _strangers(knowledge: Knowledge, likely: frozenset[str], done: set[str]) -> frozenset[str]:
    """Parts that are not in question themselves, only a point they share with those that are: the point is looked at
    where it is, by a check of its own, and not at a part that nothing on record speaks of."""
    own = {knowledge.faults[name].component for name in likely}
    asked = [point for fault, point in knowledge.points_by_fault.items() if fault in likely]
    checked = {test.checks for test in knowledge.tests.values() if test.checks and test.id not in done}
    return frozenset(
        member.id for point in asked if point.id in checked for member in point.members if member.id not in own
    )


def _concerns(test: TestRow, likely: frozenset[str], shown: frozenset[str]) -> bool:
    """Whether the test is worth a line: those of the library wherever what they presuppose was seen, a generated check
    for a likely suspect only."""
    if not shown.issuperset(test.once):
        return False
    return test.origin is Origin.TABLE or not likely.isdisjoint(test.given)


def _outcome_words(test: TestRow, knowledge: Knowledge) -> dict[str, str]:
    if test.measures:
        return {item.id: item.words for item in knowledge.variables[test.measures].bins}
    return {item.id: item.words for item in test.outcomes}
