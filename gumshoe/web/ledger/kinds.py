"""Kind of evidence: the ledger of loose ends."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import timedelta
from typing import Any

from gumshoe.core.casefile import CaseFile
from gumshoe.core.casefile.model import EventFacts
from gumshoe.web.cases.entries import entries
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.registry import Export, Import, Kind, Section, register
from gumshoe.web.ledger.models import LooseEnd, LooseEndClosed

BEFORE = timedelta(seconds=1)


def _written(export: Export, document: CaseFile) -> CaseFile:
    added = export.added(export.case.looseends.select_related("closed"))
    return replace(document, events=(*document.events, *map(_event, added)))


def _event(row: Any) -> EventFacts:
    back = row.closed.at.isoformat() if hasattr(row, "closed") else ""
    key_on = row.closed.key_on if back else None
    return EventFacts(row.component, row.what, row.at.isoformat(), back, row.did, key_on)


def _read(file: Import) -> None:
    for event in file.document.events:
        words = event.what or f"{event.off.replace('_', ' ')} off"
        at = event.at or (file.begun - BEFORE).isoformat()
        end = file.make(LooseEnd, at, what=words, component=event.off, did=event.did)
        if event.back_at:
            file.make(LooseEndClosed, event.back_at, end=end, key_on=event.key_on)


def _filed(case: Case) -> Mapping[str, Any]:
    return {"ends": entries(case, "looseends")}


register(
    Kind(
        name="ledger",
        models=(LooseEnd, LooseEndClosed),
        written=_written,
        read=_read,
        sections=(Section(80, "ledger/filed.html", _filed),),
    )
)
