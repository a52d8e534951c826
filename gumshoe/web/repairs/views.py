"""Repair and Clear pages."""

from __future__ import annotations

from django.contrib import messages
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from gumshoe.core.errors import BadInput
from gumshoe.core.planning import standing
from gumshoe.web.accounts.rights import Right, may, needs
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find, folder
from gumshoe.web.repairs import services
from gumshoe.web.suspects import services as suspects

CANDIDATES = 6
QUICK_ENDS = (
    ("air-flow meter unplugged", "air_flow_meter"),
    ("purge valve unplugged", "purge_valve"),
    ("coolant sensor unplugged", "coolant_sensor"),
    ("upstream oxygen sensor unplugged", "oxygen_sensor_b1s1"),
    ("intake duct off", ""),
    ("battery disconnected", "battery"),
)


@needs(Right.SEE)
def repair(request: HttpRequest, pk: int) -> HttpResponse:
    """Verdict, lines, work, loose ends."""
    case = find(pk)
    assessment, _ = suspects.assess_case(case)
    knowledge = cases.knowledge_of(case)
    wanted = request.GET.get("suspect", "")
    chosen = assessment.suspect(wanted) or assessment.suspects[0]
    lines = [
        {
            "line": line,
            "answer": line.answers.last(),
            "work": line.works.last(),
            "row": knowledge.repairs.get(line.repair),
            "cautions": [knowledge.cautions[name] for name in knowledge.repairs[line.repair].cautions]
            if line.repair in knowledge.repairs
            else [],
        }
        for line in case.lines.prefetch_related("answers", "works")
    ]
    verdict = case.verdicts.last()
    candidates = assessment.suspects[:CANDIDATES]
    if chosen not in candidates:
        candidates = (*candidates, chosen)
    return render(
        request,
        "repairs/repair.html",
        folder(
            case,
            "repair",
            verdict=verdict,
            lines=lines,
            chosen=chosen,
            standing_of=standing(assessment, chosen.id),
            candidates=candidates,
            repairs=sorted(knowledge.repairs.values(), key=lambda row: row.words),
            suggested=knowledge.repairs.get(knowledge.faults[verdict.suspect].repair) if verdict else None,
            why=services.why_failed(case, assessment),
            quick_ends=QUICK_ENDS,
            closed_ends=case.looseends.filter(closed__isnull=False).select_related("closed"),
        ),
    )


@require_POST
@needs(Right.WORK)
def verdict(request: HttpRequest, pk: int) -> HttpResponse:
    """Name the fault."""
    case = find(pk)
    given = services.give_verdict(
        case,
        request.user,
        request.POST.get("suspect", ""),  # type: ignore[arg-type]
    )
    how = " as a guess: no direct test stands behind it." if given.guess else "."
    messages.success(request, f"Verdict stored{how} Now: why did it fail?")
    return redirect("repairs:repair", case.pk)


@require_POST
@needs(Right.WORK)
def cause(request: HttpRequest, pk: int) -> HttpResponse:
    """Why it failed. The form's choice is a suspect's id, or a reason in words."""
    case, post = find(pk), request.POST
    chosen = post.get("cause", "")
    suspect = chosen.removeprefix("suspect:") if chosen.startswith("suspect:") else ""
    words = post.get("words", "").strip() or ("" if suspect else chosen)
    services.name_cause(case, request.user, suspect, words)  # type: ignore[arg-type]
    messages.success(request, "Recorded why it failed.")
    return redirect("repairs:repair", case.pk)


@require_POST
@needs(Right.WORK)
def line(request: HttpRequest, pk: int) -> HttpResponse:
    """Propose a repair."""
    case = find(pk)
    services.propose_line(case, request.user, request.POST.get("repair", ""))  # type: ignore[arg-type]
    return redirect("repairs:repair", case.pk)


@require_POST
@needs(Right.APPROVE)
def answer(request: HttpRequest, pk: int, line_pk: int) -> HttpResponse:
    """Record the customer's answer."""
    case, post = find(pk), request.POST
    services.answer(
        case,
        request.user,
        line_pk,
        post.get("kind", ""),
        post.get("who", ""),
        post.get("how", ""),  # type: ignore[arg-type]
    )
    return redirect("repairs:repair", case.pk)


@require_POST
@needs(Right.WORK)
def work(request: HttpRequest, pk: int, line_pk: int) -> HttpResponse:
    """Record a line as carried out."""
    case, post = find(pk), request.POST
    minutes = post.get("minutes", "").strip()
    if minutes and not (minutes.isdigit() and int(minutes) <= 6000):
        raise BadInput("Minutes taken must be a whole number.", remedies=("leave it empty when it was not timed",))
    services.do_work(
        case,
        request.user,
        line_pk,
        post.get("part_number", ""),
        post.get("part_make", ""),  # type: ignore[arg-type]
        int(minutes) if minutes else None,
        post.get("remark", ""),
    )
    messages.success(request, "Recorded as done.")
    return redirect("repairs:repair", case.pk)


@require_POST
@needs(Right.WORK)
def end_open(request: HttpRequest, pk: int) -> HttpResponse:
    """Write a loose end down."""
    case, post = find(pk), request.POST
    services.open_end(case, request.user, post.get("what", ""), post.get("component", ""))  # type: ignore[arg-type]
    return redirect("repairs:repair", case.pk)


@require_POST
@needs(Right.WORK)
def end_close(request: HttpRequest, pk: int, end_pk: int) -> HttpResponse:
    """Tick a loose end; overruling needs the lead and a reason."""
    case = find(pk)
    overruled = request.POST.get("overruled", "").strip()
    if overruled and not may(request.user, Right.OVERRULE):
        raise PermissionDenied
    services.close_end(case, request.user, end_pk, overruled)  # type: ignore[arg-type]
    return redirect("repairs:repair", case.pk)


@needs(Right.SEE)
def clear(request: HttpRequest, pk: int) -> HttpResponse:
    """The guard: what stands in the way, what will be lost, what remains."""
    case = find(pk)
    return render(
        request,
        "repairs/clear.html",
        folder(
            case,
            "clear",
            check=services.clear_check(case),
            clearings=case.clearings.select_related("before", "after"),
            worked=case.works.exists(),
        ),
    )


@require_POST
@needs(Right.WORK)
def clear_now(request: HttpRequest, pk: int) -> HttpResponse:
    """Clear and scan again at once."""
    case = find(pk)
    triage = request.POST.get("triage") == "1"
    services.clear(case, request.user, triage=triage)  # type: ignore[arg-type]
    messages.success(request, "Cleared, and scanned again at once.")
    return redirect("repairs:clear" if triage else "proofs:prove", case.pk)
