"""Oscilloscope traces: the page, a file read, a record at a stand-in, a file given out."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.core.signals.scope import MOST_BYTES
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.bench import circuits, traces
from gumshoe.web.bench.forms import TraceForm
from gumshoe.web.bench.pages import TracesPage
from gumshoe.web.cases.context import find, folder
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.beside import Outcome
from gumshoe.web.kit.pages import show
from gumshoe.web.kit.uploads import sent_file
from gumshoe.web.ui.responses import read_beside
from gumshoe.web.vehicles.cars import car_of


@require_GET
@needs(Right.SEE)
def listed(request: SignedIn, pk: int) -> HttpResponse:
    """Every trace of the case, and how to add one."""
    return _page(request, find(pk))


@require_POST
@needs(Right.WORK)
def read(request: SignedIn, pk: int) -> HttpResponse:
    """Read a CSV file (POST)."""
    case = find(pk)

    def refused(error: GumshoeError) -> HttpResponse:
        return _page(request, case, str(error), 400)

    try:
        sent = sent_file(
            request, MOST_BYTES, "choose the oscilloscope's CSV file", "cut it to the stretch that matters"
        )
    except BadInput as error:
        return refused(error)
    back = reverse("bench:traces", args=[pk])

    def work() -> Outcome:
        stored = traces.read(case, request.user, sent.name, sent.content)
        return Outcome(f"Read: {len(stored)} channel{'s' if len(stored) > 1 else ''}, measured below.", back)

    return read_beside(request, sent.name, len(sent.content), back, work, refused)


@require_POST
@needs(Right.WORK)
def record(request: SignedIn, pk: int) -> HttpResponse:
    """Record at the stand-in (POST)."""
    case = find(pk)
    try:
        sent = TraceForm.of(request)
        component, _, node = sent.read("place").partition("/")
        duty, hz = (sent.figure("duty") or 0.0) / 100.0, sent.figure("hz") or 0.0
        traces.record(case, request.user, component, node, duty=duty, hz=hz, moving=sent.ticked("moving"))
    except GumshoeError as error:
        return _page(request, case, str(error), 400)
    return redirect("bench:traces", pk)


@require_GET
@needs(Right.SEE)
def export(request: SignedIn, pk: int, number: int) -> HttpResponse:
    """A trace as CSV."""
    name, text = traces.file_of(find(pk), number)
    answer = HttpResponse(text, content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer


def _page(request: SignedIn, case: Case, trouble: str = "", status: int = 200) -> HttpResponse:
    places: list[tuple[str, str]] = []
    for name, words, _ in circuits.named(case) if car_of(case.vehicle).has_wires else ():
        circuit = circuits.model_of(case, name).circuit
        places += [(f"{name}/{place.node}", f"{words}: {place.words}") for place in circuit.places if not place.behind]
    page = TracesPage(traces=traces.listed(case), places=places, trouble=trouble)
    return show(request, page, folder(case, "bench"), status)
