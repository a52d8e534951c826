"""Who may do what. Every view names the right it needs; a test walks all addresses and checks that it does."""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum
from functools import wraps
from typing import Any

from django.contrib.auth.views import redirect_to_login
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse, JsonResponse

from gumshoe.web.accounts.models import Role


class Right(StrEnum):
    """One thing somebody may be allowed to do."""

    ANYONE = "open to all"
    SEE = "see cases"
    APPROVE = "record the customer's answer"
    WORK = "work on cases and vehicles"
    OVERRULE = "overrule a guard"
    MANAGE = "change the shop's settings"


RIGHTS: dict[str, frozenset[Right]] = {
    Role.ADVISER: frozenset({Right.SEE, Right.APPROVE}),
    Role.TECHNICIAN: frozenset({Right.SEE, Right.APPROVE, Right.WORK}),
    Role.LEAD: frozenset({Right.SEE, Right.APPROVE, Right.WORK, Right.OVERRULE, Right.MANAGE}),
}

View = Callable[..., HttpResponse]


def may(user: Any, right: Right) -> bool:
    """Whether the user holds the right."""
    if right is Right.ANYONE:
        return True
    return bool(user.is_authenticated and user.is_active and right in RIGHTS.get(user.role, frozenset()))


def needs(right: Right) -> Callable[[View], View]:
    """Guard a view: sign-in when nobody is signed in, 403 when the role does not hold the right."""

    def guard(view: View) -> View:
        @wraps(view)
        def guarded(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
            if may(request.user, right):
                return view(request, *args, **kwargs)
            if request.user.is_authenticated:
                raise PermissionDenied
            if request.headers.get("Accept", "").startswith("application/json"):
                return JsonResponse(
                    {"error": "You were signed out. Sign in again; what was stored is kept."}, status=401
                )
            return redirect_to_login(request.get_full_path())

        guarded.required_right = right  # type: ignore[attr-defined]
        return guarded

    return guard
