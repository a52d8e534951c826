"""Commanding actuators: the list, one under command, its state while it runs."""

from __future__ import annotations

from django.http import HttpResponse, JsonResponse
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.web.accounts.rights import Right, SignedIn, may, needs
from gumshoe.web.bench import commanding
from gumshoe.web.bench.forms import ValueForm
from gumshoe.web.bench.pages import CommandPage, CommandsPage
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find, folder
from gumshoe.web.kit.pages import show
from gumshoe.web.ui.responses import problem


@needs(Right.SEE)
def listed(request: SignedIn, pk: int) -> HttpResponse:
    """What can be commanded on this vehicle, and what was."""
    case = find(pk)
    made = case.commandruns.select_related("by").order_by("-at")
    rows = [row for row, _ in commanding.offered(case)]
    return show(request, CommandsPage(rows=rows, made=made), folder(case, "bench"))


@needs(Right.SEE)
def one(request: SignedIn, pk: int, name: str) -> HttpResponse:
    """One actuator: conditions, cautions, steps."""
    case = find(pk)
    row, ids = commanding.one_of(case, name)
    names = {key: reverse(f"bench:command_{key}", args=(pk, name)) for key in ("start", "state", "set", "stop")}
    page = CommandPage(
        row=row,
        ids=ids,
        setup=names,
        holds=(0, 25, 50, 75, 100),
        cautions=[cases.knowledge_of(case).cautions[item] for item in row.cautions],
        made=case.commandruns.filter(actuator=row.id).select_related("by").order_by("-at"),
    )
    return show(request, page, folder(case, "bench"))


@require_POST
@needs(Right.WORK)
def start(request: SignedIn, pk: int, name: str) -> JsonResponse:
    """Begin (POST)."""
    try:
        commanding.start(find(pk), request.user, name)
    except GumshoeError as error:
        return problem(error, 409)
    return JsonResponse({"running": True})


@require_GET
@needs(Right.SEE)
def state(request: SignedIn, pk: int, name: str) -> JsonResponse:
    """Where it is; asking tells that the page is still open."""
    user = request.user if may(request.user, Right.WORK) else None
    return JsonResponse(commanding.state(find(pk), user, name))


@require_POST
@needs(Right.WORK)
def set_value(request: SignedIn, pk: int, name: str) -> JsonResponse:
    """Command a value by hand (POST)."""
    run = commanding.of(find(pk).vehicle, name)
    try:
        if run is None or not run.is_alive():
            raise BadInput("It is not under command.", remedies=("start it first",))
        value = ValueForm.of(request).figure("value") or 0.0
        run.set(value)
    except GumshoeError as error:
        return problem(error, 409)
    return JsonResponse({"value": value})


@require_POST
@needs(Right.WORK)
def stop(request: SignedIn, pk: int, name: str) -> JsonResponse:
    """Give control back (POST)."""
    case = find(pk)
    run = commanding.of(case.vehicle, name)
    if run:
        run.stop()
    return JsonResponse(commanding.state(case, request.user, name))
