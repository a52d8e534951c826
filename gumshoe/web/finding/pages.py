"""The pages of finding: what each shows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from django.core.paginator import Page as Rows

from gumshoe.web.cases.models import Case
from gumshoe.web.finding.forms import Asked, CustomerForm, VehicleForm
from gumshoe.web.finding.services import Found
from gumshoe.web.kit.pages import Page
from gumshoe.web.vehicles.models import Change, Customer, Owning, Vehicle


@dataclass(frozen=True, kw_only=True)
class FindPage(Page):
    """What ``finding/find.html`` shows."""

    TEMPLATE: ClassVar[str] = "finding/find.html"
    text: str
    found: Found


@dataclass(frozen=True, kw_only=True)
class FoundPage(Page):
    """What ``finding/found.html`` shows: what was found while somebody types."""

    TEMPLATE: ClassVar[str] = "finding/found.html"
    text: str
    found: Found
    short: bool = True


@dataclass(frozen=True, kw_only=True)
class ListPage(Page):
    """A page of a list. ``rest``: the address without its page."""

    form: Asked
    rows: Rows[Any]
    rest: str


class CasesPage(ListPage):
    """What ``finding/cases.html`` shows."""

    TEMPLATE: ClassVar[str] = "finding/cases.html"


class VehiclesPage(ListPage):
    """What ``finding/vehicles.html`` shows."""

    TEMPLATE: ClassVar[str] = "finding/vehicles.html"


class CustomersPage(ListPage):
    """What ``finding/customers.html`` shows."""

    TEMPLATE: ClassVar[str] = "finding/customers.html"


@dataclass(frozen=True, kw_only=True)
class VehiclePage(Page):
    """What ``finding/vehicle.html`` shows. ``owners``: customers that were looked for."""

    TEMPLATE: ClassVar[str] = "finding/vehicle.html"
    vehicle: Vehicle
    form: VehicleForm
    cases: tuple[Case, ...]
    changes: tuple[Change, ...]
    ownings: tuple[Owning, ...]
    owner_text: str = ""
    owners: tuple[Customer, ...] = ()
    double_text: str = ""
    doubles: tuple[Vehicle, ...] = ()


@dataclass(frozen=True, kw_only=True)
class CustomerPage(Page):
    """What ``finding/customer.html`` shows."""

    TEMPLATE: ClassVar[str] = "finding/customer.html"
    customer: Customer | None
    form: CustomerForm
    vehicles: tuple[Vehicle, ...] = ()
    once: tuple[Vehicle, ...] = ()
    cases: tuple[Case, ...] = ()
    changes: tuple[Change, ...] = ()
    double_text: str = ""
    doubles: tuple[Customer, ...] = ()


@dataclass(frozen=True, kw_only=True)
class DuePage(Page):
    """What ``finding/due.html`` shows: who was not here for so many years."""

    TEMPLATE: ClassVar[str] = "finding/due.html"
    rows: list[Customer]
    years: int
