"""Opening cases, recording complaints, and what the powertrain of a case is."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.db.models import F, Max
from django.utils import timezone

from gumshoe.core.casefile import CaseFile, case_of
from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.catalogue import Knowledge, expand
from gumshoe.core.knowledge.parts import Local
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.knowledge.rows import Specification
from gumshoe.core.knowledge.told_parts import by_codes
from gumshoe.core.knowledge.values import Climate
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.web.accounts.models import User
from gumshoe.web.cases.entries import at_hand, newest
from gumshoe.web.cases.models import Case, Complaint, Reopened
from gumshoe.web.cases.registry import kinds
from gumshoe.web.cases.unchanged import while_unchanged
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.kit.memo import once
from gumshoe.web.kit.ports import Port
from gumshoe.web.library import services as library
from gumshoe.web.settings.models import Settings
from gumshoe.web.vehicles import description as vehicles
from gumshoe.web.vehicles import register
from gumshoe.web.vehicles.finding import CUSTOMERS, VEHICLES
from gumshoe.web.vehicles.models import Vehicle

count_up: Port[[], None] = Port("that the sums over cases and cars are those of now")
MOST_HERE = 12
"""So many vehicles are offered at intake."""
TWICE_S = 15
"""A case without a complaint opened so lately for the same car is the same case: the button was pressed twice."""


@in_turn()
def open_case(user: User, vehicle: Vehicle, bay: str = "") -> Case:
    """A new case with the next number of the year."""
    year = timezone.localdate().year % 100
    prefix = f"{year:02d}-"
    last = Case.objects.filter(number__startswith=prefix).aggregate(top=Max("number"))["top"]
    number = f"{prefix}{int(last[3:]) + 1 if last else 1:04d}"
    return Case.objects.create(number=number, vehicle=vehicle, opened_by=user, bay=bay, customer=vehicle.customer)


def open_once(user: User, vehicle: Vehicle, bay: str = "") -> Case:
    """A new case; the one opened seconds ago by the same person, where the button was pressed twice."""
    since = timezone.now() - timedelta(seconds=TWICE_S)
    just = vehicle.cases.filter(opened_by=user, opened_at__gt=since, closed_at__isnull=True, complaints__isnull=True)
    return just.first() or open_case(user, vehicle, bay)


@in_turn()
def take_in(user: User, data: dict[str, Any]) -> Vehicle:
    """A car that is not on file, with its owner. Raises BadInput when the plate is taken or the VIN cannot be one."""
    owner = register.customer_named(data.get("owner", ""), data.get("owner_contact", ""), user)
    return register.new_vehicle(user, data, owner)


def here_lately() -> list[Vehicle]:
    """The vehicles that came last."""
    count_up()
    rows = Vehicle.objects.filter(same_as=None).select_related("customer")
    return list(rows.order_by(F("seen").desc(nulls_last=True), "-plate")[:MOST_HERE])


def looked_for(text: str) -> list[Vehicle]:
    """Vehicles found by plate, VIN, make and model, or by their owner's name or phone; the best first."""
    found = [hit.pk for hit in VEHICLES.find(text, MOST_HERE)]
    owners = [hit.pk for hit in CUSTOMERS.find(text, MOST_HERE)]
    rows = Vehicle.objects.filter(same_as=None).select_related("customer")
    held = {row.pk: row for row in (*rows.filter(pk__in=found), *rows.filter(customer__in=owners))}
    place = {pk: at for at, pk in enumerate(found)}
    return sorted(held.values(), key=lambda row: (place.get(row.pk, MOST_HERE), row.plate))[:MOST_HERE]


@in_turn()
def reopen(case: Case, user: User, reason: str) -> Reopened:
    """Open a closed case again. Raises BadInput without a reason, or when it is open."""
    Reopened.fits(case)
    if case.closed_at is None:
        raise BadInput("The case is open.")
    if not reason.strip():
        raise BadInput("A reason is needed to reopen a case.", remedies=("write it in a few words",))
    entry = Reopened.objects.create(case=case, by=user, reason=reason.strip())
    case.closed_at = None
    case.save(update_fields=["closed_at"])
    return entry


def not_overtaken(rows: Any, seen: int | None, user: User, what: str) -> None:
    """An entry that supersedes others is made by somebody who has seen them. ``seen``: the newest that the page showed,
    None where it does not say. Raises BadInput where somebody else made a newer one meanwhile."""
    last = newest(rows)
    if seen is not None and last is not None and last.pk != seen and last.by_id != user.pk:
        raise BadInput(
            f"{last.by} stored another {what} at {timezone.localtime(last.at):%H:%M}, after this page was opened.",
            kept="Nothing of yours was stored yet; what you typed waits in the form.",
            remedies=("look at theirs, then store yours if it still holds",),
        )


@in_turn()
def complain(case: Case, user: User, data: dict[str, Any], seen: int | None = None) -> Complaint:
    """Store what the customer said; it supersedes an earlier complaint visibly. Raises BadInput where somebody else
    stored one that ``seen`` does not know."""
    not_overtaken(case.complaints.select_related("by"), seen, user, "complaint")
    return Complaint.objects.create(case=case, by=user, **data)


@once
def complaint_of(case: Case) -> Complaint | None:
    """The complaint that holds."""
    found: Complaint | None = newest(at_hand(case, "complaints"))
    return found


@once
@while_unchanged(256)
def knowledge_of(case: Case) -> Knowledge:
    """The tables expanded for the case's powertrain, with what platform and shop know beyond them."""
    return expand(powertrain_of(case), local_of(case))


def powertrain_of(case: Case) -> Powertrain:
    """The powertrain as entered for the vehicle, else the platform's, else the generic one; with what the codes of the
    case tell that it has."""
    return _by_codes(case)[0]


def local_of(case: Case) -> Local:
    """Wiring, parts and makers' codes known of this vehicle beyond the generic tables, and the place that the codes of
    this case share."""
    return _by_codes(case)[1]


@once
def _by_codes(case: Case) -> tuple[Powertrain, Local]:
    document = imported_of(case)
    local = library.local_for(case.vehicle, *((document.own_codes, document.wiring) if document else ()))
    told = (code for kind in kinds() if kind.codes is not None for code in kind.codes(case))
    return by_codes(vehicles.powertrain_of(case.vehicle), local, told)


@once
def imported_of(case: Case) -> CaseFile | None:
    """The case file this case was read from, if it was."""
    row = case.importeds.last()
    return case_of(row.document) if row else None


def climate_of(case: Case) -> Climate:
    """Where the car lives: as its case file tells, else where the shop's cars do."""
    document = imported_of(case)
    told = document.vehicle.climate if document else Climate.TEMPERATE
    return told if told is not Climate.TEMPERATE else Climate(Settings.load().climate)


def specification_of(case: Case) -> Specification:
    """The vehicle's own values, else the defaults."""
    found = platforms().get(case.vehicle.platform)
    return found.specification if found else Specification()
