"""What somebody did in an exercise, as steps on the shop's clock: told from the evidence itself, so that neither a
restart nor leaving and coming back changes it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.planning import Costs
from gumshoe.core.work.offers import Scope, members
from gumshoe.practice.worked import MINUTES, Did, Taken, clock
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.entries import entries
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.memo import once
from gumshoe.web.scans.models import Scan

OPENS_AT = 8 * 60
"""The shop's clock begins at eight in the morning."""
KINDS = (
    "scans", "testrecords", "circuitreadings", "handmeasurements", "recordings", "commandruns", "scopetraces",
    "verdicts", "works", "clearings", "procedureruns", "proofdrives", "judgements", "hints", "looseends",
)  # fmt: skip
GUIDED = {"idle": "record_idle", "fast": "record_2500"}
"""The test that a recording of a purpose is."""
COSTS = Costs()
"""Every bill of practice is made at one rate, so that people and shops can be compared."""
DRIVE_MINUTES = COSTS.proof_minutes - MINUTES[Did.CLEAR]
"""A proof drive with what is read before and after it, as it is counted for every line of work."""


@once
def steps_of(case: Case) -> tuple[Taken, ...]:
    """Every step, in the order in which it was entered. Those that another entry stands for are told once."""
    knowledge, priced = cases.knowledge_of(case), COSTS
    found: list[Taken] = []
    for kind in KINDS:
        found += _steps(kind, entries(case, kind), knowledge, priced)
    return tuple(sorted(found, key=lambda step: step.at))


def clock_of(case: Case) -> tuple[float, float]:
    """Minutes and money so far."""
    return clock(steps_of(case))


def time_of_day(minutes: float) -> str:
    """The shop's clock: ``10:42``, or ``day 2, 09:15``; a day has eight hours."""
    day, left = divmod(int(minutes), 8 * 60)
    hours, rest = divmod(OPENS_AT + left, 60)
    return f"{f'day {day + 1}, ' if day else ''}{hours:02d}:{rest:02d}"


def _steps(kind: str, rows: Iterable[Any], known: Knowledge, priced: Costs) -> list[Taken]:
    told = {
        "scans": _scan,
        "testrecords": _test,
        "circuitreadings": _reading,
        "recordings": _recording,
        "works": _work,
    }
    if kind in told:
        return [step for row in rows if (step := told[kind](row, known, priced)) is not None]
    plain = {
        "handmeasurements": (Did.HAND, "test", "words"),
        "commandruns": (Did.COMMAND, "actuator", "words"),
        "scopetraces": (Did.TRACE, "label", "label"),
        "verdicts": (Did.VERDICT, "suspect", "words"),
        "clearings": (Did.CLEAR, "", ""),
        "procedureruns": (Did.PROCEDURE, "procedure", "words"),
        "proofdrives": (Did.DRIVE, "", "how"),
        "judgements": (Did.PROOF, "verdict", "verdict"),
        "hints": (Did.HINT, "", "words"),
        "looseends": (Did.END, "component", "what"),
    }
    did, name, words = plain[kind]
    usual = {Did.CLEAR: "clear the codes", Did.DRIVE: "proof drive"}
    minutes = DRIVE_MINUTES if did is Did.DRIVE else MINUTES.get(did, 0.0)
    return [
        Taken(
            row.at,
            did,
            str(getattr(row, name, "")) if name else "",
            (str(getattr(row, words, "")) if words else "") or usual.get(did, did.value),
            minutes,
            priced.of_minutes(minutes),
        )
        for row in rows
        if not getattr(row, "record_id", None)  # the guided test that it was recorded as is the step
    ]


def _scan(row: Any, _known: Knowledge, priced: Costs) -> Taken | None:
    if row.interrupted or row.why not in (Scan.Why.INTAKE, Scan.Why.AGAIN):  # the others are part of clearing and proof
        return None
    minutes = MINUTES[Did.SCAN]
    return Taken(row.at, Did.SCAN, "", "read the codes", minutes, priced.of_minutes(minutes))


def _test(row: Any, known: Knowledge, priced: Costs) -> Taken:
    test = known.tests.get(row.test)
    minutes = test.minutes if test else MINUTES[Did.HAND]
    outcome = test.outcome(row.outcome) if test else None
    words = f"{test.words if test else row.test}: {outcome.words if outcome else row.outcome}"
    return Taken(row.at, Did.TEST, row.test, words, minutes, priced.of_minutes(minutes))


def _recording(row: Any, known: Knowledge, priced: Costs) -> Taken:
    """A guided one is the test it is made for."""
    test = known.tests.get(GUIDED.get(row.purpose, ""))
    minutes = test.minutes if test else MINUTES[Did.RECORDING]
    words = test.words if test else f"recording: {row.label}"
    return Taken(row.at, Did.RECORDING, test.id if test else row.label, words, minutes, priced.of_minutes(minutes))


def _reading(row: Any, _known: Knowledge, priced: Costs) -> Taken:
    minutes = MINUTES[Did.CIRCUIT]
    words = f"{row.instrument} at {row.component.replace('_', ' ')}, {row.plus}: {row.shown}"
    return Taken(row.at, Did.CIRCUIT, row.component, words, minutes, priced.of_minutes(minutes))


def _work(row: Any, known: Knowledge, priced: Costs) -> Taken:
    """A repair costs what its line was reckoned at, whatever was typed when it was done: two people are to be
    compared. A set is all its members."""
    line, repair = row.line, known.repairs.get(row.line.repair)
    also = tuple(one.id for one in members(known, repair)) if repair and line.scope == Scope.SET else ()
    money = float(line.parts) + priced.of_minutes(line.minutes)
    return Taken(row.at, Did.REPAIR, line.repair, line.words, float(line.minutes), money, also)
