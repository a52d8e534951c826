"""Sums over the whole shop are kept and change with each entry: rows say whether they are counted as they stand."""

from __future__ import annotations

from django.db.models import Index, Q


def not_counted(name: str, key: str = "id") -> Index:
    """The database's index of the rows that are to be counted anew: those that are, cost nothing."""
    return Index(fields=[key], name=name, condition=Q(counted=False))
