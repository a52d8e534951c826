"""A stored case as a case file. What came from a file goes out as it came; what was added since is appended."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from gumshoe.core.casefile.model import (
    CaseFile,
    CircuitFacts,
    ClearedFacts,
    ComplaintFacts,
    ConditionFacts,
    EventFacts,
    HandTestFacts,
    LineFacts,
    MarkFacts,
    ProbeFacts,
    ProcedureFacts,
    ProofFacts,
    RecordingFacts,
    RecurrenceFacts,
    TestFacts,
    VehicleFacts,
    VerdictFacts,
    WorkFacts,
)
from gumshoe.core.circuits import GROUND, Instrument
from gumshoe.core.circuits.instruments import SHINES
from gumshoe.web.bench import circuits
from gumshoe.web.bench.models import CircuitReading
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case, Complaint
from gumshoe.web.live import recordings as live
from gumshoe.web.live import store
from gumshoe.web.live.models import Recording
from gumshoe.web.proofs.models import Judgement
from gumshoe.web.repairs.models import Line, Verdict
from gumshoe.web.scans import services as scans
from gumshoe.web.suspects import judging


def export(case: Case) -> CaseFile:
    """Everything on record that the format holds."""
    car, complaint = case.vehicle, cases.complaint_of(case)
    came = cases.imported_of(case) or CaseFile("gumshoe-case", 1)
    row = case.importeds.last()
    ours = _Ours(row.entries if row else {})
    failed = {repair for repair, _, _ in judging.failed_repairs(case)}
    verdict, judgement, often = case.verdicts.last(), case.judgements.last(), case.recurrences.last()
    odometer = complaint.odometer_km if complaint else None
    recordings = ours.added(case.recordings.prefetch_related("chunks").select_related("by"))
    return CaseFile(
        format="gumshoe-case",
        version=1,
        number=case.number,
        vehicle=VehicleFacts(car.vin, car.plate, car.make, car.model, car.year, odometer, car.platform),
        powertrain=cases.powertrain_of(case),
        complaint=_complaint(complaint) if complaint and ours.is_added(complaint) else came.complaint,
        codes=came.codes,
        own_codes=came.own_codes,
        wiring=came.wiring,
        events=(*came.events, *(_event(end) for end in ours.added(case.looseends.select_related("closed")))),
        scans=(
            *came.scans,
            *(
                snapshot
                for stored in ours.added(case.scans.filter(interrupted=False))
                if (snapshot := scans.snapshot_of(stored)) is not None
            ),
        ),
        recordings=(*came.recordings, *map(_recording, recordings)),
        marks=(
            *came.marks,
            *(
                MarkFacts(mark.moment, mark.text, mark.at.isoformat(), str(mark.by))
                for mark in ours.added(case.marks.select_related("by"))
            ),
        ),
        trims=(*came.trims, *(t for item in live.recorded(case) if ours.is_added(item.recording) for t in item.trims)),
        hand_tests=(
            *came.hand_tests,
            *(
                HandTestFacts(tuple(test.cylinders), test.how, test.at.isoformat(), str(test.by))
                for test in ours.added(case.handtests.select_related("by"))
            ),
        ),
        tests=(
            *_tests_that_came(case, came, row.entries if row else {}),
            *(
                TestFacts(
                    test.test,
                    test.outcome,
                    test.readings,
                    test.at.isoformat(),
                    str(test.by),
                    "" if test.counts else test.withdrawn.reason,
                )
                for test in ours.added(case.testrecords.select_related("by", "withdrawn"))
            ),
        ),
        circuits=(*came.circuits, *_circuits(case, ours)),
        lines=(*came.lines, *(_line(line) for line in ours.added(case.lines.select_related("by")))),
        work=(
            *came.work,
            *(
                WorkFacts(
                    work.line.repair,
                    work.at.isoformat(),
                    str(work.by),
                    work.line.repair in failed,
                    work.part_number,
                    work.part_make,
                    work.minutes_taken,
                    work.remark,
                    work.price,
                    work.warranty_months,
                    work.warranty_km,
                )
                for work in ours.added(case.works.select_related("by", "line"))
            ),
        ),
        verdict=_verdict(verdict) if verdict and ours.is_added(verdict) else came.verdict,
        procedures=(
            *came.procedures,
            *(
                ProcedureFacts(
                    run.procedure, run.outcome, run.words, run.reason, run.left, run.at.isoformat(), str(run.by)
                )
                for run in ours.added(case.procedureruns.select_related("by"))
            ),
        ),
        recurrence=RecurrenceFacts(often.times, often.over, often.unit, often.belief, often.why)  # type: ignore[arg-type]  # the field's choices
        if often and ours.is_added(often)
        else came.recurrence,
        proof=_proof(judgement) if judgement and ours.is_added(judgement) else came.proof,
    )


class _Ours:
    """Tells entries added here from those that stand for something in the imported file."""

    def __init__(self, entries: dict[str, list[int]]) -> None:
        self._came = {(name, pk) for name, pks in entries.items() for pk in pks}

    def is_added(self, row: Any) -> bool:
        return (row._meta.model_name, row.pk) not in self._came

    def added(self, rows: Any) -> list[Any]:
        return [row for row in rows if self.is_added(row)]


def _tests_that_came(case: Case, came: CaseFile, entries: dict[str, list[int]]) -> list[TestFacts]:
    """The file's own tests, with what was withdrawn of them here."""
    stood_for = entries.get("testrecord", [])
    reasons = dict(case.testwithdrawns.values_list("record_id", "reason"))
    return [
        replace(test, withdrawn=test.withdrawn or reasons.get(pk, ""))
        for test, pk in zip(came.tests, [*stood_for, *[0] * len(came.tests)], strict=False)
    ]


