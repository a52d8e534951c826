"""The Live page and what it asks for while the car talks."""

from __future__ import annotations

import math

from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from gumshoe.core.errors import GumshoeError
from gumshoe.core.signals.strips import MOST_STRIPS
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find, folder
from gumshoe.web.kit.pages import show
from gumshoe.web.live import looking, recordings, services
from gumshoe.web.live.forms import BeginForm, MarkForm, StripForm, StripsForm
from gumshoe.web.live.pages import ChannelsPage, LivePage
from gumshoe.web.live.reader import Reader
from gumshoe.web.ui.responses import problem

MOST_NUMBER = 1e15
BYTES = "application/octet-stream"


def number_of(request: SignedIn, name: str, usual: float = 0.0) -> float:
    """A number of the address; ``usual`` when it is none."""
    return number_from(request.GET.get(name) or str(usual), usual)


def number_from(text: str, usual: float = 0.0) -> float:
    """A number as a script sends it; ``usual`` when it is none."""
    try:
        found = float(text[:40])
    except ValueError:
        return usual
    return found if math.isfinite(found) and abs(found) < MOST_NUMBER else usual


def keys_of(request: SignedIn) -> list[str]:
    """The channels that a request names."""
    return [key for key in request.GET.get("keys", "").split(",") if key][:400]


@require_GET
@needs(Right.SEE)
def live(request: SignedIn, pk: int) -> HttpResponse:
    """Strip charts, recordings, trims by region."""
    case = find(pk)
    rows = recordings.recorded(case)
    trims = recordings.trim_reading(rows, cases.powertrain_of(case))
    shown, reader = looking.looking(case, request.user), Reader(case)
    return show(
        request,
        LivePage(
            purposes=services.PURPOSES,
            recorded=rows,
            trims=trims,
            shown=shown,
            strips=reader.strips(looking.drawn(shown)),
            setup={
                "strips": reader.strips(looking.drawn(shown)),
                "news": reverse("live:news", args=[pk]),
                "history": reverse("live:history", args=[pk]),
                "figures": reverse("live:figures", args=[pk]),
                "begin": reverse("live:begin", args=[pk]),
                "stop": reverse("live:stop", args=[pk]),
                "mark": reverse("live:mark", args=[pk]),
                "marks": services.marks(case),
                "keys": [purpose.key for purpose in services.PURPOSES],
            },
        ),
        folder(case, "live"),
    )


@require_GET
@needs(Right.SEE)
def news(request: SignedIn, pk: int) -> JsonResponse:
    """Samples since the cursor."""
    try:
        case, cursor = find(pk), int(number_of(request, "cursor"))
        told = services.news(case, cursor, keys_of(request), look=request.GET.get("look") == "1")
        return JsonResponse(Reader(case).news(told))
    except GumshoeError as error:
        return problem(error, 409)


@require_GET
@needs(Right.SEE)
def history(request: SignedIn, pk: int) -> HttpResponse:
    """Everything the feed still holds of some channels, as bytes."""
    case = find(pk)
    found = services.running(case)
    keys = keys_of(request)
    found.want(keys)
    count, columns = found.columns(keys)
    return HttpResponse(recordings.as_bytes(Reader(case).columns(columns), cursor=count), content_type=BYTES)


@require_GET
@needs(Right.SEE)
def figures(request: SignedIn, pk: int) -> JsonResponse:
    """Least, most and mean of a stretch of the live signal."""
    case = find(pk)
    _, columns = services.running(case).columns(keys_of(request))
    try:
        rows = recordings.figures(Reader(case), columns, number_of(request, "from"), number_of(request, "to"))
    except GumshoeError as error:
        return problem(error, 400)
    return JsonResponse({"rows": [vars(row) for row in rows]})


@require_POST
@needs(Right.WORK)
def begin(request: SignedIn, pk: int) -> JsonResponse:
    """Begin a guided recording, or a free one of what is looked at."""
    case, sent = find(pk), BeginForm.of(request)
    try:
        if sent.read("purpose"):
            recording = services.begin(case, request.user, sent.read("purpose"))
        else:
            recording = services.begin_free(case, request.user, sent.read("label"))
    except GumshoeError as error:
        return problem(error, 409)
    return JsonResponse({"id": recording.pk})


@require_POST
@needs(Right.WORK)
def stop(request: SignedIn, pk: int) -> JsonResponse:
    """End the running recording."""
    services.stop(find(pk))
    return JsonResponse({"stopped": True})


@require_POST
@needs(Right.WORK)
def mark(request: SignedIn, pk: int) -> JsonResponse:
    """Mark a moment."""
    sent = MarkForm.of(request)
    try:
        row = services.mark(find(pk), request.user, number_from(sent.read("at")), sent.read("text"))
    except GumshoeError as error:
        return problem(error, 400)
    return JsonResponse({"at": row.moment, "text": row.text, "by": str(row.by)})


@needs(Right.SEE)
def channels(request: SignedIn, pk: int) -> HttpResponse:
    """Choose what is looked at: presets by symptom, favourites, every strip (POST stores the choice)."""
    case = find(pk)
    trouble = ""
    if request.method == "POST":
        try:
            looking.choose(case, request.user, StripsForm.of(request).several("strip"))
            return redirect("live:live", pk)
        except GumshoeError as error:
            trouble = str(error)
    told = services.told(case)
    shown = looking.looking(case, request.user)
    page = ChannelsPage(
        trouble=trouble,
        groups=looking.groups(shown, cases.powertrain_of(case), told),
        presets=looking.presets(case, told),
        most=MOST_STRIPS,
        asked=told is not None,
    )
    return show(request, page, folder(case, "live"), 400 if trouble else 200)


@require_POST
@needs(Right.SEE)
def favourite(request: SignedIn, pk: int) -> JsonResponse:
    """Add a strip to the favourites, or take it out."""
    find(pk)
    return JsonResponse({"favourite": looking.favour(request.user, StripForm.of(request).read("strip"))})
