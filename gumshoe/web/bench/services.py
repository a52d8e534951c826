"""Guided tests: check what was typed, compute the verdict, store it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from gumshoe.core.circuits.library import circuits_of
from gumshoe.core.errors import BadInput
from gumshoe.core.judgement import Judged
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.outcomes import check_reading, decide
from gumshoe.core.knowledge.rows import OutcomeRow, TestRow
from gumshoe.core.knowledge.systems import system_of
from gumshoe.core.planning import Proposal
from gumshoe.web.accounts.models import User
from gumshoe.web.bench.models import TestRecord
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.entries import entries
from gumshoe.web.cases.models import Case
from gumshoe.web.ui.memo import once
from gumshoe.web.vehicles import services as vehicles


def test_of(case: Case, name: str) -> TestRow:
    """The test of that name for this powertrain. Raises BadInput when there is none."""
    found = cases.knowledge_of(case).tests.get(name)
    if found is None:
        raise BadInput("There is no such test for this powertrain.", remedies=("choose one from the list",))
    return found


def record(case: Case, user: User, test: TestRow, typed: Mapping[str, str], note: str) -> TestRecord:
    """Check every reading, decide, store. Raises BadInput naming the field; then nothing is stored."""
    readings = {row.key: check_reading(row, typed.get(row.key, "")) for row in test.readings}
    outcome = decide(test, readings, cases.specification_of(case))
    return TestRecord.objects.create(
        case=case, by=user, test=test.id, readings=readings, outcome=outcome.id, note=note.strip()[:300]
    )


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
    knowledge, leader = found.grounds.knowledge, found.assessment.suspects[0].id
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


def circuit_of(case: Case, test: TestRow) -> str:
    """The circuit that a generated check is about, where one is known; empty otherwise."""
    name = test.id.removeprefix("check_")
    return name if name != test.id and name in circuits_of(cases.knowledge_of(case)) else ""


def outcome_of(test: TestRow, name: str) -> OutcomeRow | None:
    """The outcome of that name."""
    return next((item for item in test.outcomes if item.id == name), None)


def findings(case: Case, test: TestRow) -> list[dict[str, str]]:
    """What would be found at each point of the stand-in; empty for a real vehicle."""
    if not case.vehicle.stand_in:
        return []
    rows = []
    for reading in test.readings:
        words = vehicles.finding(case.vehicle, reading.point)
        rows.append({"label": reading.label, "words": words or "The stand-in has nothing to show at this point."})
    return rows


@once
def performed(case: Case) -> list[dict[str, Any]]:
    """Every recorded test with its words; superseded ones marked."""
    knowledge = cases.knowledge_of(case)
    rows, newest = [], {row.test: row.pk for row in entries(case, "testrecords")}
    for row in entries(case, "testrecords"):
        test = knowledge.tests.get(row.test)
        outcome = outcome_of(test, row.outcome) if test else None
        labels = {item.key: item for item in test.readings} if test else {}
        shown = [
            f"{labels[key].label}: {value}{' ' + labels[key].unit if labels[key].unit else ''}"
            for key, value in row.readings.items()
            if key in labels
        ]
        rows.append(
            {
                "record": row,
                "test": test,
                "outcome": outcome,
                "readings": shown,
                "superseded": newest[row.test] != row.pk,
            }
        )
    return rows
