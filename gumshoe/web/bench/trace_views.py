"""Oscilloscope traces: the page, a file read, a record at a stand-in, a file given out."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_GET, require_POST

from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.core.signals.scope import MOST_BYTES
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.bench import circuits, traces
from gumshoe.web.bench.forms import TraceForm
from gumshoe.web.bench.pages import TracesPage
from gumshoe.web.cases.context import find, folder
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.pages import show
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
    upload = request.FILES.get("file")
    try:
        if upload is None:
            raise BadInput("No file was chosen.", remedies=("choose the oscilloscope's CSV file",))
        if (upload.size or 0) > MOST_BYTES:
            raise BadInput("The file is larger than 64 MB.", remedies=("cut it to the stretch that matters",))
        stored = traces.read(case, request.user, upload.name or "file", upload.read())
    except GumshoeError as error:
        return _page(request, case, str(error), 400)
    messages.success(request, f"Read: {len(stored)} channel{'s' if len(stored) > 1 else ''}, measured below.")
    return redirect("bench:traces", pk)


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
