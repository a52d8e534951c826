"""The board."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import Exists, OuterRef

from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.standing import Standing, standing
from gumshoe.web.repairs.models import Work
from gumshoe.web.shop import history


@dataclass(frozen=True)
class Card:
    """One case on the board."""

    case: Case
    standing: Standing
    words: str
    comeback: bool = False


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
    cards = []
    earlier = Work.objects.filter(case__vehicle=OuterRef("vehicle"), case__opened_at__lt=OuterRef("opened_at"))
    waiting = Case.objects.filter(closed_at__isnull=True).select_related("vehicle").order_by("opened_at")
    for case in waiting.annotate(was_here=Exists(earlier)):
        complaint = cases.complaint_of(case)
        comeback = case.was_here and any(item.covered for item in history.comebacks_of(case))
        cards.append(Card(case, standing(case), complaint.text if complaint else "", comeback))
    return [(name, [card for card in cards if card.standing.stage in stages]) for name, stages in COLUMNS]


def closed(most: int = 8) -> list[Case]:
    """The cases closed last."""
    return list(Case.objects.filter(closed_at__isnull=False).select_related("vehicle").order_by("-closed_at")[:most])
