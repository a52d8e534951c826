"""Hand tests that are arithmetic: the list, one test worked out, its entry."""

from __future__ import annotations

from collections.abc import Mapping

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect

from gumshoe.core.errors import BadInput
from gumshoe.core.handtests import Worked
from gumshoe.core.handtests.catalogue import cautions_of
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.bench import hand
from gumshoe.web.bench.pages import HandListPage, HandPage
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find, folder
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.pages import show


@needs(Right.SEE)
def listed(request: SignedIn, pk: int) -> HttpResponse:
    """Every hand test of this vehicle, and those worked out in this case."""
    case = find(pk)
    made = case.handmeasurements.select_related("by").order_by("-at")
    return show(request, HandListPage(rows=hand.listed(case), made=made), folder(case, "bench"))


@needs(Right.SEE)
def one(request: SignedIn, pk: int, name: str) -> HttpResponse:
    """One hand test; with values in the address it is worked out, nothing is stored."""
    case = find(pk)
    row = hand.row_of(case, name)
    if not request.GET:
        return _page(request, case, name, {}, None, "")
    try:
        return _page(request, case, name, request.GET.dict(), hand.worked(case, row, request.GET.dict()), "")
    except BadInput as error:
        return _page(request, case, name, request.GET.dict(), None, error.what, status=400)


@needs(Right.WORK)
def store(request: SignedIn, pk: int, name: str) -> HttpResponse:
    """Store what was worked out (POST)."""
    case = find(pk)
    row = hand.row_of(case, name)
    if request.method != "POST":
        return redirect("bench:hand_one", case.pk, name)
    try:
        stored = hand.store(case, request.user, row, request.POST.dict())
    except BadInput as error:
        return _page(request, case, name, request.POST.dict(), None, error.what, status=400)
    more = " Recorded as a test: the suspects were ranked anew." if stored.record else ""
    messages.success(request, f"{row.words}: {stored.verdict}. {stored.words}{more}")
    return redirect("bench:hand", case.pk)


def _page(
    request: SignedIn,
    case: Case,
    name: str,
    typed: Mapping[str, str],
    worked: Worked | None,
    trouble: str,
    status: int = 200,
) -> HttpResponse:
    row = hand.row_of(case, name)
    fields = hand.fields_of(case, row, typed)
    cautions = cautions_of(row, cases.knowledge_of(case))
    page = HandPage(row=row, fields=fields, worked=worked, trouble=trouble, cautions=cautions)
    return show(request, page, folder(case, "bench"), status)
