"""Of most kinds of evidence a case has no entry. While a page is only read, one question tells which; nothing is then
asked of those that are not there."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache
from typing import Any

from django.db import connection

from gumshoe.web.cases.evidence import Evidence, EvidenceQuerySet
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.memo import once, only_reads

ABOUT = {
    "verdicts": {"reviews": "reviews", "causes": "rootcauses"},
    "lines": {"works": "works", "answers": "answers"},
}
"""Entries about other entries: of which kind, under which name there, and under which the case has them all."""


class NoEntries(EvidenceQuerySet):
    """Entries of a kind that a case has none of: known without asking, and without putting a question together, which
    costs as much as asking it (``none()`` does)."""

    def _fetch_all(self) -> None:
        self._result_cache = []

    def exists(self) -> bool:
        return False

    def count(self) -> int:
        return 0


@cache
def _kinds() -> dict[str, Any]:
    """Every kind of evidence, by the name under which a case has its entries."""
    found = {}
    for relation in Case._meta.related_objects:
        model: Any = relation.related_model
        if issubclass(model, Evidence):
            found[str(relation.get_accessor_name())] = model
    return found


@cache
def _question() -> str:
    return " UNION ALL ".join(
        f"SELECT '{name}' WHERE EXISTS (SELECT 1 FROM {model._meta.db_table} WHERE case_id = %s)"
        for name, model in _kinds().items()
    )


def worth_fetching(cases: Iterable[Case], kind: str) -> list[str]:
    """The names under which entries of a kind have others about them, but for those of which no case has any."""
    return [name for name, own in ABOUT.get(kind, {}).items() if not all(_is_empty(case, own) for case in cases)]


def without_others(entries: Iterable[Any], kind: str, fetched: Iterable[str]) -> None:
    """Of these entries of a kind none has another about it but under the names that were fetched: nothing is asked."""
    names = set(ABOUT.get(kind, {})) - set(fetched)
    for entry in entries:
        for name in names:
            vars(entry).setdefault("_prefetched_objects_cache", {})[name] = _no_others(entry, name)


def _no_others(entry: Any, name: str) -> NoEntries:
    return NoEntries(entry._meta.get_field(name).related_model).none()


def _is_empty(case: Case, name: str) -> bool:
    found = getattr(case, "_prefetched_objects_cache", {}).get(name)
    return found is not None and found.query.is_empty()


@once
def _there(pk: int) -> frozenset[str]:
    with connection.cursor() as cursor:
        cursor.execute(_question(), [pk] * len(_kinds()))
        return frozenset(name for (name,) in cursor.fetchall())


def without_what_is_not_there(case: Case) -> Case:
    """The same case; kinds without an entry are known to be empty for the rest of the request. Where something may be
    entered, nothing is presumed."""
    if only_reads():
        there = _there(case.pk)
        empty = {name: NoEntries(model).none() for name, model in _kinds().items() if name not in there}
        vars(case)["_prefetched_objects_cache"] = {**getattr(case, "_prefetched_objects_cache", {}), **empty}
    return case
