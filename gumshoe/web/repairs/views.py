"""The Verdict page: the fault, its proof, why it failed, the lead's word."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from gumshoe.core.planning import standing
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.cases.context import find, folder
from gumshoe.web.repairs import verdicts
from gumshoe.web.repairs.panel import ledger
from gumshoe.web.suspects import judging

CANDIDATES = 6


@needs(Right.SEE)
def repair(request: SignedIn, pk: int) -> HttpResponse:
    """The verdict that holds with everything behind it, and the form for another."""
    case = find(pk)
    assessment = judging.judged(case).assessment
    chosen = assessment.suspect(request.GET.get("suspect", "")) or assessment.suspects[0]
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
            part="verdict",
            verdict=verdict,
            earlier=list(case.verdicts.exclude(pk=verdict.pk)) if verdict else [],
            chosen=chosen,
            standing_of=standing(assessment, chosen.id),
            candidates=candidates,
            others=sorted((row for row in assessment.suspects if row not in candidates), key=lambda row: row.row.words),
            why=verdicts.why_failed(case, assessment),
            **ledger(case, "repair"),
        ),
    )


@require_POST
@needs(Right.WORK)
def verdict(request: SignedIn, pk: int) -> HttpResponse:
    """Name the fault."""
    given = verdicts.give_verdict(find(pk), request.user, request.POST.get("suspect", ""))
    how = " as a guess: no direct test stands behind it." if given.guess else "."
    messages.success(request, f"Verdict stored{how} Now: why did it fail?")
    return redirect("repairs:repair", pk)


@require_POST
@needs(Right.OVERRULE)
def review(request: SignedIn, pk: int, verdict_pk: int) -> HttpResponse:
    """The lead countersigns the verdict or sends it back."""
    post = request.POST
    given = verdicts.review(find(pk), request.user, verdict_pk, post.get("kind", ""), post.get("reason", ""))
    messages.success(request, f"The verdict is {given.get_kind_display()}.")
    return redirect("repairs:repair", pk)


@require_POST
@needs(Right.WORK)
def cause(request: SignedIn, pk: int) -> HttpResponse:
    """Why it failed. The form's choice is a suspect's id, or a reason in words."""
    case, post = find(pk), request.POST
    chosen = post.get("cause", "")
    suspect = chosen.removeprefix("suspect:") if chosen.startswith("suspect:") else ""
    words = post.get("words", "").strip() or ("" if suspect else chosen)
    verdicts.name_cause(case, request.user, suspect, words)
    messages.success(request, "Recorded why it failed.")
    return redirect("repairs:repair", case.pk)
