"""Who has a case open at the moment, and what others entered in it since a page was opened.

Who is there is told by their pages and forgotten when they fall silent; it is no evidence and is kept in memory.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from django.core.cache import cache
from django.utils import timezone

from gumshoe.web.accounts.models import User
from gumshoe.web.cases.models import Case, Touched

GONE_S = 45.0
"""Whose page says nothing for so long has left."""


@dataclass(frozen=True)
class Here:
    """Somebody in the case, on which page of it."""

    name: str
    stage: str


def seen(case_pk: int, user: User, stage: str) -> list[Here]:
    """Say that this person is there; who else is."""
    now, key = timezone.now(), f"in-case-{case_pk}"
    held: dict[int, tuple[str, str, datetime]] = cache.get(key) or {}
    held = {pk: row for pk, row in held.items() if (now - row[2]).total_seconds() < GONE_S}
    held[user.pk] = (str(user), stage, now)
    cache.set(key, held, GONE_S * 2)
    return [Here(name, where) for pk, (name, where, _) in held.items() if pk != user.pk]


def entered_since(case: Case, user: User, opened: datetime) -> tuple[str, datetime] | None:
    """Who else entered something after a page was opened, and when; the latest."""
    rows = Touched.objects.filter(case=case, at__gt=opened + timedelta(milliseconds=1)).exclude(by=user)
    row = rows.select_related("by").order_by("-at").first()
    return (str(row.by), row.at) if row else None
