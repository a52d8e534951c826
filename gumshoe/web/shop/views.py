"""The board and the settings."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render

from gumshoe.core.entry import number_in
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.proofs import waiting
from gumshoe.web.shop import history, services
from gumshoe.web.shop.forms import SettingsForm
from gumshoe.web.shop.models import Settings
from gumshoe.web.vehicles import links
from gumshoe.web.vehicles.models import Vehicle


@needs(Right.SEE)
def board(request: SignedIn) -> HttpResponse:
    """Every open case, by what it waits for."""
    columns = services.board()
    under_way = any(not card.standing.known for _, cards in columns for card in cards)
    return render(
        request,
        "shop/board.html",
        {"columns": columns, "closed": services.closed(), "due": waiting.due_list(), "under_way": under_way},
    )


@needs(Right.SEE)
def vehicle_history(request: SignedIn, pk: int) -> HttpResponse:
    """A vehicle's cases on one line of time."""
    line = history.timeline(get_object_or_404(Vehicle, pk=pk))
    return render(request, "shop/history.html", {"line": line, "chart": history.chart(line)})


@needs(Right.SEE)
def parts(request: SignedIn) -> HttpResponse:
    """How long parts live, by make."""
    page = min(max(number_in(request.GET.get("page", "")) or 1, 1), 100_000)
    rows, more = history.unproven(page)
    shown = {"lives": history.part_life(), "unproven": rows, "more": more, "page": page}
    return render(request, "shop/parts.html", shown | {"before": page - 1, "after": page + 1})


@needs(Right.MANAGE)
def settings(request: SignedIn) -> HttpResponse:
    """Shop, money, adapter."""
    form = SettingsForm(request.POST or None, instance=Settings.load())
    if request.method == "POST" and form.is_valid():
        form.save()
        links.close_all()
        messages.success(request, "Settings stored; links open anew with the next request.")
        return redirect("shop:settings")
    return render(request, "shop/settings.html", {"form": form})
