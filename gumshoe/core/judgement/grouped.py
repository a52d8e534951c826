"""The tests that can still be made, by what can still be decided: what the Bench shows."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from gumshoe.core.judgement.judged import Judged
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.rows import TestRow
from gumshoe.core.knowledge.systems import system_of
from gumshoe.core.planning import Proposal


@dataclass(frozen=True)
class Group:
    """Tests that belong together on the Bench, in words; ``folded``: not what one looks for first."""

    words: str
    tests: tuple[Proposal, ...]
    folded: bool = False


ELSEWHERE = "Other"


def grouped(found: Judged) -> list[Group]:
    """The tests that can still be made: those that show the leader, those that tell suspects apart, the rest by
    system."""
    knowledge, leader = found.grounds.knowledge, found.leader.id
    shows = {test.id for test in knowledge.shown_by(leader)}
    ordered = {item.test.id: item for item in (*found.proposals, *found.every_test)}
    showing = tuple(item for item in ordered.values() if item.test.id in shows)
    apart = tuple(item for item in found.proposals if item.test.id not in shows)
    rest: dict[str, list[Proposal]] = {}
    for item in found.every_test:
        if item.test.id not in shows and item not in apart:
            rest.setdefault(_system_words(knowledge, item.test), []).append(item)
    groups = [Group("Can show the leader", showing), Group("Tells suspects apart", apart)]
    groups += [Group(words, tuple(rows), folded=True) for words, rows in sorted(rest.items(), key=_last_elsewhere)]
    return [group for group in groups if group.tests]


def unordered(found: Judged) -> Group:
    """The same by name alone, for whoever is to choose themselves: nothing tells what a test would decide."""
    return Group("Every test, by name", tuple(sorted(found.every_test, key=lambda item: item.test.words)), folded=True)


def _last_elsewhere(row: tuple[str, list[Proposal]]) -> tuple[bool, str]:
    return row[0] == ELSEWHERE, row[0]


def _system_words(knowledge: Knowledge, test: TestRow) -> str:
    """The system most of a test's suspects belong to."""
    count: Counter[str] = Counter()
    for name in test.given:
        fault = knowledge.faults.get(name)
        part = knowledge.components.get(fault.component) if fault else None
        row = system_of(part.row.id if part else (fault.component if fault else ""))
        if row is not None:
            count[row.name] += 1
    return count.most_common(1)[0][0] if count else ELSEWHERE
