"""Turn errors a technician can act on into a page that says what happened, what is kept and what to do."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

from gumshoe.core.errors import GumshoeError
from gumshoe.web.kit.pages import show
from gumshoe.web.ui.pages import MessagePage, ProblemPage
from gumshoe.web.ui.responses import problem


class ErrorPages:
    """Catches GumshoeError raised by any view that did not handle it."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        html = request.headers.get("Accept", "").startswith(("text/html", "*/*")) or "Accept" not in request.headers
        if response.status_code == 405 and html and not response.content:
            words = "This address only takes what a form sends. Go back to the page and press its button."
            told = show(request, MessagePage(title="Not this way", words=words), status=405)
            told["Allow"] = response.get("Allow", "")
            response = told
        response.headers.setdefault("Permissions-Policy", "camera=(self), microphone=(), geolocation=(), payment=()")
        if getattr(request, "user", None) is not None and request.user.is_authenticated:
            response.headers.setdefault("Cache-Control", "private, no-store")  # customers' data stays out of caches
        return response

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """A page for a person, JSON for a script; other errors take Django's way."""
        if not isinstance(error, GumshoeError):
            return None
        if request.headers.get("Accept", "").startswith("application/json"):
            return problem(error, 400)
        return show(request, ProblemPage(problem=error), status=400)
