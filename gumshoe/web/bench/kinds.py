"""Kinds of evidence: tests made by hand, readings at circuits, arithmetic, commands, traces."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from datetime import datetime
from typing import Any

from gumshoe.core.casefile import CaseFile
from gumshoe.core.casefile.assess import probe_of
from gumshoe.core.casefile.model import CircuitFacts, ProbeFacts, TestFacts
from gumshoe.core.circuits import GROUND, Instrument
from gumshoe.core.circuits.checks import reading_of
from gumshoe.core.circuits.instruments import SHINES
from gumshoe.core.clues import OnRecord, TestOutcome
from gumshoe.web.bench import circuits, services
from gumshoe.web.bench.models import (
    CircuitConclusion,
    CircuitDoubt,
    CircuitReading,
    CommandRun,
    HandMeasurement,
    ScopeTrace,
    TestRecord,
    TestWithdrawn,
)
from gumshoe.web.cases.entries import entries, stamp
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.registry import Export, Import, Kind, Section, register


def _written(export: Export, document: CaseFile) -> CaseFile:
    rows = export.added(export.case.testrecords.select_related("by", "withdrawn"))
    return replace(document, tests=(*_that_came(export), *map(_test, rows)))


def _that_came(export: Export) -> list[TestFacts]:
    """The file's own tests, with what was withdrawn of them here."""
    stood_for = export.entries.get("testrecord", [])
    reasons = dict(export.case.testwithdrawns.values_list("record_id", "reason"))
    tests = export.came.tests
    return [
        replace(test, withdrawn=test.withdrawn or reasons.get(pk, ""))
        for test, pk in zip(tests, [*stood_for, *[0] * len(tests)], strict=False)
    ]


def _test(row: TestRecord) -> TestFacts:
    withdrawn = "" if row.counts else row.withdrawn.reason
    return TestFacts(row.test, row.outcome, row.readings, row.at.isoformat(), str(row.by), withdrawn)


def _read(file: Import) -> None:
    for test in file.document.tests:
        made = file.make(TestRecord, test.at, test=test.test, outcome=test.outcome, readings=test.readings)
        if test.withdrawn:
            file.make(TestWithdrawn, test.at, record=made, reason=test.withdrawn)


def _tells(case: Case, found: OnRecord, since: datetime | None) -> OnRecord:
    """What was tested by hand stands above what a recording shows."""
    made = [row for row in entries(case, "testrecords") if row.counts and (since is None or row.at > since)]
    tested = (TestOutcome(row.test, row.outcome, row.source, stamp(row)) for row in made)
    return replace(found, tests=(*found.tests, *tested))


def _filed(case: Case) -> Mapping[str, Any]:
    return {
        "tests": services.performed(case),
        "circuits": circuits.reported(case),
        "worked": case.handmeasurements.select_related("by"),
        "commands": case.commandruns.select_related("by"),
        "traces": case.scopetraces.select_related("by"),
    }


register(
    Kind(
        name="tests",
        models=(TestRecord, TestWithdrawn),
        written=_written,
        read=_read,
        tells=_tells,
        sections=(Section(40, "bench/filed.html", _filed),),
    )
)
register(Kind(name="measurements", models=(HandMeasurement, CommandRun, ScopeTrace)))  # each stands for a test record


# -- circuits ---------------------------------------------------------------------------------------------


def _circuits_written(export: Export, document: CaseFile) -> CaseFile:
    return replace(document, circuits=(*document.circuits, *_circuits(export)))


def _circuits(export: Export) -> Iterator[CircuitFacts]:
    """The readings at each circuit that count, in the order they were taken."""
    case = export.case
    added = {row.pk for row in export.added(case.circuitreadings.all())}
    for name in dict.fromkeys(case.circuitreadings.values_list("component", flat=True)):
        rows = [item.row for item in circuits.stored(case, name) if item.counts and item.row.pk in added]
        if rows:
            yield CircuitFacts(name, tuple(map(_probe, rows)))


def _probe(row: CircuitReading) -> ProbeFacts:
    instrument: Any = row.instrument
    value: Any = row.shown if SHINES.get(Instrument(row.instrument)) else row.value
    return ProbeFacts(
        row.plus,
        value,
        instrument,
        row.minus or GROUND,
        row.command,
        tuple(row.unplugged),
        tuple((a, b) for a, b in row.jumpers),
        row.at.isoformat(),
        str(row.by),
        row.alone,
    )


def _circuits_read(file: Import) -> None:
    """Readings at a circuit, checked as if they were typed now; what they come to, unless the file says it."""
    told = {row.test for row in file.document.tests}
    for facts in file.document.circuits:
        made = circuits.model_of(file.case, facts.component)
        for row in facts.readings:
            probe = probe_of(row)
            value = reading_of(made, probe, row.value).value
            file.make(CircuitReading, row.at, **circuits.columns_of(facts.component, probe, value))
        test = circuits.check_told(file.case, facts.component)
        if test and test not in told:
            stays, records = circuits.concluded(file.case, file.user, facts.component)
            for entry in (stays, *records):
                file.keep(entry)


register(
    Kind(
        name="circuits",
        models=(CircuitReading, CircuitDoubt, CircuitConclusion),
        written=_circuits_written,
        read=_circuits_read,
    )
)
