"""The loose-ends ledger as it stands beside every page of repair and clear, and where its forms lead back to."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect

from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.repairs.models import LooseEnd

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
PAGES = {"repair": "repairs:repair", "lines": "repairs:lines", "work": "repairs:work", "clear": "repairs:clear"}


def ledger(case: Case, back: str) -> dict[str, Any]:
    """What the ledger shows: open ends come with the folder; closed ones, quick ones, parts to choose from."""
    knowledge = cases.knowledge_of(case)
    parts = sorted((item.id, item.words) for item in knowledge.components.values())
    return {
        "back": back,
        "closed_ends": case.looseends.filter(closed__isnull=False).select_related("closed__by"),
        "quick_ends": [row for row in QUICK_ENDS if row[1] in knowledge.components or row[1] in BEYOND_ELECTRICS],
        "end_parts": sorted(parts, key=lambda row: row[1]),
        "did_choices": LooseEnd.Did.choices,
    }


def back_to(request: HttpRequest, case: Case) -> HttpResponse:
    """The page the form stood on."""
    return redirect(PAGES.get(request.POST.get("back", ""), "repairs:work"), case.pk)
