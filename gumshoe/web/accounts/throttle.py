"""Sign-in is throttled three ways: by name from one address, by address over all names, by name from anywhere.

So a wrong password held to one key locks that name at that place; one password tried over many names locks the place;
and many places trying one name lock the name. Behind a proxy the address is the one that the proxy tells (settings).
"""

from __future__ import annotations

import logging
from typing import Any

from axes.handlers.database import AxesDatabaseHandler
from django.conf import settings
from django.contrib.auth.signals import user_logged_in, user_login_failed
from django.db.models import Sum
from django.http import HttpRequest

log = logging.getLogger("gumshoe.sign_in")
BY_NAME_AND_ADDRESS, BY_ADDRESS, BY_NAME = 5, 25, 50
"""So many failed tries within the time of AXES_COOLOFF_TIME."""
LIMITS = (BY_NAME_AND_ADDRESS, BY_ADDRESS, BY_NAME)
"""In the order of AXES_LOCKOUT_PARAMETERS."""


class Throttle(AxesDatabaseHandler):  # type: ignore[misc]  # django-axes has no types
    """django-axes' handler, with a limit for each way of counting."""

    def get_failures(self, request: HttpRequest, credentials: dict[str, Any] | None = None) -> int:
        """The failures that count most, on the scale of AXES_FAILURE_LIMIT."""
        counted = zip(self.get_user_attempts(request, credentials), LIMITS, strict=True)
        return max(
            settings.AXES_FAILURE_LIMIT * (rows.aggregate(all=Sum("failures_since_start"))["all"] or 0) // limit
            for rows, limit in counted
        )


def address_of(request: HttpRequest | None) -> str:
    """Where a request came from, as the server knows it."""
    return str(request.META.get("REMOTE_ADDR", "")) if request is not None else ""


def _failed(credentials: dict[str, Any], request: HttpRequest | None = None, **_: Any) -> None:
    log.warning("failed: name %r from %s", str(credentials.get("username", ""))[:60], address_of(request))


def _worked(user: Any, request: HttpRequest | None = None, **_: Any) -> None:
    log.info("signed in: %r from %s", user.username, address_of(request))


user_login_failed.connect(_failed, dispatch_uid="sign-in failed")
user_logged_in.connect(_worked, dispatch_uid="signed in")
