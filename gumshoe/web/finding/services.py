"""One search over cases, vehicles and customers."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import TypeVar

from django.db.models import Model
from django.utils.html import escape
from django.utils.safestring import SafeString, mark_safe

from gumshoe.web.cases.finding import CASES
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.fulltext import OPEN, SHUT, Hit
from gumshoe.web.vehicles.finding import CUSTOMERS, VEHICLES
from gumshoe.web.vehicles.models import Customer, Vehicle

M = TypeVar("M", bound=Model)
LATEST = 3
"""So many cases are shown with a vehicle that was found."""
COLLECTIONS = (CASES, VEHICLES, CUSTOMERS)


@dataclass(frozen=True)
class FoundVehicle:
    """A vehicle, and its latest cases."""

    vehicle: Vehicle
    latest: tuple[Case, ...]


@dataclass(frozen=True)
class FoundCustomer:
    """A customer, and their cars."""

    customer: Customer
    vehicles: tuple[Vehicle, ...]


@dataclass(frozen=True)
class FoundCase:
    """A case: its trouble codes, and where the words stand."""

    case: Case
    codes: tuple[str, ...]
    text: SafeString


@dataclass(frozen=True)
class Found:
    """All that was found."""

    vehicles: tuple[FoundVehicle, ...] = ()
    customers: tuple[FoundCustomer, ...] = ()
    cases: tuple[FoundCase, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.vehicles or self.customers or self.cases)


def search(text: str, most: int) -> Found:
    """The best of each kind."""
    if not text.strip():
        return Found()
    return Found(
        with_latest(rows_of(Vehicle, VEHICLES.find(text, most))),
        with_cars(rows_of(Customer, CUSTOMERS.find(text, most))),
        _cases(CASES.find(text, most, texts=True)),
    )


def rows_of(model: type[M], hits: Iterable[Hit]) -> list[M]:
    """The rows that were found, in the order in which they were."""
    wanted = [hit.pk for hit in hits]
    held = model._default_manager.in_bulk(wanted)
    return [held[pk] for pk in wanted if pk in held]


def with_latest(vehicles: Iterable[Vehicle]) -> tuple[FoundVehicle, ...]:
    """Each with its latest cases."""
    rows = list(vehicles)
    cases: dict[int, list[Case]] = {row.pk: [] for row in rows}
    for case in Case.objects.filter(vehicle__in=rows).order_by("-opened_at"):
        cases[case.vehicle_id].append(case)
    return tuple(FoundVehicle(row, tuple(cases[row.pk][:LATEST])) for row in rows)


def with_cars(customers: Iterable[Customer]) -> tuple[FoundCustomer, ...]:
    """Each with their cars."""
    rows = list(customers)
    cars: dict[int, list[Vehicle]] = {row.pk: [] for row in rows}
    for vehicle in Vehicle.objects.filter(customer__in=rows, same_as=None):
        cars[vehicle.customer_id or 0].append(vehicle)
    return tuple(FoundCustomer(row, tuple(cars[row.pk])) for row in rows)


def _cases(hits: list[Hit]) -> tuple[FoundCase, ...]:
    held = Case.objects.select_related("vehicle").in_bulk([hit.pk for hit in hits])
    codes = CASES.codes(held)
    return tuple(FoundCase(held[hit.pk], codes.get(hit.pk, ()), marked(hit.text)) for hit in hits if hit.pk in held)


def marked(text: str) -> SafeString:
    """A piece of text with what was found in it marked; everything else is text and nothing but text."""
    return mark_safe(escape(text).replace(OPEN, "<mark>").replace(SHUT, "</mark>"))


def catch_up() -> int:
    """Make every document that is not in the index as it is now; how many were made."""
    made = 0
    for collection in COLLECTIONS:
        while count := collection.bring_up(400):
            made += count
    return made
