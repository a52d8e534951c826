"""What was entered is counted and put into the search before the next page is asked for."""

from __future__ import annotations

import logging
from collections.abc import Callable

from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse

from gumshoe.web.finding.services import COLLECTIONS
from gumshoe.web.history.sums import count_some

log = logging.getLogger("gumshoe.sums")
MOST = 10
"""So many of each; after an entry there are few. More, as after an import, are counted by who reads them next."""


class CountWhatWasEntered:
    """Middleware: after a request that may have entered something, sums and search are brought up to it, so that no
    page pays for it."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        if request.method not in ("GET", "HEAD", "OPTIONS") and request.user.is_authenticated:
            try:
                count_some(MOST)
                for collection in COLLECTIONS:
                    collection.bring_up(MOST)
            except DatabaseError as error:  # what was entered is stored; it is counted before it is read
                log.warning("not counted at once: %s", error)
        return response
