"""The settings: the shop, and its adapters."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_GET, require_POST

from gumshoe.web.accounts.rights import Right, SignedIn, may, needs
from gumshoe.web.kit.pages import show
from gumshoe.web.settings import adapters
from gumshoe.web.settings.forms import AdapterForm, SettingsForm
from gumshoe.web.settings.models import Adapter, Settings
from gumshoe.web.settings.pages import AdapterPage, AdaptersPage, SettingsPage


@needs(Right.MANAGE)
def settings(request: SignedIn) -> HttpResponse:
    """Shop, money, units."""
    form = SettingsForm(request.POST or None, instance=Settings.load())
    if request.method == "POST" and form.is_valid():
        form.save()
        messages.success(request, "Settings stored.")
        return redirect("settings:settings")
    return show(request, SettingsPage(form=form))


@require_GET
@needs(Right.SEE)
def all_adapters(request: SignedIn) -> HttpResponse:
    """Every adapter of the shop and what its last test found."""
    return show(request, AdaptersPage(adapters=tuple(Adapter.objects.all())))


@needs(Right.MANAGE)
def new_adapter(request: SignedIn) -> HttpResponse:
    """One more."""
    form = AdapterForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        stored = form.save()
        messages.success(request, f"{stored} stored. Test it with a car plugged in.")
        return redirect("settings:adapter", stored.pk)
    return show(request, AdapterPage(form=form, adapter=None), status=400 if form.errors else 200)


@needs(Right.WORK)
def adapter(request: SignedIn, pk: int) -> HttpResponse:
    """One adapter: how it is reached, and its test. Only who manages the shop changes it."""
    found = get_object_or_404(Adapter, pk=pk)
    sent = request.POST if request.method == "POST" and may(request.user, Right.MANAGE) else None
    form = AdapterForm(sent, instance=get_object_or_404(Adapter, pk=pk))
    if sent is not None and form.is_valid():
        form.save()
        messages.success(request, "Stored; links open anew with the next request.")
        return redirect("settings:adapter", pk)
    running = adapters.test_of(found)
    page = AdapterPage(form=form, adapter=found, running=running if running and not running.done else None)
    return show(request, page, status=400 if form.errors else 200)


@require_POST
@needs(Right.MANAGE)
def drop_adapter(request: SignedIn, pk: int) -> HttpResponse:
    """Take it off the list; scans keep the words of what they were read through."""
    found = get_object_or_404(Adapter, pk=pk)
    found.delete()
    messages.success(request, f"{found} is off the list. What was read through it stays on record.")
    return redirect("settings:adapters")


@require_POST
@needs(Right.WORK)
def test_adapter(request: SignedIn, pk: int) -> HttpResponse:
    """Begin its test."""
    adapters.start_test(get_object_or_404(Adapter, pk=pk))
    return redirect("settings:adapter", pk)


@require_GET
@needs(Right.WORK)
def test_state(request: SignedIn, pk: int) -> JsonResponse:
    """What a test is doing now."""
    running = adapters.test_of(get_object_or_404(Adapter, pk=pk))
    said = running.said if running else []
    return JsonResponse({"said": said[-1] if said else "", "done": running is None or running.done})
