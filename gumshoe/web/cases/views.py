"""Intake: new case, complaint."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_GET

from gumshoe.core.errors import BadInput
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.cases import judging, services
from gumshoe.web.cases.context import find, folder
from gumshoe.web.cases.forms import ComplaintForm, NewCaseForm
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.pages import ComplaintPage, HerePage, NewPage
from gumshoe.web.kit.pages import show

LONGEST = 120


@needs(Right.INTAKE)
def new(request: SignedIn) -> HttpResponse:
    """Open a case for a known or a new vehicle."""
    form = NewCaseForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        data = dict(form.cleaned_data)
        vehicle = data.pop("vehicle")
        try:
            vehicle = vehicle or services.take_in(request.user, data)
        except BadInput as error:
            form.add_error("vin" if "VIN" in error.what else "plate", error.what)
        else:
            case = services.open_once(request.user, vehicle, data["bay"])
            return redirect("cases:complaint", case.pk)
    text = request.GET.get("q", "")[:LONGEST]
    here = services.looked_for(text) if text else services.here_lately()
    if text and not form.is_bound:
        form = NewCaseForm(initial={"plate": text if any(char.isdigit() for char in text) else ""})
    return show(request, NewPage(form=form, text=text, here=here), status=400 if form.errors else 200)


@require_GET
@needs(Right.INTAKE)
def new_typed(request: SignedIn) -> HttpResponse:
    """Vehicles on file, while somebody types: by plate, VIN, make, owner, phone."""
    text = request.GET.get("q", "")[:LONGEST]
    here = services.looked_for(text) if text else services.here_lately()
    return show(request, HerePage(text=text, here=here))


FIELDS = ("text", "symptoms", "lamp", "conditions", "since", "recent_work", "odometer_km")


def _complaint_page(
    request: SignedIn, case: Case, form: ComplaintForm | None = None, status: int = 200
) -> HttpResponse:
    """The complaint that holds in the form, or the entry that was refused."""
    latest = services.complaint_of(case)
    held = {name: getattr(latest, name) for name in FIELDS} if latest else {}
    filled = ComplaintForm(initial={**held, "seen": latest.pk if latest else 0})
    return show(
        request,
        ComplaintPage(
            form=form or filled,
            groups=(form or filled).grouped(services.knowledge_of(case)),
            latest=latest,
            advice=judging.judged(case).advice if latest else None,
            earlier=list(case.complaints.all())[:-1],
        ),
        folder(case, "complaint"),
        status=status,
    )


@needs(Right.SEE)
def complaint(request: SignedIn, pk: int) -> HttpResponse:
    """Show the complaint, and take a new one."""
    return _complaint_page(request, find(pk))


@needs(Right.INTAKE)
def complaint_save(request: SignedIn, pk: int) -> HttpResponse:
    """Store a complaint (POST)."""
    case = find(pk)
    form = ComplaintForm(request.POST)
    if request.method != "POST" or not form.is_valid():
        return _complaint_page(request, case, form, status=400)
    told = dict(form.cleaned_data)
    try:
        services.complain(case, request.user, told, told.pop("seen"))
    except BadInput as error:
        again = request.POST.copy()  # shown once more, and theirs is known then
        again["seen"] = str(latest.pk if (latest := services.complaint_of(case)) else 0)
        form = ComplaintForm(again)
        form.add_error(None, f"{error.what} Try: {error.remedies[0]}.")
        return _complaint_page(request, case, form, status=409)
    messages.success(request, "Complaint stored.")
    advice = judging.judged(case).advice
    if advice.reasons:
        messages.warning(request, f"{advice.title}. {advice.words}")
    return redirect("scans:scan", case.pk)
