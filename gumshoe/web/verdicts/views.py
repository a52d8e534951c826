"""The Verdict page: the fault, its proof, why it failed, the lead's word."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from gumshoe.core.planning import standing
from gumshoe.core.suspects.posterior import Suspect
from gumshoe.core.words import share
from gumshoe.web.accounts.rights import Right, SignedIn, may, needs
from gumshoe.web.cases import judging
from gumshoe.web.cases.context import find, folder, hides
from gumshoe.web.cases.entries import entries, newest
from gumshoe.web.kit.pages import show
from gumshoe.web.ledger.panel import ledger
from gumshoe.web.verdicts import services as verdicts
from gumshoe.web.verdicts.forms import CauseForm, ReviewForm, VerdictForm
from gumshoe.web.verdicts.pages import RepairPage

CANDIDATES = 6


@needs(Right.SEE)
def repair(request: SignedIn, pk: int) -> HttpResponse:
    """The verdict that holds with everything behind it, and the form for another."""
    case = find(pk)
    found = judging.judged(case)
    assessment = found.assessment
    chosen = assessment.suspect(request.GET.get("suspect", "")) or assessment.suspects[0]
    given = entries(case, "verdicts")
    verdict = newest(given)
    hidden = hides(case, "suspects")
    candidates = () if hidden else assessment.suspects[:CANDIDATES]
    if chosen not in candidates and not hidden:
        candidates = (*candidates, chosen)
    first = {row.id for row in candidates}
    others = (row for row in assessment.suspects if row.id not in first)
    return show(
        request,
        RepairPage(
            part="verdict",
            verdict=verdict,
            earlier=[row for row in given if row != verdict],
            chosen=chosen,
            standing_of=None if hidden else standing(assessment, chosen.id),
            candidates=[_choice(row) for row in candidates],
            others=[
                (row.id, row.row.words) if hidden else _choice(row)
                for row in sorted(others, key=lambda row: row.row.words)
            ],
            why=verdicts.why_failed(case, assessment),
            once_more=None if hidden else found.once_more(verdict.suspect if verdict else chosen.id),
            may_review=may(request.user, Right.OVERRULE) and verdicts.reviewable_by(verdict, request.user),
            ledger=ledger(case, "repair"),
        ),
        folder(case, "repair"),
    )


def _choice(row: Suspect) -> tuple[str, str]:
    seen = ", seen in a test" if row.proven_by else ""
    return row.id, f"{row.row.words} ({share(row.probability)}{seen})"


@require_POST
@needs(Right.WORK)
def verdict(request: SignedIn, pk: int) -> HttpResponse:
    """Name the fault."""
    sent = VerdictForm.of(request)
    given = verdicts.give_verdict(find(pk), request.user, sent.read("suspect"), sent.whole("seen"))
    how = " as a guess: no direct test stands behind it." if given.guess else "."
    messages.success(request, f"Verdict stored{how} Now: why did it fail?")
    return redirect("verdicts:repair", pk)


@require_POST
@needs(Right.OVERRULE)
def review(request: SignedIn, pk: int, verdict_pk: int) -> HttpResponse:
    """The lead countersigns the verdict or sends it back."""
    sent = ReviewForm.of(request)
    given = verdicts.review(find(pk), request.user, verdict_pk, sent.read("kind"), sent.read("reason"))
    messages.success(request, f"The verdict is {given.get_kind_display()}.")
    return redirect("verdicts:repair", pk)


@require_POST
@needs(Right.WORK)
def cause(request: SignedIn, pk: int) -> HttpResponse:
    """Why it failed."""
    case, sent = find(pk), CauseForm.of(request)
    verdicts.name_cause(case, request.user, sent.suspect, sent.said)
    messages.success(request, "Recorded why it failed.")
    return redirect("verdicts:repair", case.pk)
