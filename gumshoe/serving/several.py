"""Several processes before one database: one speaks with the cars (feeds, scans, drives and adapters live in its
memory), any number of others show pages. The proxy leads each address to the right one
(``deploy/nginx-several.conf``)."""

from __future__ import annotations

import re
from collections.abc import Callable

from django.conf import settings
from django.core.exceptions import MiddlewareNotUsed
from django.http import HttpRequest, HttpResponse

from gumshoe.web.kit.pages import show
from gumshoe.web.ui.pages import MessagePage

AT_THE_CARS = (
    r"^/(cases/[0-9]+/(scan|live|clear|prove|bench|repair/(work|line|ends))/"
    r"|settings/adapters/|vehicles/[0-9]+/stand-in/|cases/import/|beside/|practice/)"
)
"""The addresses of the process that speaks with the cars, and reads what takes long."""
MISDIRECTED = 421


class AtTheCars:
    """Middleware of a process that shows pages: what needs the cars is refused in words, never done half."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        if not settings.PAGES_ONLY:
            raise MiddlewareNotUsed
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if not re.match(AT_THE_CARS, request.path):
            return self.get_response(request)
        words = (
            "This address belongs to the process that speaks with the cars; this one only shows pages. Nothing was "
            "done. Let the proxy lead it there (deploy/nginx-several.conf)."
        )
        return show(request, MessagePage(title="Led to the wrong process", words=words), status=MISDIRECTED)
