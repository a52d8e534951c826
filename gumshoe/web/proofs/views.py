"""The Prove page and its data."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from gumshoe.core.errors import GumshoeError
from gumshoe.web.accounts.rights import Right, needs
from gumshoe.web.cases.context import find, folder
from gumshoe.web.proofs import services
from gumshoe.web.ui.responses import problem


@needs(Right.SEE)
def prove(request: HttpRequest, pk: int) -> HttpResponse:
    """Plan, coverage, check list, verdicts so far."""
    case = find(pk)
    clearing = services.clearing_of(case)
    plan = services.plan_of(clearing) if clearing else None
    return render(
        request,
        "proofs/prove.html",
        folder(
            case,
            "prove",
            clearing=clearing,
            plan=plan,
            drive_plan=services.drive_plan(plan) if plan else [],
            coverage=services.coverage_map(plan) if plan else None,
            state=services.state(case),
            judgements=list(case.judgements.order_by("-at", "-pk")),
            setup={
                "state": reverse("proofs:state", args=[pk]),
                "begin": reverse("proofs:begin", args=[pk]),
                "finish": reverse("proofs:finish", args=[pk]),
                "standIn": bool(case.vehicle.stand_in),
            },
        ),
    )


@require_GET
@needs(Right.SEE)
def state(request: HttpRequest, pk: int) -> JsonResponse:
    """How far the proof is."""
    try:
        return JsonResponse(services.state(find(pk)))
    except GumshoeError as error:
        return problem(error, 409)


@require_POST
@needs(Right.WORK)
def begin(request: HttpRequest, pk: int) -> JsonResponse:
    """Begin to watch the drive."""
    try:
        drive = services.begin(find(pk), request.user)  # type: ignore[arg-type]
    except GumshoeError as error:
        return problem(error, 409)
    return JsonResponse({"drive": drive.pk})


@require_POST
@needs(Right.WORK)
def finish(request: HttpRequest, pk: int) -> HttpResponse:
    """Stop watching and judge."""
    judgement = services.finish(find(pk), request.user)  # type: ignore[arg-type]
    if request.headers.get("Accept", "").startswith("application/json"):
        return JsonResponse({"verdict": judgement.verdict, "reasons": judgement.reasons})
    messages.info(request, f"Verdict: {judgement.verdict}.")
    return redirect("proofs:prove", pk)
