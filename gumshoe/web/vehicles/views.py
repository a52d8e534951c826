"""The stand-in's controls, as JSON for the panel in the bay."""

from __future__ import annotations

from django.http import JsonResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_GET, require_POST

from gumshoe.core.errors import GumshoeError
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.ui.responses import problem
from gumshoe.web.vehicles import services
from gumshoe.web.vehicles.forms import ActionForm
from gumshoe.web.vehicles.models import Vehicle


@require_GET
@needs(Right.SEE)
def stand_in_state(request: SignedIn, pk: int) -> JsonResponse:
    """What somebody at the car sees now."""
    vehicle = get_object_or_404(Vehicle.every, pk=pk)
    try:
        return JsonResponse(services.state(vehicle))
    except GumshoeError as error:
        return problem(error, 409)


@require_POST
@needs(Right.WORK)
def stand_in_act(request: SignedIn, pk: int) -> JsonResponse:
    """Turn the key, hold the pedal, drive."""
    vehicle = get_object_or_404(Vehicle.every, pk=pk)
    try:
        return JsonResponse(services.act(vehicle, ActionForm.of(request).read("action")))
    except GumshoeError as error:
        return problem(error, 400)
