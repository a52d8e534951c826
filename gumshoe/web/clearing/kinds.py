"""Kinds of evidence: clearings from their begin to their end, and the procedures after the work."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from gumshoe.core.casefile import CaseFile
from gumshoe.core.casefile.model import ProcedureFacts
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.registry import Export, Import, Kind, Section, register
from gumshoe.web.clearing import services
from gumshoe.web.clearing.models import Clearing, ClearingBegun, ClearingOutcome, ProcedureRun


def _filed(case: Case) -> Mapping[str, Any]:
    rows = case.clearings.select_related("before", "after", "by")
    return {
        "begun": services.unfinished(case),
        "clearings": [(row, services.at_once(row)) for row in rows],
    }


register(
    Kind(
        name="clearing",
        models=(ClearingBegun, ClearingOutcome, Clearing),
        sections=(Section(90, "clearing/filed.html", _filed),),
    )
)  # in a case file it stands with the proof that hangs on it


# -- procedures -------------------------------------------------------------------------------------------


def _written(export: Export, document: CaseFile) -> CaseFile:
    rows = export.added(export.case.procedureruns.select_related("by"))
    return replace(document, procedures=(*document.procedures, *map(_procedure, rows)))


def _procedure(row: ProcedureRun) -> ProcedureFacts:
    outcome: Any = row.outcome
    return ProcedureFacts(row.procedure, outcome, row.words, row.reason, row.left, row.at.isoformat(), str(row.by))


def _read(file: Import) -> None:
    for run in file.document.procedures:
        file.make(
            ProcedureRun,
            run.at,
            procedure=run.procedure,
            words=(run.words or run.procedure),
            outcome=run.outcome,
            reason=run.reason,
            left=run.left,
        )


def _procedures(case: Case) -> Mapping[str, Any]:
    return {"runs": case.procedureruns.select_related("by")}


register(
    Kind(
        name="procedures",
        models=(ProcedureRun,),
        written=_written,
        read=_read,
        sections=(Section(87, "clearing/filed_procedures.html", _procedures),),
    )
)
