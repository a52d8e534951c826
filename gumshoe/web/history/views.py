"""What the shop has behind it: the cases of a vehicle, how long parts live."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import get_object_or_404

from gumshoe.core.entry import number_in
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.history import services as history
from gumshoe.web.history.pages import HistoryPage, PartsPage, Turn
from gumshoe.web.kit.pages import show
from gumshoe.web.vehicles.models import Vehicle


@needs(Right.SEE)
def vehicle_history(request: SignedIn, pk: int) -> HttpResponse:
    """A vehicle's cases on one line of time."""
    line = history.timeline(get_object_or_404(Vehicle, pk=pk))
    return show(request, HistoryPage(line=line, chart=history.chart(line)))


@needs(Right.SEE)
def parts(request: SignedIn) -> HttpResponse:
    """How long parts live, by make."""
    page, at = (min(max(number_in(request.GET.get(name, "")) or 1, 1), 100_000) for name in ("page", "lives"))
    rows, more = history.unproven(page)
    lives, more_lives = history.lives_on(at)
    return show(
        request,
        PartsPage(lives=lives, unproven=rows, unproven_pages=Turn(page, more), lives_pages=Turn(at, more_lives)),
    )
