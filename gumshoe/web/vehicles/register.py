"""Cars and customers on file: taken on, edited with a record of what was, merged where they are there twice, changing
hands."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, TypeVar

from django.core.exceptions import ValidationError
from django.core.validators import validate_email

from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.platform import platform_for_vin
from gumshoe.core.powertrain.vin import check_vin
from gumshoe.web.accounts.models import User
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.kit.memo import forget
from gumshoe.web.vehicles.finding import CUSTOMERS
from gumshoe.web.vehicles.models import Change, Customer, Owning, Recorded, Vehicle, plate_key, with_plate

R = TypeVar("R", Vehicle, Customer)
OF_VEHICLE = {"plate": "plate", "vin": "VIN", "make": "make", "model": "model", "year": "year"}
OF_CUSTOMER = {"name": "name", "phone": "phone", "mail": "mail", "address": "address", "remark": "remark"}
"""What can be edited of each, in words."""


def customer_named(name: str, contact: str = "", by: User | None = None) -> Customer | None:
    """The customer with this name and contact, taken on where there is none; None without a name."""
    name, contact = " ".join(name.split()), contact.strip()
    if not name:
        return None
    for row in Customer.objects.filter(pk__in=CUSTOMERS.matching(name), same_as=None):
        if row.name.casefold() == name.casefold() and (not contact or contact in (row.mail, row.phone)):
            return row
    reached = {"mail": contact} if "@" in contact else {"phone": contact}
    return new_customer(by, {"name": name, **reached})


@in_turn()
def new_customer(by: User | None, data: Mapping[str, str]) -> Customer:
    """Take somebody on. Raises BadInput for what cannot be."""
    row = Customer(**_clean_customer(data))
    row.save()
    Change.objects.create(customer=row, by=by, field="taken on", now=row.name)
    return row


@in_turn()
def new_vehicle(by: User | None, data: Mapping[str, Any], customer: Customer | None = None) -> Vehicle:
    """Take a car on. Raises BadInput where the plate is taken or the VIN cannot be one."""
    told = _clean_vehicle(data)
    platform = platform_for_vin(told["vin"]) if told["vin"] else None
    row = Vehicle(**told, platform=platform.platform.id if platform else "", customer=customer)
    row.save()
    if customer is not None:
        Owning.objects.create(vehicle=row, customer=customer, by=by)
    return row


@in_turn()
def edit_vehicle(vehicle: Vehicle, by: User, data: Mapping[str, Any]) -> list[Change]:
    """Change what is on file of a car; what was stays on record. Raises BadInput, and then nothing is changed."""
    row = Vehicle.objects.select_for_update().get(pk=vehicle.pk)
    told = _clean_vehicle(data, row)
    if told["vin"] != row.vin and told["vin"] and not row.platform:
        platform = platform_for_vin(told["vin"])
        row.platform = platform.platform.id if platform else ""
    return _edit(row, by, told, OF_VEHICLE, vehicle=row)


@in_turn()
def edit_customer(customer: Customer, by: User, data: Mapping[str, str]) -> list[Change]:
    """Change what is on file of somebody. Raises BadInput, and then nothing is changed."""
    row = Customer.objects.select_for_update().get(pk=customer.pk)
    return _edit(row, by, _clean_customer(data), OF_CUSTOMER, customer=row)


def _edit(row: Recorded, by: User, told: Mapping[str, Any], words: Mapping[str, str], **about: Any) -> list[Change]:
    made = []
    for name, field in words.items():
        was, now = getattr(row, name), told[name]
        if was != now:
            setattr(row, name, now)
            shown = {"was": str(was or "")[:300], "now": str(now or "")[:300]}
            made.append(Change.objects.create(by=by, field=field, **shown, **about))
    if made:
        row.save()
        forget()
    return made


@in_turn()
def change_owner(vehicle: Vehicle, by: User, customer: Customer | None) -> None:
    """The car belongs to somebody else from now on; cases that are there keep whoever brought it then."""
    if vehicle.customer_id == (customer.pk if customer else None):
        return
    vehicle.customer = customer
    vehicle.save(update_fields=["customer"])
    Owning.objects.create(vehicle=vehicle, customer=customer, by=by)
    here: Any = vehicle
    here.cases.filter(customer=None, closed_at=None).update(customer=customer)  # nobody was known when it came
    forget()


@in_turn()
def merge(kept: R, other: R, by: User) -> None:
    """Two on file are one: what is the other's goes to the one that is kept; the other is findable as its double.

    Raises BadInput for one and the same, or for one that is merged already.
    """
    if kept.pk == other.pk:
        raise BadInput("That is the same one.", remedies=("choose the other",))
    if kept.same_as_id or other.same_as_id:
        raise BadInput("One of them was merged already.", remedies=("open the one that is kept",))
    if isinstance(kept, Vehicle) and isinstance(other, Vehicle):
        _merge_vehicles(kept, other)
        Change.objects.create(vehicle=kept, by=by, field="merged with", was=str(other)[:300], now=str(kept)[:300])
    elif isinstance(kept, Customer) and isinstance(other, Customer):
        _merge_customers(kept, other, by)
        Change.objects.create(customer=kept, by=by, field="merged with", was=other.name, now=kept.name)
    other.same_as = kept
    other.save(update_fields=["same_as"])
    kept.save()
    forget()


def _merge_vehicles(kept: Vehicle, other: Vehicle) -> None:
    if kept.vin and other.vin and kept.vin != other.vin:
        raise BadInput(
            f"They have two VINs, {kept.vin} and {other.vin}: these are two cars.",
            remedies=("correct the wrong VIN first, if it is one car",),
        )
    if other.stand_in or other.from_log:
        raise BadInput("A stand-in and a car in a file stay by themselves.")
    kept.vin, kept.year = kept.vin or other.vin, kept.year or other.year
    kept.platform, kept.powertrain = kept.platform or other.platform, kept.powertrain or other.powertrain
    kept.customer = kept.customer or other.customer
    moved: Any = other
    for case in moved.cases.all():
        case.move_to(kept)


def _merge_customers(kept: Customer, other: Customer, by: User) -> None:
    for name in ("phone", "mail", "address", "remark"):
        setattr(kept, name, getattr(kept, name) or getattr(other, name))
    for vehicle in other.vehicles.all():
        change_owner(vehicle, by, kept)
    brought: Any = other
    brought.cases.update(customer=kept)


def _clean_vehicle(data: Mapping[str, Any], row: Vehicle | None = None) -> dict[str, Any]:
    told = {name: data.get(name) if name == "year" else str(data.get(name) or "").strip() for name in OF_VEHICLE}
    if not plate_key(str(told["plate"])):
        raise BadInput("A vehicle needs a plate.", remedies=("write what stands on the car; a chassis number will do",))
    told["vin"] = check_vin(told["vin"]).vin if told["vin"] else ""
    taken = with_plate(str(told["plate"])).exclude(pk=row.pk if row else 0).first()
    if taken is not None:
        raise BadInput(
            f"There is a vehicle with the plate {taken.plate} already.",
            remedies=("pick it", "or merge the two, on the page of the one to keep"),
        )
    return told


def _clean_customer(data: Mapping[str, str]) -> dict[str, str]:
    told = {name: " ".join(str(data.get(name) or "").split()) for name in OF_CUSTOMER}
    if not told["name"]:
        raise BadInput("A customer needs a name.")
    if told["mail"]:
        try:
            validate_email(told["mail"])
        except ValidationError as error:
            raise BadInput(f"“{told['mail']}” is no mail address.", remedies=("name@place",)) from error
    return told
