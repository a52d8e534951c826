"""The lists of cases, vehicles and customers: what they are narrowed and sorted by, as pages and as CSV."""

from __future__ import annotations

import csv
from collections.abc import Callable, Iterable, Iterator
from datetime import datetime, time, timedelta
from typing import Any, NamedTuple

from django.core.paginator import Page, Paginator
from django.db.models import Exists, F, OuterRef, Q, QuerySet
from django.utils import timezone
from django.utils.formats import date_format

from gumshoe.core.proof.tracker import ProofVerdict
from gumshoe.web.bench.models import TestRecord
from gumshoe.web.board.services import COLUMNS, board
from gumshoe.web.cases.finding import CASES
from gumshoe.web.cases.models import Case
from gumshoe.web.finding.forms import CasesForm, CustomersForm, VehiclesForm
from gumshoe.web.history.sums import up_to_date
from gumshoe.web.scans.models import Scan
from gumshoe.web.vehicles.finding import CUSTOMERS, VEHICLES
from gumshoe.web.vehicles.models import Customer, Vehicle
from gumshoe.web.verdicts.models import Verdict
from gumshoe.web.work.models import Work

A_PAGE = 50
CASE_ORDERS: dict[str, tuple[Any, ...]] = {
    "newest": ("-opened_at", "-pk"),
    "oldest": ("opened_at", "pk"),
    "number": ("number",),
    "plate": ("vehicle__plate", "-opened_at"),
    "closed": (F("closed_at").desc(nulls_first=True), "-pk"),
}
VEHICLE_ORDERS: dict[str, tuple[Any, ...]] = {
    "plate": ("plate",),
    "seen": (F("seen").desc(nulls_last=True), "-plate"),
    "most": ("-visits", "-plate"),
    "make": ("make", "model", "plate"),
}
CUSTOMER_ORDERS: dict[str, tuple[Any, ...]] = {
    "name": ("name", "pk"),
    "seen": (F("seen").desc(nulls_last=True), "-name"),
    "most": ("-cars", "-name"),
}
NOT_LISTED = ("vehicle__powertrain", "customer__address", "customer__remark")
"""What a list of cases does not show, and need not be read for it."""
OF_A_CASE = (
    "pk", "number", "vehicle", "vehicle__plate", "vehicle__make", "vehicle__model", "customer", "customer__name",
    "opened_at", "opened_by__full_name", "opened_by__username", "closed_at", "bay", "proof",
)  # fmt: skip
"""What it shows."""
HANDS = (Scan, TestRecord, Verdict, Work)
"""Who made one of these worked on the case."""
_NOT_PROVEN = "not"


def cases(asked: CasesForm) -> QuerySet[Any]:
    """The cases that are asked for, each with ``proof``: how its last proof ended."""
    told = asked.told
    up_to_date()
    rows: QuerySet[Any] = Case.objects.select_related("vehicle", "customer").prefetch_related("opened_by")
    rows = rows.defer(*NOT_LISTED)
    rows = rows.annotate(proof=F("state__proof"))
    if told["q"]:
        of_vehicle = Q(vehicle__in=VEHICLES.matching(told["q"])) | Q(customer__in=CUSTOMERS.matching(told["q"]))
        rows = rows.filter(Q(pk__in=CASES.matching(told["q"])) | of_vehicle)
    if told["code"]:
        rows = rows.filter(pk__in=CASES.matching(told["code"]))
    rows = _in_stage(rows, told["stage"])
    if told["person"]:
        own = told["person"]
        worked = [Exists(model.objects.filter(case=OuterRef("pk"), by=own)) for model in HANDS]
        rows = rows.filter(Q(opened_by=own) | Q(*worked, _connector=Q.OR))
    if told["bay"]:
        rows = rows.filter(bay__iexact=told["bay"])
    if told["since"]:
        rows = rows.filter(opened_at__gte=_midnight(told["since"]))
    if told["until"]:
        rows = rows.filter(opened_at__lt=_midnight(told["until"]) + timedelta(days=1))
    if told["proof"] == _NOT_PROVEN:
        rows = rows.exclude(proof=ProofVerdict.PROVEN.value)
    elif told["proof"]:
        rows = rows.filter(proof=told["proof"])
    return rows.order_by(*CASE_ORDERS[told["order"]])


def _in_stage(rows: QuerySet[Any], stage: str) -> QuerySet[Any]:
    if stage == "open":
        return rows.filter(closed_at__isnull=True)
    if stage == "closed":
        return rows.filter(closed_at__isnull=False)
    if stage:
        return rows.filter(pk__in=[card.case.pk for name, cards in board() if name == stage for card in cards])
    return rows


def _midnight(day: Any) -> datetime:
    return timezone.make_aware(datetime.combine(day, time()))


