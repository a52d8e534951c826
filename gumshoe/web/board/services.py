"""The board."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from math import inf
from time import monotonic

from django.db.models import Exists, OuterRef

from gumshoe.web.cases import services as cases
from gumshoe.web.cases.crew import Holder, holder_of, waiting_of
from gumshoe.web.cases.models import Case, Waiting
from gumshoe.web.cases.stages import Standing
from gumshoe.web.history import services as history
from gumshoe.web.standing.services import standings
from gumshoe.web.work.models import Work


@dataclass(frozen=True)
class Card:
    """One case on the board."""

    case: Case
    standing: Standing
    words: str
    holder: Holder
    waiting: Waiting | None
    comeback: bool = False


WORK_OUT_S = 1.5
"""So long a board works out next actions that are not kept; the others are said to be under way, and come later."""
# The board's columns gather neighbouring stages: what is waiting for whom.
COLUMNS = (
    ("Intake", ("complaint", "scan")),
    ("Finding", ("read", "live", "suspects", "bench")),
    ("Repair", ("repair", "clear")),
    ("Proof", ("prove",)),
    ("Hand over", ("report",)),
)


class By(StrEnum):
    """What the columns of the board are."""

    STAGE = "stage"
    BAY = "bay"
    PERSON = "person"


def board(by: By = By.STAGE) -> list[tuple[str, list[Card]]]:
    """Open cases by column, oldest first: by what is to be done, by where the car stands, or by who has it."""
    found = cards()
    if by is By.STAGE:
        return [(name, [card for card in found if card.standing.stage in stages]) for name, stages in COLUMNS]
    columns: dict[str, list[Card]] = {}
    for card in found:
        name = (card.case.bay or "no bay") if by is By.BAY else str(card.holder.user)
        columns.setdefault(name, []).append(card)
    return sorted(columns.items(), key=lambda column: (column[0] == "no bay", column[0].casefold()))


def cards(*, until_done: bool = False) -> list[Card]:
    """Every open case, oldest first. ``until_done``: however long it takes to work out what comes next."""
    found: list[Card] = []
    until = inf if until_done else monotonic() + WORK_OUT_S
    earlier = Work.objects.filter(case__vehicle=OuterRef("vehicle"), case__opened_at__lt=OuterRef("opened_at"))
    rows = (
        Case.objects.filter(closed_at__isnull=True)
        .select_related("vehicle", "opened_by", "state")
        .order_by("opened_at")
    )
    past = _past_of([case.pk for case in rows.annotate(was_here=Exists(earlier)) if case.was_here])
    listed = list(rows.prefetch_related("complaints", "handovers__to", "waitings"))
    for case, told in zip(listed, standings(listed, until), strict=True):
        complaint = cases.complaint_of(case)
        held = past.get(case.pk)
        comeback = held is not None and any(item.covered for item in history.comebacks_of(held[0], held[1]))
        found.append(
            Card(
                case,
                told,
                complaint.text if complaint else "",
                holder_of(case),
                waiting_of(case),
                comeback,
            )
        )
    return found


def _past_of(cases_here: list[int]) -> dict[int, tuple[Case, tuple[Case, ...]]]:
    """Those open cases, each with the earlier cases of its vehicle, in a fixed number of queries."""
    ours = list(history.with_past(Case.objects.filter(pk__in=cases_here)))
    vehicles = {case.vehicle_id for case in ours}
    worked = Case.objects.filter(vehicle__in=vehicles, works__isnull=False).distinct()
    rows = list(history.with_past(worked).order_by("opened_at"))
    return {
        case.pk: (
            case,
            tuple(row for row in rows if row.vehicle_id == case.vehicle_id and row.opened_at < case.opened_at),
        )
        for case in ours
    }


def closed(most: int = 8) -> list[Case]:
    """The cases closed last."""
    return list(Case.objects.filter(closed_at__isnull=False).select_related("vehicle").order_by("-closed_at")[:most])
