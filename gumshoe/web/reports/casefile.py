"""A stored case as a case file."""

from __future__ import annotations

from gumshoe.core.casefile.model import (
    CaseFile,
    ComplaintFacts,
    ProofFacts,
    TestFacts,
    VehicleFacts,
    VerdictFacts,
    WorkFacts,
)
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.live import services as live
from gumshoe.web.scans import services as scans
from gumshoe.web.suspects import services as suspects


def export(case: Case) -> CaseFile:
    """Everything the reasoning rests on, in the open format. Recordings go as their trims by region."""
    car, complaint = case.vehicle, cases.complaint_of(case)
    odometer = complaint.odometer_km if complaint else None
    failed = {repair for repair, _, _ in suspects.failed_repairs(case)}
    verdict, judgement = case.verdicts.last(), case.judgements.last()
    return CaseFile(
        format="gumshoe-case",
        version=1,
        number=case.number,
        vehicle=VehicleFacts(car.vin, car.plate, car.make, car.model, car.year, odometer, car.platform),
        powertrain=cases.powertrain_of(case),
        complaint=ComplaintFacts(
            complaint.text,
            tuple(complaint.symptoms),
            complaint.lamp,
            complaint.conditions,
            complaint.since,
            complaint.recent_work,
        )
        if complaint
        else None,
        scans=tuple(
            snapshot
            for stored in case.scans.filter(interrupted=False)
            if (snapshot := scans.snapshot_of(stored)) is not None
        ),
        trims=tuple(trim for row in live.recorded(case) for trim in row.trims),
        tests=tuple(
            TestFacts(row.test, row.outcome, row.readings, row.at.isoformat(), str(row.by))
            for row in case.testrecords.select_related("by")
        ),
        work=tuple(
            WorkFacts(row.line.repair, row.at.isoformat(), str(row.by), row.line.repair in failed)
            for row in case.works.select_related("by", "line")
        ),
        verdict=VerdictFacts(verdict.suspect, verdict.words, verdict.guess, verdict.root_cause) if verdict else None,
        proof=ProofFacts(judgement.verdict, tuple(judgement.reasons)) if judgement else None,
    )