def vehicles(asked: VehiclesForm) -> QuerySet[Any]:
    """The vehicles that are asked for."""
    up_to_date()
    told = asked.told
    rows: QuerySet[Any] = Vehicle.objects.filter(same_as=None).select_related("customer")
    if told["q"]:
        owned = Q(customer__in=CUSTOMERS.matching(told["q"]))
        rows = rows.filter(Q(pk__in=VEHICLES.matching(told["q"])) | owned)
    return rows.order_by(*VEHICLE_ORDERS[told["order"]])


def customers(asked: CustomersForm) -> QuerySet[Any]:
    """The customers that are asked for."""
    up_to_date()
    told = asked.told
    rows: QuerySet[Any] = Customer.objects.filter(same_as=None)
    if told["q"]:
        rows = rows.filter(pk__in=CUSTOMERS.matching(told["q"]))
    return rows.order_by(*CUSTOMER_ORDERS[told["order"]])


def page_of(rows: QuerySet[Any], number: str) -> Page[Any]:
    """One page of a list; a number that is none is the first or the last."""
    return Paginator(rows, A_PAGE).get_page(number)


class CaseRow(NamedTuple):
    """A case as its list shows it; ``opened`` and ``closed`` in words, empty where it is open."""

    pk: int
    number: str
    vehicle: int
    plate: str
    car: str
    customer: int | None
    owner: str | None
    opened: str
    opened_by: str
    closed: str
    bay: str
    codes: str
    proof: str


def page_of_cases(rows: QuerySet[Any], number: str) -> Page[Any]:
    """One page of the list of cases, of what it shows and no more: whole rows took a third longer."""
    page = page_of(rows.values(*OF_A_CASE), number)
    codes = CASES.codes(row["pk"] for row in page)
    return Page([_case_row(row, codes.get(row["pk"], ())) for row in page], page.number, page.paginator)


def _case_row(row: dict[str, Any], codes: tuple[str, ...]) -> CaseRow:
    return CaseRow(
        row["pk"], row["number"], row["vehicle"], row["vehicle__plate"],
        f"{row['vehicle__make']} {row['vehicle__model']}", row["customer"], row["customer__name"],
        _day(row["opened_at"]), row["opened_by__full_name"] or row["opened_by__username"],
        _day(row["closed_at"]) if row["closed_at"] else "", row["bay"], " ".join(codes), row["proof"] or "",
    )  # fmt: skip


def _day(at: datetime) -> str:
    return date_format(timezone.localtime(at), "j M Y")


def stages() -> list[tuple[str, str]]:
    """What the list of cases can be narrowed to."""
    return [
        ("", "all"),
        ("open", "open"),
        *((name, f"open, {name.lower()}") for name, _ in COLUMNS),
        ("closed", "closed"),
    ]


# -- CSV --------------------------------------------------------------------------------------------------


class _Echo:
    """A file that gives back what is written into it."""

    def write(self, text: str) -> str:
        return text


def as_csv(head: tuple[str, ...], rows: Iterable[tuple[Any, ...]]) -> Iterator[str]:
    """Line by line. What a spreadsheet would take for a formula is text (a quote before it, common practice)."""
    write: Callable[[Iterable[Any]], Any] = csv.writer(_Echo()).writerow
    yield "\ufeff" + write(head)
    for row in rows:
        yield write(_cell(value) for value in row)


def _cell(value: Any) -> str:
    if isinstance(value, datetime):
        return f"{timezone.localtime(value):%Y-%m-%d %H:%M}"
    text = "" if value is None else str(value)
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text


CASES_HEAD = (
    "case", "plate", "VIN", "make", "model", "customer", "opened", "opened by", "bay", "closed", "codes", "proof"
)  # fmt: skip


def cases_csv(rows: QuerySet[Any]) -> Iterator[str]:
    """Every case asked for."""
    codes = CASES.codes(rows.order_by().values_list("pk", flat=True))
    return as_csv(
        CASES_HEAD,
        (
            (row.number, row.vehicle.plate, row.vehicle.vin, row.vehicle.make, row.vehicle.model, row.owner,
             row.opened_at, row.opened_by, row.bay, row.closed_at, " ".join(codes.get(row.pk, ())), row.proof)
            for row in rows.iterator(500)
        ),
    )  # fmt: skip


def vehicles_csv(rows: QuerySet[Any]) -> Iterator[str]:
    """Every vehicle asked for."""
    return as_csv(
        ("plate", "VIN", "make", "model", "year", "owner", "cases", "last here"),
        (
            (row.plate, row.vin, row.make, row.model, row.year, row.owner, row.visits, row.seen)
            for row in rows.iterator(500)
        ),
    )


def customers_csv(rows: QuerySet[Any]) -> Iterator[str]:
    """Every customer asked for."""
    return as_csv(
        ("name", "phone", "mail", "address", "remark", "cars", "last here"),
        ((row.name, row.phone, row.mail, row.address, row.remark, row.cars, row.seen) for row in rows.iterator(500)),
    )
