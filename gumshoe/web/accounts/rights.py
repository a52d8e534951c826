"""Who may do what. Every view names the right it needs; a test walks all addresses and checks that it does."""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum
from functools import wraps
from typing import Any, Concatenate, ParamSpec, cast
from urllib.parse import urlsplit, urlunsplit

from django.conf import settings
from django.contrib.auth.views import redirect_to_login
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponseBase, JsonResponse
from django.shortcuts import redirect, resolve_url
from django.utils.http import url_has_allowed_host_and_scheme

from gumshoe.web.accounts.models import Role, User


class Right(StrEnum):
    """One thing somebody may be allowed to do."""

    ANYONE = "open to all"
    SELF = "look after their own account"
    SEE = "see cases"
    APPROVE = "record the customer's answer"
    INTAKE = "take cars in and write down complaints"
    WORK = "work on cases and vehicles"
    OVERRULE = "overrule a guard"
    MANAGE = "change the shop's settings"


RIGHTS: dict[str, frozenset[Right]] = {
    Role.ADVISER: frozenset({Right.SELF, Right.SEE, Right.APPROVE, Right.INTAKE}),
    Role.TECHNICIAN: frozenset({Right.SELF, Right.SEE, Right.APPROVE, Right.INTAKE, Right.WORK}),
    Role.LEAD: frozenset(Right) - {Right.ANYONE},
}


P = ParamSpec("P")


class SignedIn(HttpRequest):
    """A request that has passed its guard: somebody is signed in."""

    user: User


Guarded = Callable[Concatenate[SignedIn, P], HttpResponseBase]
View = Callable[Concatenate[HttpRequest, P], HttpResponseBase]


def may(user: Any, right: Right) -> bool:
    """Whether the user holds the right."""
    if right is Right.ANYONE:
        return True
    return bool(user.is_authenticated and user.is_active and right in RIGHTS.get(user.role, frozenset()))


def _back_to(request: HttpRequest) -> str:
    """Where sign-in leads: the page asked for, or the page whose form was sent: there waits the draft."""
    if request.method in ("GET", "HEAD"):
        return request.get_full_path()
    came_from = request.META.get("HTTP_REFERER", "")
    if url_has_allowed_host_and_scheme(came_from, {request.get_host()}, require_https=request.is_secure()):
        parts = urlsplit(came_from)
        return str(urlunsplit(("", "", parts.path, parts.query, "")))
    return str(resolve_url(settings.LOGIN_REDIRECT_URL))


def _first_a_password(request: SignedIn) -> HttpResponseBase:
    """Whoever came in with a password to be used once chooses one of their own before anything else."""
    if request.headers.get("Accept", "").startswith("application/json"):
        return JsonResponse({"error": "Choose a password of your own first: open your account."}, status=403)
    return redirect("accounts:me")


def needs(right: Right) -> Callable[[Guarded[P]], View[P]]:
    """Guard a view: sign-in when nobody is signed in, 403 when the role does not hold the right."""

    def guard(view: Guarded[P]) -> View[P]:
        @wraps(view)
        def guarded(request: HttpRequest, /, *args: P.args, **kwargs: P.kwargs) -> HttpResponseBase:
            if may(request.user, right):
                signed_in = cast(SignedIn, request)
                if signed_in.user.one_time and right is not Right.SELF:
                    return _first_a_password(signed_in)
                return view(signed_in, *args, **kwargs)
            if request.user.is_authenticated:
                raise PermissionDenied
            if request.headers.get("Accept", "").startswith("application/json"):
                return JsonResponse(
                    {"error": "You were signed out. Sign in again; what was stored is kept."}, status=401
                )
            return redirect_to_login(_back_to(request))

        guarded.required_right = right  # type: ignore[attr-defined]
        return guarded

    return guard
