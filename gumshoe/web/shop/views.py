"""The board and the settings."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render

from gumshoe.web.accounts.rights import Right, needs
from gumshoe.web.shop import services
from gumshoe.web.shop.forms import SettingsForm
from gumshoe.web.shop.models import Settings
from gumshoe.web.vehicles import links


@needs(Right.SEE)
def board(request: HttpRequest) -> HttpResponse:
    """Every open case, by what it waits for."""
    return render(request, "shop/board.html", {"columns": services.board(), "closed": services.closed()})


@needs(Right.MANAGE)
def settings(request: HttpRequest) -> HttpResponse:
    """Shop, money, adapter."""
    form = SettingsForm(request.POST or None, instance=Settings.load())
    if request.method == "POST" and form.is_valid():
        form.save()
        links.close_all()
        messages.success(request, "Settings stored; links open anew with the next request.")
        return redirect("shop:settings")
    return render(request, "shop/settings.html", {"form": form})
