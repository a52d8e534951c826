"""Rows say whether what is worked out of them is so as they stand now. The database keeps an index of those of which it
is not, so that asking costs nothing where nothing has changed."""

from __future__ import annotations

from django.db.models import F, Index, Q


def not_counted(name: str, key: str = "id") -> Index:
    """Of the rows that are to be counted anew, by ``counted``."""
    return Index(fields=[key], name=name, condition=Q(counted=False))


def not_found_as_now(stamp: str, name: str, key: str = "id") -> Index:
    """Of the rows that are to be put into the search anew: ``stamp`` is not the one they were ``found`` with."""
    return Index(fields=[key], name=name, condition=~Q(**{stamp: F("found")}))
