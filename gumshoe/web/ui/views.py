"""Error pages in the application's own look; what is done beside; whether the server is well."""

from django.db import DatabaseError, connection
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_GET

from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.kit import beside
from gumshoe.web.kit.pages import show
from gumshoe.web.ui.pages import BesidePage, MessagePage
from gumshoe.web.ui.responses import ended


@require_GET
def health(request: HttpRequest) -> JsonResponse:
    """Whether the server and its database answer; open to all, and tells nothing else."""
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1")
    except DatabaseError:
        return JsonResponse({"ok": False}, status=503)
    return JsonResponse({"ok": True})


health.required_right = Right.ANYONE  # type: ignore[attr-defined]


@require_GET
@needs(Right.SEE)
def watch_beside(request: SignedIn, key: str) -> HttpResponse:
    """How far it is, for whoever began it; its end leads on. A script asks whether it is done."""
    task = beside.find(key, request.user.pk)
    if request.headers.get("Accept", "").startswith("application/json"):
        return JsonResponse({"done": task is None or task.done, "seconds": task.seconds if task else 0})
    if task is None:
        words = (
            "Of this work nothing is known here: its end was told already, or the server was started anew meanwhile. "
            "What it stored is there; if it is not, send the file once more."
        )
        return show(request, MessagePage(title="It has ended", words=words), status=404)
    return ended(request, task) if task.done else show(request, BesidePage(task=task))


def forbidden(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    """403: the role does not hold the right."""
    return show(
        request,
        MessagePage(
            title="Not yours to do",
            words="Your role does not allow this. Ask the lead technician; nothing was changed.",
        ),
        status=403,
    )


def bad_request(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    """400: what was sent cannot be read at all."""
    words = "What was sent could not be read. Nothing was stored. Go back and try again."
    return show(request, MessagePage(title="Not understood", words=words), status=400)


def csrf_failed(request: HttpRequest, reason: str = "") -> HttpResponse:
    """403: the form does not come from a page of this sign-in (it is old, or another site sent it)."""
    words = (
        "This form belongs to a sign-in that has ended, or did not come from a page of this shop. Nothing was stored; "
        "what you typed waits in the form as a draft. Open the page again, then send it."
    )
    return show(request, MessagePage(title="This form is too old", words=words), status=403)


def not_found(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    """404."""
    return show(
        request,
        MessagePage(title="Not found", words="There is nothing at this address. The board lists every case."),
        status=404,
    )


def server_error(request: HttpRequest) -> HttpResponse:
    """500: nothing of the request was stored (each step is one transaction)."""
    return show(
        request,
        MessagePage(
            title="Something broke here",
            words="This step was not stored; everything stored before is safe. Try again, and note the time for "
            "whoever looks after the server.",
        ),
        status=500,
    )
