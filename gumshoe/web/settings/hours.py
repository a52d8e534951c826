"""Every page in the time zone of the shop."""

from __future__ import annotations

from collections.abc import Callable
from zoneinfo import ZoneInfo

from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from gumshoe.web.settings.models import Settings


class ShopTime:
    """Middleware: times are shown and typed as the clock in the shop has them."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        zone = Settings.load().time_zone
        if not zone:
            return self.get_response(request)
        with timezone.override(ZoneInfo(zone)):
            return self.get_response(request)
