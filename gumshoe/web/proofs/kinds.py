"""Kinds of evidence: the proof with what it judged, and how often the fault was seen."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, replace
from datetime import datetime
from typing import Any

from gumshoe.core.casefile import CaseFile
from gumshoe.core.casefile.model import ClearedFacts, ConditionFacts, ProofFacts, RecurrenceFacts
from gumshoe.core.clues import OnRecord
from gumshoe.core.judgement import Grounds, mended_by
from gumshoe.core.proof.tracker import ProofVerdict
from gumshoe.core.suspects.driving import Mended
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.entries import entries, newest, stamp
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.registry import Export, Import, Kind, Section, register, stamp_of
from gumshoe.web.clearing.models import Clearing
from gumshoe.web.proofs import services
from gumshoe.web.proofs.models import FollowUp, HandTried, Judgement, ProofDrive, Recurrence
from gumshoe.web.scans import services as scans


def _written(export: Export, document: CaseFile) -> CaseFile:
    row = export.case.judgements.last()
    return replace(document, proof=_proof(row)) if row and export.is_added(row) else document


def _proof(row: Judgement) -> ProofFacts:
    cleared, verdict = row.clearing, row.verdict
    moments = [scans.snapshot_of(scan) if scan else None for scan in (cleared.before, cleared.after)]
    before, after = (snapshot.taken_at.isoformat() if snapshot else "" for snapshot in moments)
    told: Any = verdict
    return ProofFacts(
        told,
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


def _read(file: Import) -> None:
    """The last judgement hangs on a clearing; a file without a scan has none to hang it on."""
    told = file.document.proof
    newest_scan = file.case.scans.last()
    if told is None or newest_scan is None:
        return
    cleared = told.cleared or ClearedFacts()
    taken = {row.at.isoformat(): row for row in file.case.scans.all()}
    clearing = file.make(
        Clearing,
        cleared.at,
        before=taken.get(stamp_of(cleared.before)) or newest_scan,
        after=taken.get(stamp_of(cleared.after)),
        by_itself=cleared.by_itself,
        expected=list(cleared.expected),
        modules=[dict(row) for row in cleared.modules],
    )
    file.make(
        Judgement,
        told.at,
        clearing=clearing,
        verdict=told.verdict,
        reasons=list(told.reasons),
        conditions=[asdict(row) for row in told.conditions],
    )


def _tells(case: Case, found: OnRecord, _since: datetime | None) -> OnRecord:
    return replace(found, failed_repairs=tuple(_failed_repairs(case)))


def _failed_repairs(case: Case) -> list[tuple[str, str, str]]:
    """Repairs whose proof ended in *came back*: what was done, by whose judgement, and when it was done."""
    failed = []
    judged = {row.clearing_id: row for row in entries(case, "judgements")}
    for clearing in _cleared(case):
        judgement = judged.get(clearing.pk)
        if judgement is None or judgement.verdict != ProofVerdict.CAME_BACK:
            continue
        for line in case.lines.filter(works__at__lt=clearing.at).distinct():
            failed.append((line.repair, judgement.source, stamp(line.works.filter(at__lt=clearing.at).last())))
    document = cases.imported_of(case)
    if document:
        failed += [(row.repair, "imported", row.at) for row in document.work if row.did_not_help]
    return list(dict.fromkeys(failed))


def _cleared(case: Case) -> list[Any]:
    """What was cleared after work, or left to the control unit; not what was cleared to see what comes back."""
    return [row for row in entries(case, "clearings") if not row.triage]


def _bears(case: Case, grounds: Grounds) -> Grounds:
    return replace(grounds, mended=_mended(case))


def _mended(case: Case) -> Mended:
    """How far the work is: cleared after the newest of it, and what the proof of that clearing says."""
    clearing, work = newest(_cleared(case)), newest(entries(case, "works"))
    if clearing is None or work is None or work.at > clearing.at:
        return Mended.NO
    judged = {row.clearing_id: row.verdict for row in entries(case, "judgements")}
    return mended_by(judged.get(clearing.pk))


def _filed(case: Case) -> Mapping[str, Any]:
    made = services.clearing_of(case)
    tracker = services.tracker_of(made) if made else None
    return {
        "tracker": tracker,
        "readiness": services.readiness(made, tracker) if made and tracker else [],
        "judgements": entries(case, "judgements"),
        "recurrences": case.recurrences.select_related("by"),
        "followups": case.followups.select_related("by"),
    }


register(
    Kind(
        name="proof",
        models=(ProofDrive, Judgement, HandTried, FollowUp),
        written=_written,
        read=_read,
        tells=_tells,
        bears=_bears,
        sections=(Section(100, "proofs/filed.html", _filed),),
    )
)


# -- how often it was seen --------------------------------------------------------------------------------


def _often_written(export: Export, document: CaseFile) -> CaseFile:
    row = export.case.recurrences.last()
    if row is None or not export.is_added(row):
        return document
    unit: Any = row.unit
    return replace(document, recurrence=RecurrenceFacts(row.times, row.over, unit, row.belief, row.why))


def _often_read(file: Import) -> None:
    often = file.document.recurrence
    if often:
        told: dict[str, Any] = {"times": often.times, "over": often.over, "unit": often.unit, "belief": often.belief}
        file.make(Recurrence, why=often.why, **told)


register(Kind(name="recurrence", models=(Recurrence,), written=_often_written, read=_often_read))
