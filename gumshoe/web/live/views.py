"""Live page and its data."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from gumshoe.core.errors import GumshoeError
from gumshoe.web.accounts.rights import Right, needs
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find, folder
from gumshoe.web.live import services
from gumshoe.web.ui.responses import problem


@needs(Right.SEE)
def live(request: HttpRequest, pk: int) -> HttpResponse:
    """Strip charts, guided recordings, trims by region."""
    case = find(pk)
    rows = services.recorded(case)
    trims = services.trim_reading(rows, cases.knowledge_of(case).powertrain)
    return render(
        request,
        "live/live.html",
        folder(
            case,
            "live",
            purposes=services.PURPOSES,
            recorded=rows,
            trims=trims,
            setup={
                "channels": services.channels(case),
                "news": reverse("live:news", args=[pk]),
                "begin": reverse("live:begin", args=[pk]),
                "stop": reverse("live:stop", args=[pk]),
                "keys": [purpose.key for purpose in services.PURPOSES],
            },
        ),
    )


@require_GET
@needs(Right.SEE)
def news(request: HttpRequest, pk: int) -> JsonResponse:
    """Samples since the cursor."""
    try:
        cursor = int(request.GET.get("cursor", "0"))
    except ValueError:
        cursor = 0
    try:
        return JsonResponse(services.news(find(pk), cursor))
    except GumshoeError as error:
        return problem(error, 409)


@require_POST
@needs(Right.WORK)
def begin(request: HttpRequest, pk: int) -> JsonResponse:
    """Begin a guided recording."""
    try:
        recording = services.begin(find(pk), request.user, request.POST.get("purpose", ""))  # type: ignore[arg-type]
    except GumshoeError as error:
        return problem(error, 409)
    return JsonResponse({"id": recording.pk})


@require_POST
@needs(Right.WORK)
def stop(request: HttpRequest, pk: int) -> JsonResponse:
    """End the running recording."""
    services.stop(find(pk))
    return JsonResponse({"stopped": True})
