"""Kind of evidence: what was proposed, and what the customer answered."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from gumshoe.core.casefile import CaseFile
from gumshoe.core.casefile.model import LineFacts
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.registry import Export, Import, Kind, Section, register
from gumshoe.web.proposal.models import Answer, Line, Signature

LINE = "line"


def _written(export: Export, document: CaseFile) -> CaseFile:
    rows = export.added(export.case.lines.select_related("by"))
    return replace(document, lines=(*document.lines, *map(_line, rows)))


def _line(row: Line) -> LineFacts:
    kind: Any = row.kind
    found = LineFacts(
        row.repair,
        row.words,
        row.minutes,
        row.parts,
        row.labour,
        at=row.at.isoformat(),
        by=str(row.by),
        kind=kind,
        choice=row.choice,
        quality=row.quality,
        scope=row.scope,
        notes=row.notes,
        tax_percent=row.tax_percent,
    )
    answer = row.answers.last()
    if answer is None:
        return found
    told: Any = answer.kind
    return replace(found, answer=told, who=answer.who, how=answer.how, risk=answer.risk)


def _read(file: Import) -> None:
    for facts in file.document.lines:
        make_line(file, facts)


def make_line(file: Import, facts: LineFacts) -> Line:
    """A line of the file with its answer; of several ways, the one that was approved is the one carried out."""
    known = cases.knowledge_of(file.case).repairs.get(facts.repair)
    line = file.make(
        Line,
        facts.at,
        repair=facts.repair,
        words=(facts.words or (known.words if known else facts.repair)),
        component=known.component if known else "",
        minutes=facts.minutes or (known.minutes if known else 0),
        parts=facts.parts,
        labour=facts.labour,
        kind=facts.kind,
        choice=facts.choice,
        quality=facts.quality,
        scope=facts.scope,
        notes=facts.notes,
        tax_percent=facts.tax_percent,
    )
    if facts.answer == "approved" or (LINE, facts.repair) not in file.made:
        file.made[LINE, facts.repair] = line
    if facts.answer:
        told = {"who": facts.who, "how": facts.how, "risk": facts.risk}
        file.make(Answer, facts.at, line=line, kind=facts.answer, **told)
    return line


register(Kind(name="proposal", models=(Line, Answer), written=_written, read=_read))  # the file shows it with the work


def _signed(case: Case) -> Mapping[str, Any]:
    return {"signatures": case.signatures.select_related("by")}


register(
    Kind(name="signatures", models=(Signature,), sections=(Section(72, "proposal/filed_signatures.html", _signed),))
)  # a signature stays in the shop: a case file has the answers
