"""What is on record of a case, one kind of entry at a time, found once a request whoever asks for it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.held import is_empty, with_none
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.memo import once

JOINED = {
    "looseends": ("closed", "closed__by"),
    "works": ("line",),
    "testrecords": ("withdrawn", "withdrawn__by"),
}
FETCHED = {"verdicts": (("reviews", "reviews"), ("causes", "rootcauses"))}
"""Entries about these entries: under which name, and of which kind they are; with who made them."""
LEFT = {"scans": ("frames",)}
"""Of these only when it is asked for: the raw frames of a scan are long."""


@once
def entries(case: Case, kind: str) -> tuple[Any, ...]:
    """All entries of a kind (``testrecords``, ``scans`` ...) in the order they were made, with who made them."""
    about = {name: is_empty(case, other) for name, other in FETCHED.get(kind, ())}
    rows = getattr(case, kind).select_related("by", *JOINED.get(kind, ())).defer(*LEFT.get(kind, ()))
    found = tuple(rows.prefetch_related(*(f"{name}__by" for name, empty in about.items() if not empty)))
    for name in (name for name, empty in about.items() if empty):
        with_none(found, name)
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
