"""What every page of a case shows: the folder's head, its tabs and the next action."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404

from gumshoe.web.cases import standing
from gumshoe.web.cases.models import Case
from gumshoe.web.shop import history
from gumshoe.web.vehicles import garage


def find(pk: int) -> Case:
    """The case, or 404."""
    return get_object_or_404(Case.objects.select_related("vehicle", "opened_by"), pk=pk)


def folder(case: Case, stage: str, **more: Any) -> dict[str, Any]:
    """The context of a stage's page."""
    return {
        "case": case,
        "vehicle": case.vehicle,
        "stage": stage,
        "tabs": standing.tabs(case, stage),
        "standing": standing.standing(case),
        "bay_open": case.closed_at is None and garage.runner(case.vehicle.stand_in) is not None,
        "comebacks": history.comebacks_of(case),
        "loose_ends": case.looseends.filter(closed__isnull=True),
        **more,
    }
