"""What is on file of a person: given to them on request, and forgotten on request. Evidence stays, the person goes.

Erasing is the one place where stored words are taken out of entries: a name, an address, a drawing. What was found,
done and answered stays as it is.
"""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.db import models
from django.db.models import Exists, OuterRef, QuerySet, Subquery
from django.db.models.functions import Coalesce
from django.utils import timezone

from gumshoe.core.errors import BadInput
from gumshoe.web.accounts.models import User
from gumshoe.web.cases.models import Case
from gumshoe.web.history.sums import up_to_date
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.kit.memo import forget
from gumshoe.web.proposal.models import Answer, Signature
from gumshoe.web.reports.models import Mail
from gumshoe.web.settings.models import Settings
from gumshoe.web.vehicles.models import Change, Customer
from gumshoe.web.vehicles.register import OF_CUSTOMER

NOBODY = "the customer"
NO_MAIL = "erased@gumshoe.invalid"
NO_TEXT = "The text was erased with the customer."


def all_of(customer: Customer) -> tuple[Customer, ...]:
    """The row, and those that were merged into it."""
    return customer, *customer.doubles.all()


def held(customer: Customer) -> dict[str, Any]:
    """Everything that names or reaches this person, as plain values: what is handed out on request."""
    rows = all_of(customer)
    cases = _cases_of(rows)
    return {
        "customer": [{name: getattr(row, name) for name in OF_CUSTOMER} for row in rows],
        "changes": _plain(Change.objects.filter(customer__in=rows), "at", "field", "was", "now"),
        "vehicles": _plain(customer.vehicles.filter(same_as=None), "plate", "vin", "make", "model", "year"),
        "owned": _plain(customer.ownings.all(), "at", "vehicle__plate"),
        "cases": _plain(cases, "number", "opened_at", "closed_at", "vehicle__plate"),
        "complaints": _plain(
            _of(cases, "complaints"), "case__number", "at", "text", "conditions", "since", "recent_work"
        ),
        "answers": _plain(_of(cases, "answers"), "case__number", "at", "line__words", "kind", "who", "how"),
        "mails": _plain(_of(cases, "mails"), "case__number", "at", "to", "subject", "text"),
        "signatures": _plain(_of(cases, "signatures"), "case__number", "at", "name", "text"),
    }


@in_turn()
def erase(customer: Customer, by: User, typed: str) -> None:
    """Forget a person. ``typed``: their name, as a confirmation: it cannot be undone. Raises BadInput without it, or
    while a case of theirs is open."""
    if " ".join(typed.split()).casefold() != customer.name.casefold():
        raise BadInput("The name that was typed is not theirs.", remedies=("type the name as it stands on the page",))
    _forget(customer, by)


def due() -> QuerySet[Customer]:
    """Who was not here for as many years as the shop keeps people, the longest gone first; nobody where it keeps them
    for ever. Whoever never came counts from when they were taken on."""
    years = Settings.load().keep_years
    if not years:
        return Customer.objects.none()
    up_to_date()
    limit = timezone.now() - timedelta(days=365.25 * years)
    of_theirs = Case.objects.filter(customer=OuterRef("pk"), closed_at=None)
    rows = Customer.objects.filter(same_as=None, erased=False).exclude(Exists(of_theirs))
    taken_on = Change.objects.filter(customer=OuterRef("pk")).order_by("at").values("at")[:1]
    rows = rows.annotate(known=Coalesce("seen", Subquery(taken_on)))
    return rows.filter(known__lt=limit).order_by("known", "pk")


@in_turn()
def erase_due(by: User, typed: int | None) -> int:
    """Forget everybody who is due. ``typed``: how many that are, as a confirmation. Raises BadInput for another
    number: somebody came or went meanwhile. How many there were."""
    rows = list(due())
    if typed != len(rows):
        raise BadInput(
            f"{len(rows)} are due to be forgotten now, not {typed if typed is not None else 'what was typed'}.",
            kept="Nobody was forgotten.",
            remedies=("look at the list again, and type its number",),
        )
    for row in rows:
        _forget(row, by)
    return len(rows)


def _forget(customer: Customer, by: User) -> None:
    rows = all_of(customer)
    cases = list(_cases_of(rows))
    still_open = [case.number for case in cases if case.closed_at is None]
    if still_open:
        raise BadInput(f"A case of theirs is open: {', '.join(still_open)}.", remedies=("close it first",))
    for model, values in (
        (Answer, {"who": NOBODY}),
        (Mail, {"to": NO_MAIL, "text": NO_TEXT}),
        (Signature, {"name": NOBODY, "strokes": []}),
    ):
        _take_out(model._default_manager.filter(case__in=cases), **values)
    _take_out(Change.objects.filter(customer__in=rows), was="", now="")
    for row in rows:
        for name in OF_CUSTOMER:
            setattr(row, name, "")
        row.name, row.erased = f"erased {timezone.localdate():%Y-%m-%d}", True
        row.save()
    Change.objects.create(customer=customer, by=by, field="erased", now=customer.name)
    for case in cases:
        Case.entered(case.pk)
    forget()


def _take_out(rows: Any, **values: Any) -> None:
    """Past the guard of what is only added to: this is the one exception to it."""
    models.QuerySet.update(rows, **values)


def _cases_of(rows: tuple[Customer, ...]) -> models.QuerySet[Case]:
    return Case.objects.filter(customer__in=rows)


def _of(cases: models.QuerySet[Case], kind: str) -> Any:
    related: Any = Case._meta.get_field(kind).related_model
    return related._default_manager.filter(case__in=cases)


def _plain(rows: Any, *names: str) -> list[dict[str, Any]]:
    return [
        {name: value.isoformat() if hasattr(value, "isoformat") else value for name, value in row.items()}
        for row in rows.values(*names)
    ]
