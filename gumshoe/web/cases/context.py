"""What every page of a case shows: the folder's head, its tabs and the next action."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import ClassVar

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.urls import reverse
from django.utils import timezone

from gumshoe.core.history.comebacks import Comeback
from gumshoe.web.cases.crew import Holder, holder_of, waiting_of
from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.held import without_what_is_not_there
from gumshoe.web.cases.models import Case, Waiting
from gumshoe.web.cases.stages import APPS, STAGES, Standing, Tab
from gumshoe.web.kit.pages import Page, Shown, show
from gumshoe.web.kit.ports import Port
from gumshoe.web.vehicles import garage
from gumshoe.web.vehicles.models import Vehicle


@dataclass(frozen=True)
class Practising:
    """An exercise that a case is: the number of the attempt, whose, at what level; which pages are hidden; clock (as a
    time of day), minutes and money so far."""

    attempt: int
    title: str
    person: str
    person_id: int
    level: str
    hides: frozenset[str]
    ended: bool
    clock: str
    minutes: float
    money: float

    @property
    def bare(self) -> bool:
        """Whether nothing is shown but codes and instruments."""
        return "how" in self.hides


HIDDEN_FROM = frozenset({"read", "suspects", "next", "file"})
"""What of the reasoning an exercise may hide: pages, and the next action."""
standing_of: Port[[Case], Standing] = Port("where a case stands")
practising: Port[[Case], Practising | None] = Port("which exercise a case is")
comebacks_of: Port[[Case], tuple[Comeback, ...]] = Port("what a case may be the comeback of")


def find(pk: int) -> Case:
    """The case, or 404."""
    rows = Case.every.select_related("vehicle", "opened_by", "customer", "state")
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
    practice: Practising | None = None


def folder(case: Case, stage: str) -> Folder:
    """The folder of a case, open at a stage."""
    standing, practice = standing_of(case), practising(case) if case.practice else None
    hides = practice.hides if practice else frozenset[str]()
    if "next" in hides:
        here = reverse(f"{APPS[stage]}:{stage}", args=[case.pk])
        standing = replace(standing, stage=stage, action="it is your turn", url=here, direct=False)
    return Folder(
        case=case,
        vehicle=case.vehicle,
        stage=stage,
        tabs=tuple(tab for tab in tabs(case, stage, standing) if tab.name.lower() not in hides),
        standing=standing,
        bay_open=case.closed_at is None and garage.runner(case.vehicle.stand_in) is not None,
        comebacks=comebacks_of(case),
        loose_ends=case.looseends.filter(closed__isnull=True),
        holder=holder_of(case),
        waiting=waiting_of(case),
        opened=timezone.now().isoformat(),
        practice=practice,
    )


def hides(case: Case, what: str) -> bool:
    """Whether this is an exercise at a level that does not show it."""
    found = practising(case) if case.practice else None
    return found is not None and what in found.hides


@dataclass(frozen=True, kw_only=True)
class HiddenPage(Page):
    """In place of what an exercise hides."""

    TEMPLATE: ClassVar[str] = "cases/hidden.html"


def hidden_page(request: HttpRequest, case: Case, stage: str, what: str = "") -> HttpResponse | None:
    """What is shown in place of a page that an exercise hides; None where it is to be seen."""
    return show(request, HiddenPage(), folder(case, stage)) if hides(case, what or stage) else None


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
