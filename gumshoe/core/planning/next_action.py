"""The next action of a case whose fault is not named yet: *the* test to make, or that there is enough, or that nothing
left is worth its minutes. Header, board and Suspects show this one.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.rows import TestRow
from gumshoe.core.planning.next_test import Costs, Proposal
from gumshoe.core.planning.stop import LEADS, likely_enough
from gumshoe.core.suspects.posterior import Assessment

SETTLES, SHORT_MINUTES = 0.3, 15.0
"""A test that settles this share of what is open in so few minutes is made before a guess (common practice)."""
POINTED_AT = 0.10
"""A leader below this, with the car more likely to have none of these faults, is nobody to act against."""


class Act(StrEnum):
    """What kind of action comes next."""

    TEST = "test"
    SHOW = "show"
    NAME = "name"
    GUESS = "guess"
    WATCH = "watch"


@dataclass(frozen=True)
class NextAction:
    """The action in words; ``why`` in a sentence; ``test``: the one to make; ``suspect``: whom it is about."""

    act: Act
    words: str
    why: str
    test: TestRow | None = None
    suspect: str = ""


def next_action(
    assessment: Assessment,
    knowledge: Knowledge,
    proposals: Iterable[Proposal],
    costs: Costs | None = None,
    lacks: frozenset[str] = frozenset(),
) -> NextAction:
    """What to do next. ``proposals``: the tests that can be made, in the order of the way to work; ``costs`` and
    ``lacks``: the shop's rates, and the equipment it does not have."""
    rows = list(proposals)
    leader = assessment.suspects[0]
    name = leader.row.words
    if likely_enough(assessment, leader):
        if leader.proven_by:
            return NextAction(Act.NAME, f"Name the fault: {name}", "A test has shown it.", None, leader.id)
        proof = cheapest_proof(leader.id, knowledge, rows, lacks)
        if proof is not None:
            why = "Likely enough to act on, but no test shows it yet: this one would."
            return NextAction(Act.SHOW, _made(proof), why, proof, leader.id)
        why = "Likely enough to act on, and no test is left that would show it: it stays a guess."
        return NextAction(Act.GUESS, f"Propose it as a guess: {name}", why, None, leader.id)
    first = next((item for item in rows if item.decides and item.saving > 0.0), None)
    first = first or next((item for item in rows if item.decides and (_open(assessment) or _soon_told(item))), None)
    if first is not None:
        return NextAction(Act.TEST, _made(first.test), first.test.purpose, first.test, leader.id)
    if leader.probability < POINTED_AT and assessment.nothing > leader.probability:
        return NextAction(
            Act.WATCH,
            "Record it while it happens",
            "Nothing on record points at a part, and no test on the list would change that.",
        )
    proof, money = cheapest_proof(leader.id, knowledge, rows, lacks), costs or Costs()
    if proof is not None and leader.probability >= LEADS and not leader.proven_by:
        repair = knowledge.repairs[leader.row.repair]
        if money.of_minutes(proof.minutes) < money.of_repair(repair):
            why = "Nothing tells much more about where it is; this would show it, for less than the repair costs."
            return NextAction(Act.SHOW, _made(proof), why, proof, leader.id)
    why = "No test left is worth its minutes: each costs more than it can save."
    return NextAction(Act.GUESS, f"Propose it as a guess: {name}", why, None, leader.id)


def make_again(test: TestRow, why: str, suspect: str) -> NextAction:
    """A test whose result does not fit the rest, made once more."""
    return NextAction(Act.TEST, f"Make it again: {_made(test)}", why, test, suspect)


def cheapest_proof(
    suspect: str, knowledge: Knowledge, proposals: Iterable[Proposal], lacks: frozenset[str] = frozenset()
) -> TestRow | None:
    """The shortest of the tests that can be made which shows a suspect directly; what the shop lacks the tools for only
    where nothing else does."""
    can = {item.test.id for item in proposals}
    found = [test for test in knowledge.shown_by(suspect) if test.id in can]
    return min(found, key=lambda test: (test.equipment in lacks, test.minutes), default=None)


def _open(assessment: Assessment) -> bool:
    """Whether nobody is pointed at so far, or something seen in a test does not stand yet: then what tells is worth
    making even where its minutes are not saved."""
    leader = assessment.suspects[0]
    return leader.probability < LEADS or bool(leader.proven_by)


def _soon_told(item: Proposal) -> bool:
    """Whether a short test settles a good part of it: it is made before a guess, though its minutes are not quite
    saved: a guess that comes back costs more than the sums hold."""
    return item.share >= SETTLES and item.minutes <= SHORT_MINUTES


def _made(test: TestRow) -> str:
    return f"{test.words}, {test.minutes:.0f} min"
