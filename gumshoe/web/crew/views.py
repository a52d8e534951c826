"""Hand a case over, take it, let it wait, go on; who else is in it."""

from __future__ import annotations

from datetime import datetime

from django.contrib import messages
from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect
from django.utils import timezone
from django.utils.dateparse import parse_datetime
from django.views.decorators.http import require_GET, require_POST

from gumshoe.web.accounts.models import User
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.cases.context import find, folder
from gumshoe.web.crew import presence, services
from gumshoe.web.crew.forms import HandOverForm, WaitForm
from gumshoe.web.crew.pages import HandOverPage
from gumshoe.web.kit.pages import show


@require_GET
@needs(Right.SEE)
def hand_over(request: SignedIn, pk: int) -> HttpResponse:
    """Who has the case and had it, what it waits for; give it to somebody else."""
    case = find(pk)
    page = HandOverPage(
        people=tuple(User.objects.filter(is_active=True).order_by("full_name", "username")),
        off=services.off_the_car(case),
        kinds=WaitForm.CHOICES,
        earlier=tuple(case.handovers.select_related("by", "to").order_by("-at", "-pk")),
        waited=tuple(case.waitings.select_related("by").order_by("-at", "-pk")),
    )
    return show(request, page, folder(case, "crew"))


@require_POST
@needs(Right.INTAKE)
def give(request: SignedIn, pk: int) -> HttpResponse:
    """Give it to somebody."""
    case, sent = find(pk), HandOverForm.of(request)
    made = services.hand_over(case, request.user, sent.person, sent.read("done"), sent.read("next"), sent.read("off"))
    messages.success(request, f"{made.to} has case {case.number} now.")
    return redirect("board:board")


@require_POST
@needs(Right.INTAKE)
def take(request: SignedIn, pk: int) -> HttpResponse:
    """Take it oneself."""
    case = find(pk)
    services.take(case, request.user)
    messages.success(request, f"You have case {case.number} now.")
    return redirect("standing:resume", pk)


@require_POST
@needs(Right.INTAKE)
def wait(request: SignedIn, pk: int) -> HttpResponse:
    """Let it wait for something."""
    case, sent = find(pk), WaitForm.of(request)
    made = services.wait_for(case, request.user, sent.read("what"), sent.day, sent.read("note"))
    messages.success(request, f"Case {case.number} waits for {made.get_what_display()}.")
    return redirect("crew:hand_over", pk)


@require_POST
@needs(Right.INTAKE)
def go_on(request: SignedIn, pk: int) -> HttpResponse:
    """It waits no longer."""
    case = find(pk)
    services.go_on(case, request.user)
    messages.success(request, f"Case {case.number} goes on.")
    return redirect("standing:resume", pk)


@require_GET
@needs(Right.SEE)
def here(request: SignedIn, pk: int) -> JsonResponse:
    """Who else is in the case, and whether they entered something since the page was opened."""
    case, opened = find(pk), _moment(request.GET.get("opened", ""))
    others = presence.seen(pk, request.user, request.GET.get("stage", "")[:12])
    entered = presence.entered_since(case, request.user, opened)
    return JsonResponse(
        {
            "others": [{"name": row.name, "stage": row.stage} for row in others],
            "entered": f"{entered[0]}, {timezone.localtime(entered[1]):%H:%M}" if entered else "",
        }
    )


def _moment(text: str) -> datetime:
    """A moment as the page had it from the server; now where it is none."""
    try:
        found = parse_datetime(text)
    except ValueError:
        found = None
    return found if found is not None and found.tzinfo is not None else timezone.now()
