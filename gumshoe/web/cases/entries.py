"""What is on record of a case, one kind of entry at a time, found once a request whoever asks for it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.held import without_others, worth_fetching
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.memo import once

JOINED = {
    "looseends": ("closed", "closed__by"),
    "works": ("line",),
    "testrecords": ("withdrawn", "withdrawn__by"),
}
WITH_OTHERS = ("verdicts",)
"""Kinds that are found with the entries about them, and with who made those."""
LEFT = {"scans": ("frames",)}
"""Of these only when it is asked for: the raw frames of a scan are long."""


@once
def entries(case: Case, kind: str) -> tuple[Any, ...]:
    """All entries of a kind (``testrecords``, ``scans`` ...) in the order they were made, with who made them."""
    rows = getattr(case, kind).select_related("by", *JOINED.get(kind, ())).defer(*LEFT.get(kind, ()))
    if kind not in WITH_OTHERS:
        return tuple(rows)
    others = worth_fetching([case], kind)
    found = tuple(rows.prefetch_related(*(f"{name}__by" for name in others)))
    without_others(found, kind, others)
    return found


def at_hand(case: Case, kind: str) -> Iterable[Any]:
    """All entries of a kind: those that were fetched with the case, or else as ``entries`` finds them."""
    fetched = kind in getattr(case, "_prefetched_objects_cache", {})
    return getattr(case, kind).all() if fetched else entries(case, kind)


def newest(rows: Iterable[Any]) -> Any:
    """The newest of some entries; None where there is none."""
    return max(rows, key=lambda row: (row.at, row.pk), default=None)


def stamp(entry: Evidence) -> str:
    """When an entry was made, as clues carry it."""
    return str(entry.at.isoformat())
