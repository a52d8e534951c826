"""Search, the lists, and the pages of vehicles and customers."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from pathlib import PurePath
from typing import Any

from django.contrib import messages
from django.core.paginator import Page
from django.db.models import QuerySet
from django.http import HttpResponse, HttpResponseBase, StreamingHttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_GET, require_POST

from gumshoe.core.errors import BadInput
from gumshoe.web.accounts.rights import Right, SignedIn, may, needs
from gumshoe.web.finding import erasing, lists, services
from gumshoe.web.finding.forms import (
    Asked,
    CasesForm,
    CustomerForm,
    CustomersForm,
    DueForm,
    EraseForm,
    MergeForm,
    OwnerForm,
    VehicleForm,
    VehiclesForm,
)
from gumshoe.web.finding.pages import (
    CasesPage,
    CustomerPage,
    CustomersPage,
    DuePage,
    FindPage,
    FoundPage,
    ListPage,
    VehiclePage,
    VehiclesPage,
)
from gumshoe.web.kit.pages import show
from gumshoe.web.settings.models import Settings
from gumshoe.web.vehicles import register
from gumshoe.web.vehicles.finding import CUSTOMERS, VEHICLES
from gumshoe.web.vehicles.models import Customer, Vehicle

AS_TYPED, ON_A_PAGE, TO_CHOOSE = 5, 25, 8
LONGEST = 120


@require_GET
@needs(Right.SEE)
def find(request: SignedIn) -> HttpResponse:
    """Everything that is found by some words."""
    text = request.GET.get("q", "")[:LONGEST]
    return show(request, FindPage(text=text, found=services.search(text, ON_A_PAGE)))


@require_GET
@needs(Right.SEE)
def as_typed(request: SignedIn) -> HttpResponse:
    """The best of it, while somebody types."""
    text = request.GET.get("q", "")[:LONGEST]
    return show(request, FoundPage(text=text, found=services.search(text, AS_TYPED)))


# -- lists ------------------------------------------------------------------------------------------------


def _list(
    request: SignedIn,
    page: type[ListPage],
    form: Asked,
    rows: QuerySet[Any],
    lines: Callable[..., Iterator[str]],
    page_of: Callable[[QuerySet[Any], str], Page[Any]] = lists.page_of,
) -> HttpResponseBase:
    """A page of a list, or all of it as CSV."""
    if request.GET.get("as") == "csv":
        answer = StreamingHttpResponse(lines(rows), content_type="text/csv; charset=utf-8")
        answer["Content-Disposition"] = f'attachment; filename="{PurePath(page.TEMPLATE).stem}.csv"'
        return answer
    asked = request.GET.copy()
    asked.pop("page", None)
    return show(request, page(form=form, rows=page_of(rows, request.GET.get("page", "")), rest=asked.urlencode()))


@require_GET
@needs(Right.SEE)
def cases(request: SignedIn) -> HttpResponseBase:
    """Every case of the shop."""
    form = CasesForm(request.GET, stages=lists.stages())
    return _list(request, CasesPage, form, lists.cases(form), lists.cases_csv, lists.page_of_cases)


@require_GET
@needs(Right.SEE)
def vehicles(request: SignedIn) -> HttpResponseBase:
    """Every vehicle of the shop."""
    form = VehiclesForm(request.GET)
    return _list(request, VehiclesPage, form, lists.vehicles(form), lists.vehicles_csv)


@require_GET
@needs(Right.SEE)
def customers(request: SignedIn) -> HttpResponseBase:
    """Every customer of the shop."""
    form = CustomersForm(request.GET)
    return _list(request, CustomersPage, form, lists.customers(form), lists.customers_csv)


# -- a vehicle --------------------------------------------------------------------------------------------


def _vehicle_page(request: SignedIn, row: Vehicle, form: VehicleForm | None = None) -> HttpResponse:
    owner, double = (request.GET.get(name, "")[:LONGEST] for name in ("owner", "double"))
    found = [hit.pk for hit in VEHICLES.find(double, TO_CHOOSE)] if double else []
    page = VehiclePage(
        vehicle=row,
        form=form or VehicleForm(initial={name: getattr(row, name) for name in register.OF_VEHICLE}),
        cases=tuple(row.cases.select_related("customer").order_by("-opened_at")),
        changes=tuple(row.changes.select_related("by").order_by("-at", "-pk")),
        ownings=tuple(row.ownings.select_related("by", "customer").order_by("-at", "-pk")),
        owner_text=owner,
        owners=tuple(services.rows_of(Customer, CUSTOMERS.find(owner, TO_CHOOSE))) if owner else (),
        double_text=double,
        doubles=tuple(Vehicle.objects.filter(pk__in=found, same_as=None).exclude(pk=row.pk)),
    )
    return show(request, page, status=400 if form is not None and form.errors else 200)


@needs(Right.SEE)
def vehicle(request: SignedIn, pk: int) -> HttpResponseBase:
    """A car: what is on file of it, whose it is and was, its cases. Who takes cars in may change it."""
    row = get_object_or_404(Vehicle.objects.select_related("customer"), pk=pk)
    if row.same_as_id:
        return redirect("finding:vehicle", row.same_as_id)
    if request.method != "POST" or not may(request.user, Right.INTAKE):
        return _vehicle_page(request, row)
    form = VehicleForm(request.POST)
    if form.is_valid():
        try:
            made = register.edit_vehicle(row, request.user, form.cleaned_data)
        except BadInput as error:
            form.add_error("vin" if "VIN" in error.what else "plate", f"{error.what} Try: {'; '.join(error.remedies)}.")
        else:
            messages.success(request, "Stored; what was stays on record." if made else "Nothing was changed.")
            return redirect("finding:vehicle", pk)
    return _vehicle_page(request, row, form)


@require_POST
@needs(Right.INTAKE)
def change_owner(request: SignedIn, pk: int) -> HttpResponse:
    """The car belongs to somebody else from now on."""
    row, sent = get_object_or_404(Vehicle, pk=pk, same_as=None), OwnerForm.of(request)
    if sent.read("nobody"):
        owner = None
    elif sent.whole("customer"):
        owner = get_object_or_404(Customer, pk=sent.whole("customer"), same_as=None)
    else:
        owner = register.new_customer(request.user, {name: sent.read(name) for name in ("name", "phone", "mail")})
    register.change_owner(row, request.user, owner)
    messages.success(
        request, f"{row.plate} belongs to {owner or 'nobody known'} from now on. Its cases keep whose they were."
    )
    return redirect("finding:vehicle", pk)


@require_POST
@needs(Right.WORK)
def merge_vehicle(request: SignedIn, pk: int) -> HttpResponse:
    """Another vehicle on file is this one."""
    row = get_object_or_404(Vehicle, pk=pk)
    other = get_object_or_404(Vehicle, pk=MergeForm.of(request).whole("other") or 0)
    register.merge(row, other, request.user)
    messages.success(request, f"{other} is this vehicle: its cases are here now.")
    return redirect("finding:vehicle", pk)


# -- a customer -------------------------------------------------------------------------------------------


def _customer_page(request: SignedIn, row: Customer | None, form: CustomerForm | None = None) -> HttpResponse:
    refused = form is not None and bool(form.errors)
    if row is None:
        return show(request, CustomerPage(customer=None, form=form or CustomerForm()), status=400 if refused else 200)
    double = request.GET.get("double", "")[:LONGEST]
    found = services.rows_of(Customer, CUSTOMERS.find(double, TO_CHOOSE)) if double else []
    held = tuple(row.vehicles.filter(same_as=None))
    once = (
        Vehicle.objects.filter(ownings__customer=row, same_as=None).exclude(pk__in=[one.pk for one in held]).distinct()
    )
    page = CustomerPage(
        customer=row,
        form=form or CustomerForm(initial={name: getattr(row, name) for name in register.OF_CUSTOMER}),
        vehicles=held,
        once=tuple(once),
        cases=tuple(row.cases.select_related("vehicle").order_by("-opened_at")[:ON_A_PAGE]),
        changes=tuple(row.changes.select_related("by").order_by("-at", "-pk")),
        double_text=double,
        doubles=tuple(one for one in found if one.pk != row.pk and one.same_as_id is None),
    )
    return show(request, page, status=400 if refused else 200)


@needs(Right.SEE)
def customer(request: SignedIn, pk: int) -> HttpResponseBase:
    """Somebody: how they are reached, their cars and cases. Who takes cars in may change it."""
    row = get_object_or_404(Customer, pk=pk)
    if row.same_as_id:
        return redirect("finding:customer", row.same_as_id)
    if request.method != "POST" or not may(request.user, Right.INTAKE):
        return _customer_page(request, row)
    form = CustomerForm(request.POST)
    if form.is_valid():
        try:
            made = register.edit_customer(row, request.user, form.cleaned_data)
        except BadInput as error:
            form.add_error("mail" if "mail" in error.what else "name", error.what)
        else:
            messages.success(request, "Stored; what was stays on record." if made else "Nothing was changed.")
            return redirect("finding:customer", pk)
    return _customer_page(request, row, form)


@needs(Right.INTAKE)
def new_customer(request: SignedIn) -> HttpResponseBase:
    """Take somebody on."""
    form = CustomerForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        try:
            row = register.new_customer(request.user, form.cleaned_data)
        except BadInput as error:
            form.add_error("mail" if "mail" in error.what else "name", error.what)
        else:
            return redirect("finding:customer", row.pk)
    return _customer_page(request, None, form)


@require_POST
@needs(Right.INTAKE)
def merge_customer(request: SignedIn, pk: int) -> HttpResponse:
    """Another customer on file is this one."""
    row = get_object_or_404(Customer, pk=pk)
    other = get_object_or_404(Customer, pk=MergeForm.of(request).whole("other") or 0)
    register.merge(row, other, request.user)
    messages.success(request, f"{other} is this customer: cars and cases are here now.")
    return redirect("finding:customer", pk)


@require_GET
@needs(Right.MANAGE)
def held(request: SignedIn, pk: int) -> HttpResponse:
    """Everything that is on file of somebody, to hand out on request."""
    row = get_object_or_404(Customer, pk=pk)
    answer = HttpResponse(json.dumps(erasing.held(row), indent=1, ensure_ascii=False), content_type="application/json")
    answer["Content-Disposition"] = f'attachment; filename="customer-{pk}.json"'
    return answer


@require_POST
@needs(Right.MANAGE)
def erase(request: SignedIn, pk: int) -> HttpResponse:
    """Forget somebody; it cannot be undone."""
    erasing.erase(get_object_or_404(Customer, pk=pk, same_as=None), request.user, EraseForm.of(request).read("name"))
    services.catch_up()  # out of the search at once
    messages.success(request, "Erased. Cars, cases and what was found stay.")
    return redirect("finding:customer", pk)


@needs(Right.MANAGE)
def due(request: SignedIn) -> HttpResponse:
    """Who was not here for as long as the shop keeps people; forgotten together, which cannot be undone."""
    if request.method == "POST":
        done = erasing.erase_due(request.user, DueForm.of(request).whole("number"))
        services.catch_up()  # out of the search at once
        messages.success(request, f"{done} erased. Cars, cases and what was found stay.")
        return redirect("finding:due")
    return show(request, DuePage(rows=list(erasing.due()), years=Settings.load().keep_years))
