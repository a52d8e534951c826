"""The one judgement of a case: its evidence as the core's plain values, judged once for each state it is in.

Read, Suspects, Bench, header, board, Repair, Clear, Prove, report and mail take from it what they say.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any

from gumshoe.core.clues import KnownCause, OnRecord, TestOutcome
from gumshoe.core.judgement import Grounds, Judged, Kept, mended_by
from gumshoe.core.planning import Costs, Strategy
from gumshoe.core.proof.provoked import Found, causes_on_record, provoked, said_by_customer, sort_codes
from gumshoe.core.proof.tracker import ProofVerdict
from gumshoe.core.suspects.driving import Mended
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.entries import entries, newest
from gumshoe.web.cases.models import Case
from gumshoe.web.live import recordings as live
from gumshoe.web.repairs import ends
from gumshoe.web.scans import services as scans
from gumshoe.web.scans.models import Scan
from gumshoe.web.shop.models import Settings
from gumshoe.web.suspects.learned import learned_for
from gumshoe.web.suspects.models import Ruling
from gumshoe.web.ui.memo import once

_kept = Kept()


@once
def judged(case: Case) -> Judged:
    """What follows from everything on record; kept until something on record, in the shop or in the tables changes."""
    return _kept.of(grounds_of(case))


def grounds_of(case: Case) -> Grounds:
    """Everything that bears on the case."""
    complaint, settings, rulings = cases.complaint_of(case), Settings.load(), rulings_of(case)
    stored = scans.telling(case)
    snapshot = scans.snapshot_of(stored) if stored else None
    year = (snapshot.taken_at if snapshot else case.opened_at).year
    return Grounds(
        cases.knowledge_of(case),
        evidence_of(case),
        snapshot,
        complaint.lamp if complaint else "",
        complaint.odometer_km if complaint else None,
        float(year - case.vehicle.year) if case.vehicle.year else None,
        tuple(subject for subject, kind in rulings.items() if kind == Ruling.Kind.OUT),
        own_suspects(case),
        tuple(sorted(learned_for(case).items())),
        Costs(settings.labour_per_hour),
        frozenset(settings.lacks),
        way_of(case),
        mended_of(case),
    )


@once
def evidence_of(case: Case, since: datetime | None = None) -> OnRecord:
    """Everything on record, as the core's plain values; of scans, tests and recordings only those made since a moment,
    where one is given: then the newest scan tells, whatever it holds."""
    complaint = cases.complaint_of(case)
    stored = scans.telling(case) if since is None else scans.latest_since(case, since)
    snapshot = scans.snapshot_of(stored) if stored else None
    recorded = [row for row in live.recorded(case) if since is None or row.recording.at > since]
    trims = tuple((trim, row.recording.source, _stamp(row.recording)) for row in recorded for trim in row.trims)
    shown = tuple(
        TestOutcome(found.test, found.outcome, row.recording.source, _stamp(row.recording))
        for row in recorded
        for found in row.judged.findings
        if found.test
    )
    misfires = tuple(
        (found.cylinders, row.recording.source, _stamp(row.recording))
        for row in recorded
        for found in row.judged.findings
        if found.rule == "misfires"
    )
    rulings = rulings_of(case)
    document = cases.imported_of(case)
    if document and not document.recordings and since is None:
        trims = (*((trim, "imported", "") for trim in document.trims), *trims)
    made = [row for row in entries(case, "testrecords") if row.counts and (since is None or row.at > since)]
    # What was tested by hand stands above what a recording shows.
    tested = (TestOutcome(row.test, row.outcome, row.source, _stamp(row)) for row in made)
    return OnRecord(
        symptoms=tuple(complaint.symptoms) if complaint else (),
        symptom_source=(complaint.source, _stamp(complaint)) if complaint else ("", ""),
        module=snapshot.engine if snapshot else None,
        others=tuple(item for item in snapshot.modules if item is not snapshot.engine) if snapshot else (),
        known=_known(case, stored),
        scan_source=(stored.source, _stamp(stored)) if stored else ("", ""),
        trims=trims,
        tests=(*shown, *tested),
        misfires=misfires,
        by_hand=tuple(
            (tuple(row.cylinders), row.how, row.source, _stamp(row))
            for row in entries(case, "handtests")
            if since is None or row.at > since
        ),
        failed_repairs=tuple(failed_repairs(case)),
        doubtful=frozenset(subject for subject, kind in rulings.items() if kind == Ruling.Kind.DOUBT),
        specification=cases.specification_of(case),
    )


def _known(case: Case, stored: Scan | None) -> tuple[KnownCause, ...]:
    """Causes on record that explain codes of that scan: what the customer tells, what the work did before it."""
    complaint = cases.complaint_of(case)
    said = said_by_customer(complaint.symptoms if complaint else ())
    done = ends.happenings(case, stored.at) if stored else ()
    if not said and not done:
        return ()
    snapshots = [found for row in scans.whole(case) if (found := scans.snapshot_of(row))] if done else []
    telling = scans.snapshot_of(stored) if stored else None
    return causes_on_record(cases.knowledge_of(case), (*said, *done), snapshots, telling)


@once
def rulings_of(case: Case) -> dict[str, str]:
    """The ruling that holds, by subject."""
    return {row.subject: row.kind for row in entries(case, "rulings") if row.kind != Ruling.Kind.WAY}


def own_suspects(case: Case) -> tuple[str, ...]:
    """The suspects the technician has added as his own."""
    return tuple(subject for subject, kind in rulings_of(case).items() if kind == Ruling.Kind.OWN)


def way_of(case: Case) -> Strategy:
    """The way to work that was chosen for this case."""
    chosen = [row.subject for row in entries(case, "rulings") if row.kind == Ruling.Kind.WAY]
    return Strategy[chosen[-1]] if chosen and chosen[-1] in Strategy.__members__ else Strategy.TELLING


def failed_repairs(case: Case) -> list[tuple[str, str, str]]:
    """Repairs whose proof ended in *came back*: what was done, by whose judgement, and when it was done."""
    failed = []
    judged = {row.clearing_id: row for row in entries(case, "judgements")}
    for clearing in _cleared(case):
        judgement = judged.get(clearing.pk)
        if judgement is None or judgement.verdict != ProofVerdict.CAME_BACK:
            continue
        for line in case.lines.filter(works__at__lt=clearing.at).distinct():
            failed.append((line.repair, judgement.source, _stamp(line.works.filter(at__lt=clearing.at).last())))
    document = cases.imported_of(case)
    if document:
        failed += [(row.repair, "imported", row.at) for row in document.work if row.did_not_help]
    return list(dict.fromkeys(failed))


def _cleared(case: Case) -> list[Any]:
    """What was cleared after work, or left to the control unit; not what was cleared to see what comes back."""
    return [row for row in entries(case, "clearings") if not row.triage]


def mended_of(case: Case) -> Mended:
    """How far the work is: cleared after the newest of it, and what the proof of that clearing says."""
    clearing, work = newest(_cleared(case)), newest(entries(case, "works"))
    if clearing is None or work is None or work.at > clearing.at:
        return Mended.NO
    judged = {row.clearing_id: row.verdict for row in entries(case, "judgements")}
    return mended_by(judged.get(clearing.pk))


@once
def sorted_codes(case: Case, shown: Scan | None = None) -> tuple[Found, ...]:
    """The codes of a scan since the work began, of the newest unless one is given: old, expected from the work (or
    from what the customer tells of), or flagged. Empty while nothing has happened to the car, or it has not been
    scanned since. Where nothing was scanned before the work, nobody knows what is new: only what is expected is told.
    """
    complaint = cases.complaint_of(case)
    stored = shown or scans.latest(case)
    if stored is None:
        return ()
    done = (
        *said_by_customer(complaint.symptoms if complaint else ()),
        *(item for item in ends.happenings(case) if item.since <= stored.at.timestamp()),
    )
    if not done:
        return ()
    after = scans.snapshot_of(stored)
    if after is None:
        return ()
    began = min((item.since for item in done if item.since > 0.0), default=0.0)
    earlier = next((row for row in scans.whole(case) if row.at.timestamp() <= began), None)
    before = scans.snapshot_of(earlier) if earlier else None
    told = scans.telling(case)
    read = judged(case).read if told is not None and told.pk == stored.pk else None
    rows = sort_codes(before, after, provoked(cases.knowledge_of(case), done), read)
    return rows if before is not None else tuple(row for row in rows if row.expected)


def marks_of(case: Case, shown: Scan | None) -> dict[int, dict[str, Found]]:
    """How each code of a scan is sorted, by module and code; empty for any but the newest scan."""
    newest = scans.latest(case)
    if shown is None or newest is None or shown.pk != newest.pk:
        return {}
    found: dict[int, dict[str, Found]] = {}
    for row in sorted_codes(case):
        found.setdefault(row.responder, {})[row.code] = row
    return found


def _stamp(entry: Any) -> str:
    return str(entry.at.isoformat())
