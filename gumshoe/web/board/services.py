"""The board."""

from __future__ import annotations

from dataclasses import dataclass
from time import monotonic

from django.db.models import Exists, OuterRef

from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.stages import Standing
from gumshoe.web.history import services as history
from gumshoe.web.standing.services import standing_with, with_facts
from gumshoe.web.work.models import Work


@dataclass(frozen=True)
class Card:
    """One case on the board."""

    case: Case
    standing: Standing
    words: str
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


def board() -> list[tuple[str, list[Card]]]:
    """Open cases by column, oldest first, and the lately closed ones at the end of the last column."""
    cards: list[Card] = []
    until = monotonic() + WORK_OUT_S
    earlier = Work.objects.filter(case__vehicle=OuterRef("vehicle"), case__opened_at__lt=OuterRef("opened_at"))
    waiting = Case.objects.filter(closed_at__isnull=True).select_related("vehicle").order_by("opened_at")
    past = _past_of([case.pk for case in waiting.annotate(was_here=Exists(earlier)) if case.was_here])
    for case in with_facts(waiting.prefetch_related("complaints")):
        complaint = cases.complaint_of(case)
        held = past.get(case.pk)
        comeback = held is not None and any(item.covered for item in history.comebacks_of(held[0], held[1]))
        cards.append(
            Card(case, standing_with(case, wait=monotonic() < until), complaint.text if complaint else "", comeback)
        )
    return [(name, [card for card in cards if card.standing.stage in stages]) for name, stages in COLUMNS]


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
