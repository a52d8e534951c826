"""The next action of a case whose fault is not named yet: *the* test to make, or that there is enough, or that nothing
left is worth its minutes. Header, board and Suspects show this one.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from gumshoe.core.clues import ClueKind
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.rows import TestRow
from gumshoe.core.knowledge.values import Origin
from gumshoe.core.planning.next_test import A_LITTLE, NARROWS, SETTLES, TELLS_BITS, Costs, Proposal
from gumshoe.core.planning.stop import LEADS, likely_enough
from gumshoe.core.suspects.conflict import rests_on
from gumshoe.core.suspects.posterior import Assessment, Suspect

SHORT_MINUTES = 15.0
"""A test that settles a good part of what is open in so few minutes is made before a guess (common practice)."""
TENTH_OF_A_QUESTION = 0.1
"""In bits: where hardly anything is open any more, a large share of it is next to nothing."""
CONFIRM_SHARE, MOSTLY, TELLS_APART = 0.25, 0.5, 5.0
"""A second reading is asked for where it costs at most this share of the repair; a test speaks of a suspect when it
mostly finds with it what is so many times rarer without (common practice: measure twice, renew once)."""
ON_ONE_READING = "So far it rests on one reading: a second one beside it costs little against the repair."
POINTED_AT = 0.10
"""A leader below this, with the car more likely to have none of these faults, is nobody to act against."""
IN_VAIN = 12
"""After so many tests that pointed at nobody only what narrows it down is worth another: what is sound at a standing
car is looked for while it happens (common practice)."""


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
    leader = foremost(assessment)
    name = leader.row.words
    if likely_enough(assessment, leader):
        if leader.proven_by:
            second = confirmation(assessment, knowledge, rows, costs or Costs(), lacks)
            if second is not None:
                return NextAction(Act.SHOW, _made(second), ON_ONE_READING, second, leader.id)
            return NextAction(Act.NAME, f"Name the fault: {name}", "A test has shown it.", None, leader.id)
        proof = cheapest_proof(leader.id, knowledge, rows, lacks)
        if proof is not None:
            why = "Likely enough to act on, but no test shows it yet: this one would."
            return NextAction(Act.SHOW, _made(proof), why, proof, leader.id)
        other = _asks_again(assessment, leader, knowledge, rows, costs or Costs(), lacks)
        if other is not None:
            why = "Likely enough to act on, though the test that would have shown it did not: another look first."
            return NextAction(Act.SHOW, _made(other), why, other, leader.id)
        why = "Likely enough to act on, and no test is left that would show it: it stays a guess."
        return NextAction(Act.GUESS, f"Propose it as a guess: {name}", why, None, leader.id)
    showing = _showing(assessment, knowledge, rows, costs or Costs(), lacks)
    nobody = not somebody_pointed_at(assessment)
    made = sum(clue.kind is ClueKind.TEST for clue in assessment.clues)
    least = NARROWS if nobody and made >= IN_VAIN else A_LITTLE
    telling = [item for item in rows if item.decides and item.share >= least]
    first = next((item for item in telling if item.saving > 0.0), None)
    first = first or next((item for item in telling if _narrows(assessment, item) or _soon_told(item)), None)
    if showing is not None and (first is None or rows.index(showing) < rows.index(first)):
        why = "Nothing tells much more about where it is; this would show it, for less than the repair costs."
        return NextAction(Act.SHOW, _made(showing.test), why, showing.test, leader.id)
    if first is not None:
        return NextAction(Act.TEST, _made(first.test), first.test.purpose, first.test, leader.id)
    if nobody:
        return NextAction(
            Act.WATCH,
            "Record it while it happens",
            "Nothing on record points at a part, and no test on the list would change that.",
        )
    why = "No test left is worth its minutes: each costs more than it can save."
    if leader.proven_by and leader.probability < LEADS:
        why = "It was seen, and may be nothing: put it right and see whether the complaint comes back."
    return NextAction(Act.GUESS, f"Propose it as a guess: {name}", why, None, leader.id)


def somebody_pointed_at(assessment: Assessment) -> bool:
    """Whether anything on record points at a part: else nothing is repaired."""
    leader = foremost(assessment)
    return leader.probability >= POINTED_AT or assessment.nothing <= leader.probability or bool(leader.proven_by)


def foremost(assessment: Assessment) -> Suspect:
    """The likeliest suspect against whom something can still be done: not one whose repair was made without help,
    unless a test has shown it since. With two faults in a car the complaint stays when one of them is mended."""
    made = {clue.variable for clue in assessment.clues if clue.kind is ClueKind.REPAIR}
    left = (item for item in assessment.suspects if item.row.repair not in made or item.proven_by)
    found = next(left, assessment.suspects[0])
    return found if found.probability >= POINTED_AT else assessment.suspects[0]


def make_again(test: TestRow, why: str, suspect: str) -> NextAction:
    """A test whose result does not fit the rest, made once more."""
    return NextAction(Act.TEST, f"Make it again: {_made(test)}", why, test, suspect)


def look_first(test: TestRow, danger: str, suspect: str) -> NextAction:
    """What is looked at before the engine turns for any other test."""
    return NextAction(
        Act.TEST, _made(test), f"First, before the engine turns for another test. {danger}.", test, suspect
    )


def cheapest_proof(
    suspect: str, knowledge: Knowledge, proposals: Iterable[Proposal], lacks: frozenset[str] = frozenset()
) -> TestRow | None:
    """The shortest of the tests that can be made which shows a suspect directly; what the shop lacks the tools for only
    where nothing else does."""
    can = {item.test.id for item in proposals}
    found = [test for test in knowledge.shown_by(suspect) if test.id in can]
    return min(found, key=lambda test: (test.equipment in lacks, test.minutes), default=None)


def _asks_again(
    assessment: Assessment,
    leader: Suspect,
    knowledge: Knowledge,
    proposals: list[Proposal],
    costs: Costs,
    lacks: frozenset[str],
) -> TestRow | None:
    """The shortest other test that speaks of a leader whose own test did not show it: nothing that was measured good is
    mended while something is left to measure for less than the repair. None where no test of its own was made."""
    made = {clue.result[0] for clue in assessment.clues if clue.result is not None}
    if not made & {test.id for test in knowledge.shown_by(leader.id)}:
        return None
    return _another_look(leader, proposals, costs, costs.of_repair(knowledge.repairs[leader.row.repair]), lacks)


def _another_look(
    suspect: Suspect, proposals: Iterable[Proposal], costs: Costs, most: float, lacks: frozenset[str]
) -> TestRow | None:
    """The shortest test that speaks of a suspect and costs at most so much."""
    told = [
        item.test
        for item in proposals
        if item.test.equipment not in lacks
        and costs.of_minutes(item.test.minutes) <= most
        and _speaks_of(suspect.id, item.test)
    ]
    return min(told, key=lambda test: test.minutes, default=None)


def _showing(
    assessment: Assessment, knowledge: Knowledge, rows: list[Proposal], costs: Costs, lacks: frozenset[str]
) -> Proposal | None:
    """The test that would show a suspect who leads and was not shown yet, for less than the repair costs."""
    leader = foremost(assessment)
    proof = cheapest_proof(leader.id, knowledge, rows, lacks)
    if proof is None or leader.probability < LEADS or leader.proven_by:
        return None
    if costs.of_minutes(proof.minutes) >= costs.of_repair(knowledge.repairs[leader.row.repair]):
        return None
    return next(item for item in rows if item.test.id == proof.id)


def confirmation(
    assessment: Assessment,
    knowledge: Knowledge,
    proposals: Iterable[Proposal],
    costs: Costs,
    lacks: frozenset[str] = frozenset(),
) -> TestRow | None:
    """The shortest test that can stand beside the one reading on which the case against the leader rests; None where
    more than that speaks for it, where the repair is as cheap as another look, or where no test would tell."""
    leader = foremost(assessment)
    one = rests_on(assessment, leader)
    if one is None or one.result is None or not can_deceive(knowledge.tests[one.result[0]]):
        return None
    most = CONFIRM_SHARE * costs.of_repair(knowledge.repairs[leader.row.repair])
    return _another_look(leader, proposals, costs, most, lacks)


def can_deceive(test: TestRow) -> bool:
    """Whether a test is a single reading that may have been misread: a number, a swap, what an engine does. What is
    plainly seen is not, and a circuit check is a whole row of readings."""
    if test.origin is Origin.GENERATED:
        return False
    told = any(reading.kind == "number" for reading in test.readings)
    return told or test.swaps or test.cranks or test.runs or "road" in test.needs


def _speaks_of(suspect: str, test: TestRow) -> bool:
    """Whether a test would mostly find with this suspect what it hardly finds without."""
    table = test.given.get(suspect)
    return table is not None and any(
        p >= MOSTLY and p >= TELLS_APART * test.otherwise[name] for name, p in table.items()
    )


def _narrows(assessment: Assessment, item: Proposal) -> bool:
    """Whether nobody is pointed at so far, or something seen in a test does not stand yet, and this tells enough of it
    for its minutes: then it is worth making even where they are not saved. Of many tests that each tell next to nothing
    there would be no end."""
    leader = foremost(assessment)
    still_open = leader.probability < LEADS or bool(leader.proven_by)
    least = (A_LITTLE, TELLS_BITS) if item.minutes <= SHORT_MINUTES else (NARROWS, TENTH_OF_A_QUESTION)
    return still_open and item.share >= least[0] and item.bits >= least[1]


def _soon_told(item: Proposal) -> bool:
    """Whether a short test settles a good part of it: it is made before a guess, though its minutes are not quite
    saved: a guess that comes back costs more than the sums hold."""
    return item.share >= SETTLES and item.minutes <= SHORT_MINUTES


def _made(test: TestRow) -> str:
    return f"{test.words}, {test.minutes:.0f} min"
