"""Where the work of a case goes on."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import redirect

from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.cases.context import find
from gumshoe.web.standing.services import standing


@needs(Right.SEE)
def resume(request: SignedIn, pk: int) -> HttpResponse:
    """Open a case where its work goes on."""
    return redirect(standing(find(pk)).url)
