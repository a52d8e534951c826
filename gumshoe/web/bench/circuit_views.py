"""The circuit bench: the list of circuits, one circuit with its leads, its readings and its conclusion."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse, QueryDict
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_POST

from gumshoe.core.errors import BadInput
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.bench import circuits
from gumshoe.web.bench.circuit_page import page_of
from gumshoe.web.bench.forms import AsideForm, ReadingForm
from gumshoe.web.bench.pages import CircuitsPage
from gumshoe.web.bench.stand import Stand, stand_for, stand_of
from gumshoe.web.cases.context import find, folder
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.pages import show
from gumshoe.web.ledger import ends


@needs(Right.SEE)
def listed(request: SignedIn, pk: int) -> HttpResponse:
    """Every circuit of this vehicle; those that a suspect or a code names first."""
    case = find(pk)
    return show(request, CircuitsPage(named=circuits.named(case), every=circuits.listed(case)), folder(case, "bench"))


@needs(Right.SEE)
def circuit(request: SignedIn, pk: int, name: str) -> HttpResponse:
    """One circuit as it stands in the address."""
    case = find(pk)
    return show(request, page_of(case, name, _stand(case, name, request.GET)), folder(case, "bench"))


@needs(Right.WORK)
@require_POST
def record(request: SignedIn, pk: int, name: str) -> HttpResponse:
    """Store a reading (POST) and go on with the circuit as it stands."""
    case, sent = find(pk), ReadingForm.of(request)
    stand, typed = _stand(case, name, QueryDict(sent.read("stand"))), sent.read("value")
    try:
        stored = circuits.record(case, request.user, name, stand, typed)
    except BadInput as error:
        return show(request, page_of(case, name, stand, trouble=str(error), typed=typed), folder(case, "bench"), 400)
    if sent.ticked("still_off"):
        ends.open_end(case, request.user, circuits.off_words(case, name, stand), name)
    messages.success(request, f"Stored: {stored.shown}. What it rules out is below.")
    return redirect(_address(case, name, stand))


@needs(Right.WORK)
@require_POST
def aside(request: SignedIn, pk: int, name: str) -> HttpResponse:
    """A reading no longer counts, or counts again (POST)."""
    case, sent = find(pk), AsideForm.of(request)
    number = sent.whole("reading")
    if number is None:
        raise BadInput("This case has no such reading.", remedies=("choose one from the list",))
    circuits.set_aside(case, request.user, number, back=sent.ticked("back"))
    return redirect(_address(case, name, _stand(case, name, QueryDict(sent.read("stand")))))


@needs(Right.WORK)
@require_POST
def conclude(request: SignedIn, pk: int, name: str) -> HttpResponse:
    """Store the conclusion (POST): it becomes a clue."""
    case = find(pk)
    try:
        found = circuits.conclude(case, request.user, name)
    except BadInput as error:
        stand = _stand(case, name, QueryDict(ReadingForm.of(request).read("stand")))
        return show(request, page_of(case, name, stand, trouble=str(error)), folder(case, "bench"), 400)
    messages.success(request, f"Concluded: {found.words}. The suspects were ranked anew.")
    return redirect("suspects:suspects", case.pk)


def _stand(case: Case, name: str, query: QueryDict) -> Stand:
    """The stand in the address; without one, where the next probe would put the leads."""
    if not query:
        first = circuits.first_probe(case, name)
        if first:
            return stand_for(first)
    return stand_of(circuits.model_of(case, name).circuit, query)


def _address(case: Case, name: str, stand: Stand) -> str:
    return f"{reverse('bench:circuit', args=(case.pk, name))}?{stand.query}"
