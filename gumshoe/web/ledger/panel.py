"""The loose-ends ledger as it stands beside every page of repair and clear, and where its forms lead back to."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from django.http import HttpResponse
from django.shortcuts import redirect

from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.ledger.models import LooseEnd

QUICK_ENDS = (
    ("air-flow meter unplugged", "air_flow_meter", LooseEnd.Did.OFF),
    ("purge valve unplugged", "purge_valve", LooseEnd.Did.OFF),
    ("coolant sensor unplugged", "coolant_sensor", LooseEnd.Did.OFF),
    ("upstream oxygen sensor unplugged", "oxygen_sensor_b1s1", LooseEnd.Did.OFF),
    ("intake duct off", "intake_duct", LooseEnd.Did.REMOVED),
    ("battery disconnected", "battery", LooseEnd.Did.OFF),
    ("battery went flat", "battery", LooseEnd.Did.FLAT),
    ("coolant drained", "cooling_system", LooseEnd.Did.DRAINED),
)
"""What comes off most often (common practice)."""
BEYOND_ELECTRICS = {"battery", "intake_duct", "cooling_system"}
PAGES = {"repair": "verdicts:repair", "lines": "proposal:lines", "work": "work:work", "clear": "clearing:clear"}


@dataclass(frozen=True)
class Ledger:
    """What the ledger shows beside a page: where its forms lead back to, closed ends, quick ones, parts to choose from.
    Open ends come with the folder."""

    back: str
    closed_ends: Iterable[LooseEnd]
    quick_ends: list[tuple[str, str, LooseEnd.Did]]
    end_parts: list[tuple[str, str]]
    did_choices: Sequence[tuple[str, str]]


def ledger(case: Case, back: str) -> Ledger:
    """The ledger of a case, for a page of that name."""
    knowledge = cases.knowledge_of(case)
    parts = sorted((item.id, item.words) for item in knowledge.components.values())
    return Ledger(
        back,
        case.looseends.filter(closed__isnull=False).select_related("closed__by"),
        [row for row in QUICK_ENDS if row[1] in knowledge.components or row[1] in BEYOND_ELECTRICS],
        sorted(parts, key=lambda row: row[1]),
        LooseEnd.Did.choices,
    )


def back_to(page: str, case: Case) -> HttpResponse:
    """The page the form stood on."""
    return redirect(PAGES.get(page, "work:work"), case.pk)
