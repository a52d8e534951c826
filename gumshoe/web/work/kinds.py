"""Kind of evidence: the work that was carried out, and its photographs."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from gumshoe.core.casefile import CaseFile
from gumshoe.core.casefile.model import LineFacts, WorkFacts
from gumshoe.web.cases.entries import entries
from gumshoe.web.cases.judging import evidence_of
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.registry import Export, Import, Kind, Section, register
from gumshoe.web.proposal import services as offering
from gumshoe.web.proposal.kinds import LINE, make_line
from gumshoe.web.work.models import Photo, Work


def _written(export: Export, document: CaseFile) -> CaseFile:
    failed = {repair for repair, _, _ in evidence_of(export.case).failed_repairs}
    rows = export.added(export.case.works.select_related("by", "line"))
    return replace(document, work=(*document.work, *(_work(row, row.line.repair in failed) for row in rows)))


def _work(row: Work, failed: bool) -> WorkFacts:
    return WorkFacts(
        row.line.repair,
        row.at.isoformat(),
        str(row.by),
        failed,
        row.part_number,
        row.part_make,
        row.minutes_taken,
        row.remark,
        row.price,
        row.warranty_months,
        row.warranty_km,
    )


def _read(file: Import) -> None:
    for work in file.document.work:
        line = file.made.get((LINE, work.repair)) or make_line(file, LineFacts(work.repair, at=work.at))
        file.make(
            Work,
            work.at,
            line=line,
            part_number=work.part_number,
            part_make=work.part_make,
            minutes_taken=work.minutes_taken,
            remark=work.remark,
            price=work.price,
            warranty_months=work.warranty_months,
            warranty_km=work.warranty_km,
        )


def _filed(case: Case) -> Mapping[str, Any]:
    return {"lines": offering.proposed(case), "works": entries(case, "works")}


register(
    Kind(
        name="work",
        models=(Work, Photo),
        written=_written,
        read=_read,
        sections=(Section(70, "work/filed.html", _filed),),
    )
)