def _circuits(case: Case, ours: _Ours) -> list[CircuitFacts]:
    """The readings at each circuit that count, in the order they were taken."""
    added = {row.pk for row in ours.added(case.circuitreadings.all())}
    names = dict.fromkeys(case.circuitreadings.values_list("component", flat=True))
    found = []
    for name in names:
        rows = [item.row for item in circuits.stored(case, name) if item.counts and item.row.pk in added]
        if rows:
            found.append(CircuitFacts(name, tuple(_probe(row) for row in rows)))
    return found


def _probe(row: CircuitReading) -> ProbeFacts:
    words = SHINES.get(Instrument(row.instrument))
    return ProbeFacts(
        row.plus,
        row.shown if words else row.value,  # type: ignore[arg-type]
        row.instrument,  # type: ignore[arg-type]
        row.minus or GROUND,
        row.command,
        tuple(row.unplugged),
        tuple((a, b) for a, b in row.jumpers),
        row.at.isoformat(),
        str(row.by),
    )


def _complaint(row: Complaint) -> ComplaintFacts:
    return ComplaintFacts(row.text, tuple(row.symptoms), row.lamp, row.conditions, row.since, row.recent_work)  # type: ignore[arg-type]


def _event(row: Any) -> EventFacts:
    back = row.closed.at.isoformat() if hasattr(row, "closed") else ""
    key_on = row.closed.key_on if back else None
    return EventFacts(row.component, row.what, row.at.isoformat(), back, row.did, key_on)


def _recording(row: Recording) -> RecordingFacts:
    columns = {
        key: (tuple(channel.times.tolist()), tuple(channel.values.tolist()))
        for key, channel in store.load(row).channels.items()
    }
    good = row.reference.words if hasattr(row, "reference") else None
    return RecordingFacts(row.label, columns, row.purpose, row.at.isoformat(), str(row.by), row.origin, good)


def _line(row: Line) -> LineFacts:
    found = LineFacts(
        row.repair,
        row.words,
        row.minutes,
        row.parts,
        row.labour,
        at=row.at.isoformat(),
        by=str(row.by),
        kind=row.kind,  # type: ignore[arg-type]
        choice=row.choice,
        quality=row.quality,
        scope=row.scope,
        notes=row.notes,
    )
    answer = row.answers.last()
    if answer is None:
        return found
    told: Any = answer.kind
    return replace(found, answer=told, who=answer.who, how=answer.how, risk=answer.risk)


def _proof(row: Judgement) -> ProofFacts:
    cleared = row.clearing
    moments = [scans.snapshot_of(scan) if scan else None for scan in (cleared.before, cleared.after)]
    before, after = (snapshot.taken_at.isoformat() if snapshot else "" for snapshot in moments)
    return ProofFacts(
        row.verdict,  # type: ignore[arg-type]
        tuple(row.reasons),
        tuple(ConditionFacts(**item) for item in row.conditions),
        row.at.isoformat(),
        str(row.by),
        ClearedFacts(
            cleared.at.isoformat(),
            str(cleared.by),
            before,
            after,
            cleared.by_itself,
            tuple(cleared.expected),
            tuple(cleared.modules),
        ),
    )


def _verdict(row: Verdict) -> VerdictFacts:
    found = VerdictFacts(row.suspect, row.words, row.guess, row.cause)
    said = row.review
    if said is None:
        return found
    kind: Any = said.kind
    return replace(found, review=kind, reviewed_by=str(said.by), review_reason=said.reason)
