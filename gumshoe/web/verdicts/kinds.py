"""Kind of evidence: the verdict, its review, why the part failed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from gumshoe.core.casefile import CaseFile
from gumshoe.core.casefile.model import VerdictFacts
from gumshoe.web.cases.entries import entries
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.registry import Export, Import, Kind, Section, register
from gumshoe.web.verdicts.models import Review, RootCause, Verdict


def _written(export: Export, document: CaseFile) -> CaseFile:
    row = export.case.verdicts.last()
    if row is None or not export.is_added(row):
        return document
    found, said = VerdictFacts(row.suspect, row.words, row.guess, row.cause), row.review
    if said is not None:
        kind: Any = said.kind
        found = replace(found, review=kind, reviewed_by=str(said.by), review_reason=said.reason)
    return replace(document, verdict=found)


def _read(file: Import) -> None:
    named = file.document.verdict
    if named is None:
        return
    given = file.make(
        Verdict,
        suspect=named.suspect,
        words=(named.words or named.suspect),
        probability=0.0,
        guess=named.guess,
        standing="taken over from the case file",
        root_cause=named.root_cause,
    )
    if named.review:
        file.make(Review, verdict=given, kind=named.review, reason=named.review_reason)


def _filed(case: Case) -> Mapping[str, Any]:
    return {"verdicts": entries(case, "verdicts")}


register(
    Kind(
        name="verdict",
        models=(Verdict, Review, RootCause),
        written=_written,
        read=_read,
        sections=(Section(60, "verdicts/filed.html", _filed),),
    )
)
