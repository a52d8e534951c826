"""The loose-ends ledger, what happened to the car during the work, and the codes that this brings."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.db import IntegrityError
from django.utils import timezone

from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.proof.provoked import Did, Happening, Provoked, key_was_on, provoked
from gumshoe.core.work import offers
from gumshoe.web.accounts.models import User
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.entries import entries
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.unchanged import while_unchanged
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.kit.memo import once
from gumshoe.web.ledger.models import LooseEnd, LooseEndClosed
from gumshoe.web.vehicles.cars import car_of

FLAT_HOURS = 12.0
"""How long the key of a stand-in is left on when its battery is to go flat."""


def open_end(case: Case, user: User, what: str, component: str, did: str = LooseEnd.Did.OFF) -> LooseEnd:
    """Write down something that must be put back; on a stand-in a named connector truly comes off.

    Raises BadInput without words, or for something nobody does.
    """
    if not what.strip():
        raise BadInput("What was unplugged or removed?", remedies=("name it in a few words",))
    if did not in LooseEnd.Did.values:
        raise BadInput("What was done: unplugged, removed, jumped, drained?")
    end = LooseEnd.objects.create(case=case, by=user, what=what.strip(), component=component, did=did)
    if did == LooseEnd.Did.FLAT:
        car_of(case.vehicle).leave_key_on(FLAT_HOURS)
    elif did in (LooseEnd.Did.OFF, LooseEnd.Did.REMOVED):
        car_of(case.vehicle).set_plug(component, off=True)
    return end


def close_end(case: Case, user: User, end_pk: int, overruled: str = "", key_on: bool | None = None) -> LooseEndClosed:
    """Tick a loose end: it is back in its place (or overruled by the lead, with a reason). Raises BadInput when it is
    ticked already."""
    ticked = BadInput("This loose end is already ticked.", remedies=("look at the page again",))
    end = case.looseends.filter(pk=end_pk, closed__isnull=True).first()
    if end is None:
        raise ticked
    try:
        with in_turn():
            closed = LooseEndClosed.objects.create(
                case=case, by=user, end=end, overruled=overruled.strip(), key_on=key_on
            )
    except IntegrityError as error:  # somebody else ticked it in the same moment
        raise ticked from error
    if not overruled:
        if end.did == LooseEnd.Did.FLAT:
            car_of(case.vehicle).charge()
        else:
            car_of(case.vehicle).set_plug(end.component, off=False)
    return closed


@once
def open_ends(case: Case) -> tuple[str, ...]:
    """What is still to be put back, in words."""
    return tuple(end.what for end in case.looseends.filter(closed__isnull=True))


def refuse_while_open(case: Case) -> None:
    """Raise BadInput while a loose end is open."""
    found = open_ends(case)
    if found:
        raise BadInput(
            f"There is a loose end: {'; '.join(found)}.", remedies=("put it back and tick it on the Repair page",)
        )


# -- what the work did ------------------------------------------------------------------------------------


@once
def key_seen(case: Case) -> list[tuple[float, float]]:
    """Stretches of time (epoch seconds) in which a control unit answered: the key was on."""
    seen = [(row.at.timestamp() - row.seconds, row.at.timestamp()) for row in entries(case, "scans")]
    seen += [(at.timestamp(), at.timestamp()) for at in case.recordings.values_list("at", flat=True)]
    seen += [(at.timestamp(), at.timestamp()) for at in case.commandruns.values_list("at", flat=True)]
    return seen


@once
def happenings(case: Case, until: datetime | None = None) -> tuple[Happening, ...]:
    """What the work did to components, from the ledger and from parts renewed; up to a moment, when one is given."""
    seen = [(a, b) for a, b in key_seen(case) if until is None or a <= until.timestamp()]
    knowledge = cases.knowledge_of(case)
    found = []
    for end in entries(case, "looseends"):
        if not end.component:
            continue
        if until is not None and end.at > until:
            continue
        closed: LooseEndClosed | None = getattr(end, "closed", None)
        since, back = end.at.timestamp(), closed.at.timestamp() if closed and not closed.overruled else None
        told = closed.key_on if closed else None
        words = f"{end.what} ({timezone.localtime(end.at):%H:%M})"
        did = Did(end.did)
        key = True if did is Did.FLAT else key_was_on(since, back, seen, told)
        found.append(Happening(end.component, did, words, since, back, key))
    for work in entries(case, "works"):
        if put_in_new(knowledge, work) and (until is None or work.at <= until):
            since = work.at.timestamp()
            words = f"{work.line.words} ({timezone.localtime(work.at):%H:%M})"
            key = key_was_on(since, None, seen, None)
            found.append(Happening(work.line.component, Did.RENEWED, words, since, None, key))
    return tuple(found)


@once
@while_unchanged(256)
def provoked_codes(case: Case) -> tuple[Provoked, ...]:
    """The codes that the work will have set."""
    return provoked(cases.knowledge_of(case), happenings(case))


def put_in_new(knowledge: Knowledge, work: Any) -> bool:
    """Whether a new part of this vehicle's went in with the work."""
    line = work.line
    return bool(line.component) and offers.put_in_new(
        knowledge.repairs.get(line.repair),
        part_named=bool(work.part_number or work.part_make),
        on_the_way=line.kind == line.Kind.MAINTENANCE,
    )
