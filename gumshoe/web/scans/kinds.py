"""Kinds of evidence: scans, whose VIN was read, cylinders found dead by hand."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from datetime import datetime
from typing import Any

from django.utils import timezone

from gumshoe.core.casefile import CaseFile
from gumshoe.core.casefile.model import HandTestFacts
from gumshoe.core.clues import FoundDead, KnownCause, OnRecord
from gumshoe.core.clues.misfire import found_words
from gumshoe.core.judgement import Grounds
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.obd.stored import plain_snapshot
from gumshoe.core.powertrain.misfires import Lack
from gumshoe.core.powertrain.positions import pattern_of
from gumshoe.core.proof.provoked import causes_on_record, said_by_customer
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.entries import entries, stamp
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.registry import Export, Import, Kind, Section, register
from gumshoe.web.ledger import ends
from gumshoe.web.scans import services, sorting
from gumshoe.web.scans.models import HandTest, Scan, VinAnswer


def _written(export: Export, document: CaseFile) -> CaseFile:
    added = export.added(export.case.scans.filter(interrupted=False))
    found = [snapshot for row in added if (snapshot := services.snapshot_of(row)) is not None]
    return replace(document, scans=(*document.scans, *found))


def _read(file: Import) -> None:
    for snapshot in file.document.scans:
        _scan(file, snapshot)
    if file.document.module:
        _scan(file, Snapshot(timezone.now(), "case file", (file.document.module,)))


def _scan(file: Import, snapshot: Snapshot) -> None:
    at = snapshot.taken_at if snapshot.taken_at.tzinfo else timezone.make_aware(snapshot.taken_at)
    why = Scan.Why.AGAIN if file.case.scans.exists() else Scan.Why.INTAKE
    plain = plain_snapshot(replace(snapshot, taken_at=at))
    file.make(Scan, at.isoformat(), why=why, link="case file", snapshot=plain)


def _tells(case: Case, found: OnRecord, since: datetime | None) -> OnRecord:
    stored = services.telling(case) if since is None else services.latest_since(case, since)
    snapshot = services.snapshot_of(stored) if stored else None
    return replace(
        found,
        module=snapshot.engine if snapshot else None,
        others=tuple(item for item in snapshot.modules if item is not snapshot.engine) if snapshot else (),
        known=_known(case, stored),
        scan_source=(stored.source, stamp(stored)) if stored else ("", ""),
    )


def _known(case: Case, stored: Scan | None) -> tuple[KnownCause, ...]:
    """Causes on record that explain codes of that scan: what the customer tells, what the work did before it."""
    complaint = cases.complaint_of(case)
    said = said_by_customer(complaint.symptoms if complaint else ())
    done = ends.happenings(case, stored.at) if stored else ()
    if not said and not done:
        return ()
    snapshots = [found for row in services.whole(case) if (found := services.snapshot_of(row))] if done else []
    telling = services.snapshot_of(stored) if stored else None
    return causes_on_record(cases.knowledge_of(case), (*said, *done), snapshots, telling)


def _bears(case: Case, grounds: Grounds) -> Grounds:
    stored = services.telling(case)
    snapshot = services.snapshot_of(stored) if stored else None
    year = (snapshot.taken_at if snapshot else case.opened_at).year
    age = float(year - case.vehicle.year) if case.vehicle.year else None
    return replace(grounds, snapshot=snapshot, age_years=age)


def _codes(case: Case) -> Iterator[str]:
    """Every code that any scan of the case found: what was seen once stays known."""
    for row in services.whole(case):
        snapshot = services.snapshot_of(row)
        yield from (item.code for item in snapshot.stored_codes) if snapshot else ()


def _filed(case: Case) -> Mapping[str, Any]:
    knowledge = cases.knowledge_of(case)
    scanned = []
    for stored in entries(case, "scans"):
        snapshot = services.snapshot_of(stored)
        titled = services.titled(snapshot, knowledge) if snapshot else []
        scanned.append((stored, snapshot, titled, _readiness_words(snapshot)))
    return {"scans": scanned, "vin_answers": case.vinanswers.select_related("by")}


def _readiness_words(snapshot: Snapshot | None) -> list[str]:
    """Each supported readiness monitor of a scan, and whether it had run."""
    status = snapshot.engine.status if snapshot and snapshot.engine else None
    rows = status.monitors if status else ()
    return [f"{item.name} {'✓' if item.complete else 'open'}" for item in rows if item.supported]


def _sorted(case: Case) -> Mapping[str, Any]:
    return {"codes": sorting.sorted_codes(case)}


register(
    Kind(
        name="scans",
        models=(Scan, VinAnswer),
        written=_written,
        read=_read,
        tells=_tells,
        bears=_bears,
        codes=_codes,
        sections=(Section(20, "scans/filed.html", _filed), Section(85, "scans/filed_after.html", _sorted)),
    )
)


# -- dead by hand -----------------------------------------------------------------------------------------


def _hand_written(export: Export, document: CaseFile) -> CaseFile:
    facts = [
        HandTestFacts(tuple(row.cylinders), row.how, row.at.isoformat(), str(row.by), Lack(row.lacks))
        for row in export.added(export.case.handtests.select_related("by"))
    ]
    return replace(document, hand_tests=(*document.hand_tests, *facts))


def _hand_read(file: Import) -> None:
    for hand in file.document.hand_tests:
        file.make(HandTest, hand.at, cylinders=list(hand.cylinders), lacks=hand.lacks, how=hand.how)


def _hand_tells(case: Case, found: OnRecord, since: datetime | None) -> OnRecord:
    rows = [row for row in entries(case, "handtests") if since is None or row.at > since]
    told = (FoundDead(tuple(row.cylinders), Lack(row.lacks), row.how, row.source, stamp(row)) for row in rows)
    return replace(found, by_hand=tuple(told))


def _hand_filed(case: Case) -> Mapping[str, Any]:
    engine = cases.powertrain_of(case)
    rows = entries(case, "handtests")
    return {"hands": [(found_words(Lack(row.lacks), pattern_of(engine, row.cylinders)), row) for row in rows]}


register(
    Kind(
        name="hand tests",
        models=(HandTest,),
        written=_hand_written,
        read=_hand_read,
        tells=_hand_tells,
        sections=(Section(45, "scans/filed_hands.html", _hand_filed),),
    )
)
