"""The settings."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect

from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.kit.pages import show
from gumshoe.web.settings.forms import SettingsForm
from gumshoe.web.settings.models import Settings
from gumshoe.web.settings.pages import SettingsPage


@needs(Right.MANAGE)
def settings(request: SignedIn) -> HttpResponse:
    """Shop, money, adapter."""
    form = SettingsForm(request.POST or None, instance=Settings.load())
    if request.method == "POST" and form.is_valid():
        form.save()
        messages.success(request, "Settings stored; links open anew with the next request.")
        return redirect("settings:settings")
    return show(request, SettingsPage(form=form))
