"""The Prove page and its data."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from gumshoe.core.errors import GumshoeError
from gumshoe.core.knowledge.catalogue import monitor_needs
from gumshoe.core.proof.exposure import Unit
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find, folder
from gumshoe.web.cases.models import Case
from gumshoe.web.clearing import aftercare
from gumshoe.web.clearing.models import Clearing
from gumshoe.web.kit.pages import show
from gumshoe.web.proofs import beyond, drawing, services, waiting
from gumshoe.web.proofs.forms import CountForm, FollowUpForm, RecurrenceForm, TriedForm
from gumshoe.web.proofs.pages import ProvePage
from gumshoe.web.settings.models import Settings
from gumshoe.web.ui.responses import problem
from gumshoe.web.vehicles.cars import car_of


@needs(Right.SEE)
def prove(request: SignedIn, pk: int) -> HttpResponse:
    """Plan, coverage, check list, verdicts so far."""
    case = find(pk)
    return show(request, _page(case, services.clearing_of(case)), folder(case, "prove"))


def _page(case: Case, clearing: Clearing | None) -> ProvePage:
    """What there is to show once something was cleared (or left to the control unit)."""
    if clearing is None:
        return ProvePage(clearing=None)
    tracker = services.tracker_of(clearing)
    plan, drive = tracker.plan, services.still_to_drive(clearing, tracker)
    curve, told = waiting.curve_of(clearing, tracker), beyond.told_by_hand(clearing)
    knowledge = cases.knowledge_of(case)
    return ProvePage(
        clearing=clearing,
        drive=drive,
        cautions=[knowledge.cautions[name] for name in drive.cautions],
        needs_words=[(name, monitor_needs()[name]) for name in plan.monitors if name in monitor_needs()],
        coverage=drawing.coverage_map(plan),
        curve=curve,
        chart=drawing.curve_chart(curve) if curve else None,
        belief_from=waiting.belief_of(case)[1],
        recurrence=case.recurrences.last(),
        units=[str(unit) for unit in Unit],
        readiness=services.readiness(clearing, tracker),
        permanent=services.permanent_note(plan, tracker),
        procedures=aftercare.open_procedures(case),
        by_hand=[(row, told.get(row.id)) for row in plan.circumstances if row.by_hand],
        whys={row.words: row.why for row in plan.circumstances},
        follow_up=case.followups.last(),
        recordings=services.recordings_to_count(clearing),
        state=services.state(case),
        judgements=list(case.judgements.select_related("by").order_by("-at", "-pk")),
        setup={
            "state": reverse("proofs:state", args=[case.pk]),
            "begin": reverse("proofs:begin", args=[case.pk]),
            "finish": reverse("proofs:finish", args=[case.pk]),
            "drivesItself": car_of(case.vehicle).drives_itself,
        },
    )


@require_GET
@needs(Right.SEE)
def state(request: SignedIn, pk: int) -> JsonResponse:
    """How far the proof is."""
    try:
        return JsonResponse(services.state(find(pk)))
    except GumshoeError as error:
        return problem(error, 409)


@require_POST
@needs(Right.WORK)
def begin(request: SignedIn, pk: int) -> JsonResponse:
    """Begin to watch the drive."""
    try:
        drive = services.begin(find(pk), request.user)
    except GumshoeError as error:
        return problem(error, 409)
    return JsonResponse({"drive": drive.pk})


@require_POST
@needs(Right.WORK)
def finish(request: SignedIn, pk: int) -> HttpResponse:
    """Stop watching and judge."""
    judgement = services.finish(find(pk), request.user)
    if request.headers.get("Accept", "").startswith("application/json"):
        return JsonResponse({"verdict": judgement.verdict, "reasons": judgement.reasons})
    messages.info(request, f"Verdict: {judgement.verdict}.")
    return redirect("proofs:prove", pk)


@require_POST
@needs(Right.WORK)
def count(request: SignedIn, pk: int) -> HttpResponse:
    """Let a recording count towards the proof."""
    drive = services.count_recording(find(pk), request.user, CountForm.of(request).whole("recording") or 0)
    messages.success(request, f"Counted: {drive.how}. It tells where it was driven, neither monitors nor codes.")
    return redirect("proofs:prove", pk)


@require_POST
@needs(Right.WORK)
def tried(request: SignedIn, pk: int) -> HttpResponse:
    """What was tried by hand, and how it went."""
    sent = TriedForm.of(request)
    row = services.tell_tried(find(pk), request.user, sent.read("circumstance"), sent.read("how"), sent.read("remark"))
    messages.success(request, f"Recorded: {row.words}: {row.get_how_display()}.")
    return redirect("proofs:prove", pk)


@require_POST
@needs(Right.APPROVE)
def follow_up(request: SignedIn, pk: int) -> HttpResponse:
    """When the case is looked at again."""
    case, sent = find(pk), FollowUpForm.of(request)
    row = waiting.follow_up(case, request.user, sent.day, sent.whole("km"), sent.read("why"))
    messages.success(request, f"To be looked at again on {row.due:%d %b %Y}.")
    return redirect("proofs:prove", case.pk)


@require_GET
@needs(Right.SEE)
def calendar(request: SignedIn) -> HttpResponse:
    """The cases that wait for their proof, as an iCalendar file."""
    content = waiting.calendar(waiting.due_list(), Settings.load().shop_name)
    response = HttpResponse(content, content_type="text/calendar; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="proofs-due.ics"'
    return response


@require_POST
@needs(Right.APPROVE)
def recurrence(request: SignedIn, pk: int) -> HttpResponse:
    """How often the fault was seen before, and the technician's own belief."""
    case, sent = find(pk), RecurrenceForm.of(request)
    told = (sent.read(name) for name in ("times", "over", "unit", "belief", "why"))
    waiting.write_recurrence(case, request.user, *told)
    messages.success(request, "Recorded how often it was seen.")
    return redirect("proofs:prove" if sent.read("back") == "prove" else "proposal:lines", case.pk)
