"""The kinds of evidence. Each application registers its own in its ``kinds.py``, found when the applications are ready;
case file, judgement and technical file loop over them, so that a new kind is told of in one place.

A kind says how it goes into a case file and comes out of one, what it tells the judgement, and which parts of the
technical file show it. What it has no part in it leaves out.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any, TypeVar

from django.utils import timezone

from gumshoe.core.casefile import CaseFile
from gumshoe.core.clues import OnRecord
from gumshoe.core.judgement import Grounds
from gumshoe.web.accounts.models import User
from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.models import Case

E = TypeVar("E", bound=Evidence)


def time_of(text: str) -> datetime:
    """The time of an entry in a file; now where it gives none. What cannot be a time was refused when it was read."""
    if not text:
        return timezone.now()
    found = datetime.fromisoformat(text)
    return found if found.tzinfo else timezone.make_aware(found)


def stamp_of(text: str) -> str:
    """A time of a file as our own rows write it."""
    return time_of(text).astimezone(UTC).isoformat() if text else ""


class Export:
    """A case on its way into a file. What stands for something in an imported file goes out as it came: only what was
    added here is written anew."""

    def __init__(self, case: Case, came: CaseFile, entries: Mapping[str, list[int]]) -> None:
        self.case, self.came, self.entries = case, came, entries
        self._came = {(name, pk) for name, pks in entries.items() for pk in pks}

    def is_added(self, row: Evidence) -> bool:
        """Whether an entry was made here."""
        return (row._meta.model_name, row.pk) not in self._came

    def added(self, rows: Iterable[E]) -> list[E]:
        """Those of the entries that were made here."""
        return [row for row in rows if self.is_added(row)]


class Import:
    """A file on its way into a new case: makes the entries and remembers which they are. ``begun``: before the first
    scan; where the file gives an event no time, it happened before the car was read."""

    def __init__(self, case: Case, user: User, document: CaseFile) -> None:
        self.case, self.user, self.document = case, user, document
        self.entries: dict[str, list[int]] = {}
        self.made: dict[tuple[str, str], Any] = {}
        """Entries that others of the file refer to, by kind and name."""
        taken = [time_of(scan.taken_at.isoformat()) for scan in document.scans]
        self.begun = min([timezone.now(), *taken])

    def make(self, model: type[E], at: str = "", **values: Any) -> E:
        """Store an entry of the case, made at the time the file gives. Words that are longer than what is kept of them
        are cut: the file itself is kept whole."""
        for field in model._meta.concrete_fields:
            most, value = field.max_length, values.get(field.name)
            if isinstance(value, str) and most is not None:
                values[field.name] = value[:most]
        row = model(case=self.case, by=self.user, at=time_of(at), **values)
        row.save()
        self.keep(row)
        return row

    def keep(self, row: Evidence) -> None:
        """Remember that an entry stands for something in the file."""
        self.entries.setdefault(str(row._meta.model_name), []).append(row.pk)


ROWS = "cases/filed_rows.html"
"""A section that is nothing but lines: ``title``, and ``rows`` of words and the entry that says so."""


@dataclass(frozen=True)
class Section:
    """A part of the technical file: its template, what it shows (``values``, as ``part`` in the template), and its
    place among the others."""

    place: int
    template: str
    values: Callable[[Case], Mapping[str, Any]]


Written = Callable[[Export, CaseFile], CaseFile]
Read = Callable[[Import], None]
Tells = Callable[[Case, OnRecord, datetime | None], OnRecord]
Bears = Callable[[Case, Grounds], Grounds]
Codes = Callable[[Case], Iterable[str]]


@dataclass(frozen=True, kw_only=True)
class Kind:
    """A kind of evidence: its ``models``; ``written`` puts what was added here into a case file; ``read`` makes entries
    of what a file holds; ``tells`` puts it on the record that is judged (of what was made since a moment, where one is
    given); ``bears`` says what else the judgement must know; ``codes``: the trouble codes it holds; ``sections`` of the
    technical file show it."""

    name: str
    models: tuple[type[Evidence], ...] = ()
    written: Written | None = None
    read: Read | None = None
    tells: Tells | None = None
    bears: Bears | None = None
    codes: Codes | None = None
    sections: tuple[Section, ...] = ()


_kinds: dict[str, Kind] = {}


def register(kind: Kind) -> Kind:
    """Add a kind; once for each name. Raises RuntimeError for a name that is taken."""
    if kind.name in _kinds:
        raise RuntimeError(f"There is a kind of evidence “{kind.name}” already.")
    _kinds[kind.name] = kind
    return kind


def kinds() -> tuple[Kind, ...]:
    """Every kind, in the order of the applications: what one refers to comes before it."""
    return tuple(_kinds.values())
