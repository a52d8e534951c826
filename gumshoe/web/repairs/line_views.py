"""The Proposal page: lines, alternatives, maintenance, answers; printable and mailable."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find, folder
from gumshoe.web.proofs import waiting
from gumshoe.web.repairs import offering, verdicts
from gumshoe.web.repairs.panel import ledger
from gumshoe.web.reports import mailing


@needs(Right.SEE)
def lines(request: SignedIn, pk: int) -> HttpResponse:
    """What is proposed, what the customer said, and what else could be offered."""
    case = find(pk)
    knowledge = cases.knowledge_of(case)
    verdict = case.verdicts.last()
    wanted = request.GET.get("repair", "") or (offering.wanted_for(case, verdict.suspect) if verdict else "")
    rows = offering.proposed(case)
    return render(
        request,
        "repairs/lines.html",
        folder(
            case,
            "repair",
            part="lines",
            verdict=verdict,
            sent_back=verdicts.sent_back(case),
            rows=rows,
            totals=offering.totals(rows),
            repairs=sorted(knowledge.repairs.values(), key=lambda row: row.words),
            wanted=wanted,
            offers=offering.offers_for(case, wanted) if wanted else (),
            recurrences=offering.recurrences_of(case),
            recurrence=case.recurrences.last(),
            mails=case.mails.select_related("by"),
            **ledger(case, "lines"),
        ),
    )


@needs(Right.SEE)
def lines_printed(request: SignedIn, pk: int) -> HttpResponse:
    """The proposal on one sheet, to be printed or signed."""
    case = find(pk)
    rows = offering.proposed(case)
    return render(
        request,
        "repairs/lines_printed.html",
        folder(case, "repair", rows=rows, totals=offering.totals(rows), verdict=case.verdicts.last()),
    )


@require_POST
@needs(Right.WORK)
def line(request: SignedIn, pk: int) -> HttpResponse:
    """Propose a repair as the tables have it."""
    offering.propose_line(find(pk), request.user, request.POST.get("repair", ""))
    return redirect("repairs:lines", pk)


@require_POST
@needs(Right.WORK)
def offer(request: SignedIn, pk: int) -> HttpResponse:
    """Propose one way, or several as alternatives."""
    post = request.POST
    made = offering.propose_offers(find(pk), request.user, post.get("repair", ""), post.getlist("offer"))
    messages.success(request, "Proposed." if len(made) == 1 else f"Proposed as {len(made)} alternatives.")
    return redirect("repairs:lines", pk)


@require_POST
@needs(Right.WORK)
def maintenance(request: SignedIn, pk: int) -> HttpResponse:
    """Propose something found on the way."""
    post = request.POST
    offering.propose_maintenance(
        find(pk),
        request.user,
        post.get("words", ""),
        post.get("minutes", ""),
        post.get("parts", ""),
        post.get("component", ""),
    )
    return redirect("repairs:lines", pk)


@require_POST
@needs(Right.APPROVE)
def answer(request: SignedIn, pk: int, line_pk: int) -> HttpResponse:
    """The customer's answer."""
    post = request.POST
    given = offering.answer(
        find(pk),
        request.user,
        line_pk,
        post.get("kind", ""),
        post.get("who", ""),
        post.get("how", ""),
    )
    messages.success(request, f"Recorded: {given.get_kind_display()} by {given.who}, {given.how}.")
    return redirect("repairs:lines", pk)


@require_POST
@needs(Right.APPROVE)
def recurrence(request: SignedIn, pk: int) -> HttpResponse:
    """How often the fault was seen before, and the technician's own belief."""
    case, post = find(pk), request.POST
    waiting.write_recurrence(
        case,
        request.user,
        post.get("times", ""),
        post.get("over", ""),
        post.get("unit", ""),
        post.get("belief", ""),
        post.get("why", ""),
    )
    messages.success(request, "Recorded how often it was seen.")
    return redirect("proofs:prove" if post.get("back") == "prove" else "repairs:lines", case.pk)


@require_POST
@needs(Right.APPROVE)
def mail(request: SignedIn, pk: int) -> HttpResponse:
    """Send the proposal to the customer."""
    case = find(pk)
    sent = mailing.send_proposal(case, request.user, request.POST.get("to", ""))
    messages.success(request, f"Sent to {sent.to}; a copy is with the case.")
    return redirect("repairs:lines", case.pk)
