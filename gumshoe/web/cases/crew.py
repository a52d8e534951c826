"""Who has a case and since when; what it waits for."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from gumshoe.web.accounts.models import User
from gumshoe.web.cases.entries import newest
from gumshoe.web.cases.models import Case, Waiting


@dataclass(frozen=True)
class Holder:
    """Who has a case."""

    user: User
    since: datetime


def holder_of(case: Case) -> Holder:
    """Whoever it was handed to last; else who opened it."""
    last = newest(case.handovers.all())
    return Holder(last.to, last.at) if last else Holder(case.opened_by, case.opened_at)


def waiting_of(case: Case) -> Waiting | None:
    """What it waits for; None where it can be worked on."""
    last: Waiting | None = newest(case.waitings.all())
    return last if last is not None and last.what != Waiting.What.NOTHING else None
