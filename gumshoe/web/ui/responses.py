"""Answers of more than one application: errors for scripts, and what is done beside a page."""

from __future__ import annotations

from collections.abc import Callable

from django.contrib import messages
from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect

from gumshoe.core.errors import GumshoeError
from gumshoe.web.accounts.rights import SignedIn
from gumshoe.web.kit import beside
from gumshoe.web.kit.beside import Outcome, Task

PATIENCE_S = 0.7
"""What takes no longer is answered at once."""
SOON_BYTES = 200_000
"""Files of this size are read in less than that."""


def problem(error: GumshoeError, status: int) -> JsonResponse:
    """A GumshoeError as JSON."""
    return JsonResponse({"error": error.what, "kept": error.kept, "remedies": list(error.remedies)}, status=status)


def read_beside(
    request: SignedIn,
    name: str,
    size: int,
    back: str,
    work: Callable[[], Outcome],
    refused: Callable[[GumshoeError], HttpResponse] | None = None,
) -> HttpResponse:
    """Read a file that somebody sent: the page that follows, or the one on which the reading is watched. ``back``: the
    page it was sent from, which an error leads to; ``refused``: or what is answered where it is told at once."""
    large = f", {size / 1e6:.0f} MB" if size > 1_000_000 else ""
    task = Task(request.user.pk, f"Reading “{name}”{large}", back, work)
    if size <= SOON_BYTES:
        task.carry_out()
    elif not beside.begin(task, PATIENCE_S).done:
        return redirect("beside", task.key)
    if task.trouble is not None and refused is not None:
        beside.told(task)
        return refused(task.trouble)
    return ended(request, task)


def done_beside(request: SignedIn, words: str, back: str, work: Callable[[], Outcome]) -> HttpResponse:
    """Do what takes a while: the page that follows, or the one on which it is watched."""
    task = Task(request.user.pk, words, back, work)
    return ended(request, task) if beside.begin(task, PATIENCE_S).done else redirect("beside", task.key)


def ended(request: SignedIn, task: Task) -> HttpResponse:
    """Tell the end of a piece of work, once."""
    beside.told(task)
    if task.outcome is None:
        messages.error(request, str(task.trouble))
        return redirect(task.back)
    (messages.warning if task.outcome.doubtful else messages.success)(request, task.outcome.words)
    return redirect(task.outcome.url)
