"""The Proposal page: lines, alternatives, maintenance, answers; printable and mailable."""

from __future__ import annotations

from decimal import Decimal
from operator import attrgetter

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find, folder
from gumshoe.web.cases.entries import entries, newest
from gumshoe.web.kit.pages import show
from gumshoe.web.ledger.panel import ledger
from gumshoe.web.proposal import counter as at_the_counter
from gumshoe.web.proposal import services as offering
from gumshoe.web.proposal.forms import AnswerForm, LineForm, MaintenanceForm, OfferForm, SignForm, answers_of
from gumshoe.web.proposal.pages import CounterPage, LinesPage, LinesPrintedPage
from gumshoe.web.verdicts import services as verdicts


@needs(Right.SEE)
def lines(request: SignedIn, pk: int) -> HttpResponse:
    """What is proposed, what the customer said, and what else could be offered."""
    case = find(pk)
    knowledge = cases.knowledge_of(case)
    verdict = newest(entries(case, "verdicts"))
    wanted = request.GET.get("repair", "") or (offering.wanted_for(case, verdict.suspect) if verdict else "")
    rows = offering.proposed(case)
    repairs = sorted(knowledge.repairs.values(), key=attrgetter("words"))
    return show(
        request,
        LinesPage(
            part="lines",
            verdict=verdict,
            sent_back=verdicts.sent_back(case),
            rows=rows,
            totals=offering.totals(rows),
            repairs=[(row.id, offering.in_short(row)) for row in repairs],
            wanted=wanted,
            offers=offering.offers_for(case, wanted) if wanted else (),
            recurrences=offering.recurrences_of(case),
            recurrence=case.recurrences.last(),
            mails=case.mails.select_related("by"),
            ledger=ledger(case, "lines"),
        ),
        folder(case, "repair"),
    )


@needs(Right.SEE)
def lines_printed(request: SignedIn, pk: int) -> HttpResponse:
    """The proposal on one sheet, to be printed or signed."""
    case = find(pk)
    rows = offering.proposed(case)
    return show(
        request,
        LinesPrintedPage(rows=rows, totals=offering.totals(rows), verdict=case.verdicts.last()),
        folder(case, "repair"),
    )


@needs(Right.APPROVE)
def counter(request: SignedIn, pk: int) -> HttpResponse:
    """The offer on a tablet at the counter: the customer answers every line, and signs."""
    case = find(pk)
    if request.method == "POST":
        sent = SignForm.of(request)
        signed = at_the_counter.sign(
            case, request.user, sent.read("name"), answers_of(request), sent.drawn(), sent.read("seen")
        )
        messages.success(request, f"Signed by {signed.name}. Thank you.")
        return redirect("proposal:counter", pk)
    rows = at_the_counter.to_sign(case)
    page = CounterPage(
        rows=rows,
        totals=offering.totals(rows),
        verdict=case.verdicts.last(),
        stamp=at_the_counter.stamp(rows),
        signatures=case.signatures.order_by("-at"),
    )
    return show(request, page, folder(case, "repair"))


@require_POST
@needs(Right.WORK)
def line(request: SignedIn, pk: int) -> HttpResponse:
    """Propose a repair as the tables have it."""
    offering.propose_line(find(pk), request.user, LineForm.of(request).read("repair"))
    return redirect("proposal:lines", pk)


@require_POST
@needs(Right.WORK)
def offer(request: SignedIn, pk: int) -> HttpResponse:
    """Propose one way, or several as alternatives."""
    sent = OfferForm.of(request)
    made = offering.propose_offers(find(pk), request.user, sent.read("repair"), sent.several("offer"))
    messages.success(request, "Proposed." if len(made) == 1 else f"Proposed as {len(made)} alternatives.")
    return redirect("proposal:lines", pk)


@require_POST
@needs(Right.WORK)
def maintenance(request: SignedIn, pk: int) -> HttpResponse:
    """Propose something found on the way."""
    sent = MaintenanceForm.of(request)
    offering.propose_maintenance(
        find(pk),
        request.user,
        sent.read("words"),
        sent.whole("minutes") or 0,
        sent.amount("parts") or Decimal(0),
        sent.read("component"),
    )
    return redirect("proposal:lines", pk)


@require_POST
@needs(Right.APPROVE)
def answer(request: SignedIn, pk: int, line_pk: int) -> HttpResponse:
    """The customer's answer."""
    sent = AnswerForm.of(request)
    given = offering.answer(
        find(pk),
        request.user,
        line_pk,
        sent.read("kind"),
        sent.read("who"),
        sent.read("how"),
    )
    messages.success(request, f"Recorded: {given.get_kind_display()} by {given.who}, {given.how}.")
    return redirect("proposal:lines", pk)
