"""The Clear page: expected codes, the guard, clearing in all or some modules, after-work procedures."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from gumshoe.core.errors import GumshoeError
from gumshoe.web.accounts.rights import Right, SignedIn, may, needs
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find, folder
from gumshoe.web.clearing import aftercare
from gumshoe.web.clearing import services as clearing
from gumshoe.web.clearing.forms import ByHandForm, ClearForm
from gumshoe.web.clearing.pages import ClearPage, ProcedurePage
from gumshoe.web.kit.pages import show
from gumshoe.web.ledger import ends
from gumshoe.web.ledger.panel import ledger
from gumshoe.web.scans import sorting
from gumshoe.web.ui.responses import problem


@needs(Right.SEE)
def clear(request: SignedIn, pk: int) -> HttpResponse:
    """The guard: what stands in the way, what will be lost, what remains, what the work itself has set."""
    case = find(pk)
    clearings, check = list(case.clearings.select_related("before", "after", "by")), clearing.clear_check(case)
    return show(
        request,
        ClearPage(
            check=check,
            guard=clearing.guard_word(check),
            seen=clearings[-1].pk if clearings else 0,
            unfinished=clearing.unfinished(case),
            modules=clearing.modules_of(case),
            clearings=[(row, clearing.at_once(row)) for row in clearings],
            triages=[clearing.triage_of(row) for row in clearings if row.triage],
            worked=case.works.exists(),
            foretold=[row for row in ends.provoked_codes(case) if row.foretold],
            found=sorting.sorted_codes(case),
            procedures=aftercare.asked(case),
            ledger=ledger(case, "clear"),
        ),
        folder(case, "clear"),
    )


@require_POST
@needs(Right.WORK)
def clear_now(request: SignedIn, pk: int) -> HttpResponse:
    """Clear and scan again at once."""
    case, sent = find(pk), ClearForm.of(request)
    triage = sent.ticked("triage")
    done = clearing.clear(case, request.user, triage=triage, only=sent.chosen, seen=sent.whole("seen"))
    told = [row["module"] for row in done.modules if not row["cleared"]]
    if told:
        messages.warning(request, f"Not cleared, or not known whether: {', '.join(told)}. See below for each module.")
    messages.success(
        request,
        "Cleared, and scanned again at once."
        if done.after
        else "Cleared. The scan after it did not come through: scan again before anything else.",
    )
    for row in clearing.at_once(done):
        messages.error(request, row.words)
    return redirect("clearing:clear" if triage or clearing.at_once(done) else "proofs:prove", case.pk)


@require_POST
@needs(Right.WORK)
def finish(request: SignedIn, pk: int) -> HttpResponse:
    """Close a clearing that was cut off: scan now, and store what is known of it."""
    clearing.finish(find(pk), request.user)
    messages.success(request, "The clearing that was cut off is closed: scanned now, and on record.")
    return redirect("clearing:clear", pk)


@needs(Right.SEE)
def clear_state(request: SignedIn, pk: int) -> JsonResponse:
    """The guard as it stands now, for the page that waits for it."""
    return JsonResponse({"guard": clearing.guard_of(find(pk))})


@require_POST
@needs(Right.WORK)
def leave(request: SignedIn, pk: int) -> HttpResponse:
    """Clear nothing: the control unit is left to put the lamp out."""
    clearing.leave_to_itself(find(pk), request.user)
    messages.success(request, "Nothing was cleared: the control unit puts the lamp out after three good trips.")
    return redirect("proofs:prove", pk)


# -- after-work procedures --------------------------------------------------------------------------------


@needs(Right.SEE)
def procedure(request: SignedIn, pk: int, name: str) -> HttpResponse:
    """One procedure: why, conditions as the car tells them now, steps, and its run."""
    case = find(pk)
    need = aftercare.one_of(case, name)
    knowledge = cases.knowledge_of(case)
    conditions = aftercare.conditions(case, need.row)
    return show(
        request,
        ProcedurePage(
            need=need,
            routine=aftercare.routine_of(case, need.row),
            conditions=conditions,
            ready=all(item.holds for item in conditions),
            cautions=[knowledge.cautions[key] for key in need.row.cautions],
            runs=[run for run in case.procedureruns.select_related("by") if run.procedure == name],
            setup={
                "state": reverse("clearing:procedure_state", args=[pk, name]),
                "start": reverse("clearing:procedure_start", args=[pk, name]),
                "stop": reverse("clearing:procedure_stop", args=[pk, name]),
            },
        ),
        folder(case, "clear"),
    )


@require_POST
@needs(Right.WORK)
def procedure_start(request: SignedIn, pk: int, name: str) -> JsonResponse:
    """Begin it."""
    try:
        aftercare.start(find(pk), request.user, name)
    except GumshoeError as error:
        return problem(error, 409)
    return JsonResponse({"running": True})


@require_GET
@needs(Right.SEE)
def procedure_state(request: SignedIn, pk: int, name: str) -> JsonResponse:
    """How far it is. One that has ended is stored when somebody who may work asks, as theirs who began it."""
    user = request.user if may(request.user, Right.WORK) else None
    return JsonResponse(aftercare.state(find(pk), user, name))


@require_POST
@needs(Right.WORK)
def procedure_stop(request: SignedIn, pk: int, name: str) -> JsonResponse:
    """Break it off."""
    case = find(pk)
    run = aftercare.current(case, name)
    if run is not None:
        run.stop()
    return JsonResponse(aftercare.state(case, request.user, name))


@require_POST
@needs(Right.WORK)
def procedure_by_hand(request: SignedIn, pk: int, name: str) -> HttpResponse:
    """Record it as made by hand."""
    done = aftercare.by_hand(find(pk), request.user, name, ByHandForm.of(request).read("remark"))
    messages.success(request, f"{done.words}: recorded as made by hand.")
    return redirect("clearing:clear", pk)
