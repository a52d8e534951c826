"""Of most kinds of evidence a case has no entry. While a page is only read, one question tells which; nothing is then
asked of those that are not there."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache
from typing import Any

from django.db import connection

from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.memo import once, only_reads


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


def is_empty(case: Case, name: str) -> bool:
    """Whether a case is known to have no entry of a kind."""
    found = getattr(case, "_prefetched_objects_cache", {}).get(name)
    return found is not None and found.query.is_empty()


def with_none(entries: Iterable[Any], name: str) -> None:
    """Of these entries none has another about it under that name: it is not asked for."""
    for entry in entries:
        vars(entry).setdefault("_prefetched_objects_cache", {})[name] = getattr(entry, name).none()


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
        empty = {name: model._default_manager.none() for name, model in _kinds().items() if name not in there}
        vars(case)["_prefetched_objects_cache"] = {**getattr(case, "_prefetched_objects_cache", {}), **empty}
    return case
