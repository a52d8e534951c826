"""What is asked for many times while one page is made is found once. Outside a request nothing is remembered; any entry
that is stored makes everything be found anew."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Hashable
from contextvars import ContextVar
from functools import wraps
from typing import Any, ParamSpec, TypeVar

from django.db.models import Model
from django.db.models.signals import post_delete, post_save
from django.http import HttpRequest, HttpResponse

P = ParamSpec("P")
R = TypeVar("R")
_held: ContextVar[dict[Hashable, Any] | None] = ContextVar("once_a_request", default=None)
_reads: ContextVar[bool] = ContextVar("only_reads", default=False)


class OnceARequest:
    """Middleware: an empty memory at the begin of a request, none after it."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        token, reads = _held.set({}), _reads.set(request.method in ("GET", "HEAD"))
        try:
            return self.get_response(request)
        finally:
            _held.reset(token)
            _reads.reset(reads)


def only_reads() -> bool:
    """Whether this is a request that enters nothing."""
    return _reads.get()


def once(find: Callable[P, R]) -> Callable[P, R]:
    """A function whose answer holds for the rest of the request. Rows count by their kind and number; other arguments
    must be hashable. What it returns must not be changed by the caller."""

    @wraps(find)
    def found(*args: P.args, **kwargs: P.kwargs) -> R:
        held = _held.get()
        if held is None:
            return find(*args, **kwargs)
        key = (find.__module__, find.__qualname__, *map(_key, args), *((k, _key(v)) for k, v in sorted(kwargs.items())))
        if key not in held:
            held[key] = find(*args, **kwargs)
        answer: R = held[key]
        return answer

    return found


def fresh() -> int:
    """A number for the state of something; none had it before, so what was kept for another state is never found."""
    return secrets.randbits(62)


def forget(**_: Any) -> None:
    """Something was stored: whatever was found may hold no longer."""
    held = _held.get()
    if held:
        held.clear()


def _key(value: Any) -> Hashable:
    return (type(value).__name__, value.pk) if isinstance(value, Model) else value


post_save.connect(forget, dispatch_uid="once a request, saved")
post_delete.connect(forget, dispatch_uid="once a request, deleted")
