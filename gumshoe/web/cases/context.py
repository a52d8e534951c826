"""What every page of a case shows: the folder's head, its tabs and the next action."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from django.shortcuts import get_object_or_404
from django.urls import reverse
from django.utils import timezone

from gumshoe.core.history.comebacks import Comeback
from gumshoe.web.cases.crew import Holder, holder_of, waiting_of
from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.held import without_what_is_not_there
from gumshoe.web.cases.models import Case, Waiting
from gumshoe.web.cases.stages import APPS, STAGES, Standing, Tab
from gumshoe.web.kit.pages import Shown
from gumshoe.web.kit.ports import Port
from gumshoe.web.vehicles import garage
from gumshoe.web.vehicles.models import Vehicle

standing_of: Port[[Case], Standing] = Port("where a case stands")
comebacks_of: Port[[Case], tuple[Comeback, ...]] = Port("what a case may be the comeback of")


def find(pk: int) -> Case:
    """The case, or 404."""
    rows = Case.objects.select_related("vehicle", "opened_by", "customer")
    return without_what_is_not_there(get_object_or_404(rows, pk=pk))


@dataclass(frozen=True, kw_only=True)
class Folder(Shown):
    """What stands around every page of a case. ``bay_open``: its stand-in is there to be watched."""

    case: Case
    vehicle: Vehicle
    stage: str
    tabs: tuple[Tab, ...]
    standing: Standing
    bay_open: bool
    comebacks: tuple[Comeback, ...]
    loose_ends: Iterable[Evidence]
    holder: Holder
    waiting: Waiting | None
    opened: str
    """When the page was made, so that it can be told what was entered since."""


def folder(case: Case, stage: str) -> Folder:
    """The folder of a case, open at a stage."""
    standing = standing_of(case)
    return Folder(
        case=case,
        vehicle=case.vehicle,
        stage=stage,
        tabs=tabs(case, stage, standing),
        standing=standing,
        bay_open=case.closed_at is None and garage.runner(case.vehicle.stand_in) is not None,
        comebacks=comebacks_of(case),
        loose_ends=case.looseends.filter(closed__isnull=True),
        holder=holder_of(case),
        waiting=waiting_of(case),
        opened=timezone.now().isoformat(),
    )


def tabs(case: Case, current: str, where: Standing) -> tuple[Tab, ...]:
    """The folder's tabs: name, address, whether its stage has been reached."""
    return tuple(
        Tab(
            name.capitalize(),
            reverse(f"{APPS[name]}:{name}", args=[case.pk]),
            name == current,
            name in where.done,
            name == where.stage,
            (index + 1) % 10,
        )
        for index, name in enumerate(STAGES)
    )
