"""The board."""

from __future__ import annotations

from dataclasses import dataclass

from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.standing import Standing, standing


@dataclass(frozen=True)
class Card:
    """One case on the board."""

    case: Case
    standing: Standing
    words: str


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
    for case in Case.objects.filter(closed_at__isnull=True).select_related("vehicle").order_by("opened_at"):
        complaint = cases.complaint_of(case)
        cards.append(Card(case, standing(case), complaint.text if complaint else ""))
    return [(name, [card for card in cards if card.standing.stage in stages]) for name, stages in COLUMNS]


def closed(most: int = 8) -> list[Case]:
    """The cases closed last."""
    return list(Case.objects.filter(closed_at__isnull=False).select_related("vehicle").order_by("-closed_at")[:most])
