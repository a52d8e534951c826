"""The settings: the shop, and its adapters."""

from __future__ import annotations

from django.contrib import messages
from django.contrib.auth import login
from django.db import transaction
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_GET, require_POST

from gumshoe.core.errors import BadInput
from gumshoe.web.accounts import people
from gumshoe.web.accounts.models import User
from gumshoe.web.accounts.rights import Right, SignedIn, may, needs
from gumshoe.web.kit.pages import show
from gumshoe.web.settings import adapters, first
from gumshoe.web.settings.forms import AdapterForm, FirstLeadForm, SettingsForm, ShopForm
from gumshoe.web.settings.models import Adapter, Settings
from gumshoe.web.settings.pages import AdapterPage, AdaptersPage, FirstStartPage, SettingsPage


def first_start(request: HttpRequest) -> HttpResponse:
    """While nobody is known: set the shop up, with its first lead. Who has the code of the server may."""
    if User.objects.exists():
        return redirect("accounts:sign_in")
    sent = request.POST if request.method == "POST" else None
    shop = ShopForm(sent, request.FILES or None, instance=Settings.load())
    lead = FirstLeadForm(sent, initial={"code": request.GET.get("code", "")})
    if sent is not None and shop.is_valid() and lead.is_valid():
        told = lead.cleaned_data
        if not first.fits(told["code"]):
            lead.add_error("code", "That is not the code. It stands where the server was started.")
        else:
            try:
                with transaction.atomic():
                    person = people.first_lead(told["username"], told["full_name"], told["password"])
                    shop.save()
            except BadInput as error:
                lead.add_error("password" if "password" in error.what.lower() else "username", error.what)
            else:
                login(request, person, backend="django.contrib.auth.backends.ModelBackend")
                messages.success(request, "The shop is set up. Add the people who work here, then the first car.")
                return redirect("accounts:people")
    refused = bool(shop.errors or lead.errors)
    return show(request, FirstStartPage(shop=shop, lead=lead), status=400 if refused else 200)


first_start.required_right = Right.ANYONE  # type: ignore[attr-defined]


@needs(Right.MANAGE)
def settings(request: SignedIn) -> HttpResponse:
    """Shop, money, units."""
    form = SettingsForm(request.POST or None, request.FILES or None, instance=Settings.load())
    if request.method == "POST" and form.is_valid():
        form.save()
        messages.success(request, "Settings stored.")
        return redirect("settings:settings")
    return show(request, SettingsPage(form=form), status=400 if form.errors else 200)


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
