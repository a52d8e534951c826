"""Kinds of evidence: the complaint; notes; what was imported; a case opened again."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime
from typing import Any

from gumshoe.core.casefile import CaseFile
from gumshoe.core.casefile.model import ComplaintFacts
from gumshoe.core.clues import OnRecord
from gumshoe.core.judgement import Grounds
from gumshoe.web.cases import services
from gumshoe.web.cases.entries import stamp
from gumshoe.web.cases.models import Case, Complaint, HandOver, Imported, Note, Reopened, Waiting
from gumshoe.web.cases.registry import Export, Import, Kind, Section, register


def _written(export: Export, document: CaseFile) -> CaseFile:
    row = services.complaint_of(export.case)
    if row is None:
        return document
    document = replace(document, vehicle=replace(document.vehicle, odometer_km=row.odometer_km))
    if not export.is_added(row):
        return document
    lamp: Any = row.lamp
    said = ComplaintFacts(row.text, tuple(row.symptoms), lamp, row.conditions, row.since, row.recent_work)
    return replace(document, complaint=said)


def _read(file: Import) -> None:
    told = file.document.complaint
    if told is None:
        return
    file.make(
        Complaint,
        text=told.text or "(from a case file)",
        symptoms=list(told.symptoms),
        lamp=told.lamp,
        conditions=told.conditions,
        since=told.since,
        recent_work=told.recent_work,
        odometer_km=file.document.vehicle.odometer_km,
    )


def _tells(case: Case, found: OnRecord, _since: datetime | None) -> OnRecord:
    row = services.complaint_of(case)
    if row is None:
        return found
    return replace(found, symptoms=tuple(row.symptoms), symptom_source=(row.source, stamp(row)), lamp=row.lamp)


def _bears(case: Case, grounds: Grounds) -> Grounds:
    row = services.complaint_of(case)
    return replace(grounds, asked_lamp=row.lamp, odometer_km=row.odometer_km) if row else grounds


def _complaints(case: Case) -> Mapping[str, Any]:
    return {"complaints": case.complaints.select_related("by")}


def _notes(case: Case) -> Mapping[str, Any]:
    return {"reopened": case.reopeneds.select_related("by"), "notes": case.notes.select_related("by")}


def _crew(case: Case) -> Mapping[str, Any]:
    return {"handovers": case.handovers.select_related("by", "to"), "waitings": case.waitings.select_related("by")}


register(
    Kind(
        name="complaint",
        models=(Complaint,),
        written=_written,
        read=_read,
        tells=_tells,
        bears=_bears,
        sections=(Section(10, "cases/filed_complaint.html", _complaints),),
    )
)
register(Kind(name="notes", models=(Note, Reopened), sections=(Section(120, "cases/filed_notes.html", _notes),)))
register(
    Kind(name="crew", models=(HandOver, Waiting), sections=(Section(118, "cases/filed_crew.html", _crew),))
)  # it is the shop's own: a case file says nothing of it
register(Kind(name="imported", models=(Imported,)))  # it is what the other kinds came from
