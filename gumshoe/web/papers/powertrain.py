"""The powertrain page: the description of the vehicle's engine and what follows from it."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.presets import presets
from gumshoe.core.maps import engine_map
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.cases import services
from gumshoe.web.cases.context import find, folder
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.pages import show
from gumshoe.web.papers.pages import PowertrainPage
from gumshoe.web.scans import services as scans
from gumshoe.web.vehicles import description
from gumshoe.web.vehicles.forms import PowertrainForm, initial_of


@needs(Right.SEE)
def powertrain(request: SignedIn, pk: int) -> HttpResponse:
    """What holds, presets, what the last scan tells, and the engine map that follows."""
    case = find(pk)
    stored = scans.latest(case)
    snapshot = scans.snapshot_of(stored) if stored else None
    found, told = description.prefilled(case.vehicle, snapshot.engine if snapshot else None)
    added = services.knowledge_of(case).fitted
    if added:
        found, told = description.with_fitted(case.vehicle, found, told, services.powertrain_of(case), added)
    preset = presets().get(request.GET.get("preset", ""))
    if preset:
        found, told = preset[1], ()
    form = PowertrainForm(initial=initial_of(found))
    return _page(request, case, form, found, told=told, from_preset=preset[0] if preset else "")


@require_POST
@needs(Right.WORK)
def powertrain_save(request: SignedIn, pk: int) -> HttpResponse:
    """Store the description; what contradicts itself comes back with the reason."""
    case = find(pk)
    form = PowertrainForm(request.POST)
    held = description.powertrain_of(case.vehicle)
    if not form.is_valid():
        return _page(request, case, form, held, status=400)
    try:
        stored = description.store(case.vehicle, form.facts())
    except BadInput as error:
        return _page(request, case, form, held, status=400, trouble=error)
    messages.success(request, f"Stored: {stored.words}. Parts, codes, suspects and the engine map follow from it.")
    return redirect("papers:powertrain", case.pk)


def _page(
    request: SignedIn, case: Case, form: PowertrainForm, shown: Powertrain, status: int = 200, **more: Any
) -> HttpResponse:
    knowledge = expand(shown, services.local_of(case))
    return show(
        request,
        PowertrainPage(
            form=form,
            presets=[(key, words) for key, (words, _) in presets().items()],
            origin=description.origin_of(case.vehicle),
            shown=shown,
            map=engine_map(shown, knowledge.components.values()),
            counts={
                "parts": len(knowledge.components),
                "suspects": len(knowledge.faults),
                "points": len(knowledge.points),
            },
            caution_text=knowledge.cautions.get(shown.caution, ""),
            **more,
        ),
        folder(case, "complaint"),
        status=status,
    )
