"""What the shop has behind it: the cases of a vehicle, how long parts live."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import get_object_or_404

from gumshoe.core.entry import number_in
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.history import services as history
from gumshoe.web.history.pages import HistoryPage, PartsPage
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
    page = min(max(number_in(request.GET.get("page", "")) or 1, 1), 100_000)
    rows, more = history.unproven(page)
    lives = history.part_life()
    return show(request, PartsPage(lives=lives, unproven=rows, more=more, page=page, before=page - 1, after=page + 1))
