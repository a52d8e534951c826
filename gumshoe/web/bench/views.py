"""The Bench: the list of tests, one guided test, its entry."""

from __future__ import annotations

from collections.abc import Mapping

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from gumshoe.core.errors import BadInput
from gumshoe.core.judgement import grouped, unordered
from gumshoe.core.knowledge.by_place import ASKED
from gumshoe.core.knowledge.outcomes import good_range, is_specified
from gumshoe.core.knowledge.rows import TestRow
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.bench import hand, services
from gumshoe.web.bench.forms import TestForm, WithdrawForm
from gumshoe.web.bench.pages import BenchPage, TestField, TestPage
from gumshoe.web.cases import judging
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find, folder, hides
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.pages import show
from gumshoe.web.ledger import ends
from gumshoe.web.ui.readers import shop_scale


@needs(Right.SEE)
def bench(request: SignedIn, pk: int) -> HttpResponse:
    """Every test by what can still be decided, and those already made."""
    case = find(pk)
    found = judging.judged(case)
    if hides(case, "suspects"):
        page = BenchPage(groups=[unordered(found)], next=None, performed=services.performed(case))
        return show(request, page, folder(case, "bench"))
    return show(
        request,
        BenchPage(groups=grouped(found), next=found.next, performed=services.performed(case)),
        folder(case, "bench"),
    )


@needs(Right.SEE)
def test(request: SignedIn, pk: int, name: str) -> HttpResponse:
    """One test: purpose, cautions, steps, readings."""
    case = find(pk)
    row = services.test_of(case, name)
    if row.measures:
        return redirect("live:live", case.pk)
    return _page(request, case, row, {}, "")


@needs(Right.WORK)
def record(request: SignedIn, pk: int, name: str) -> HttpResponse:
    """Store a test (POST): the verdict is computed from the readings."""
    case = find(pk)
    row = services.test_of(case, name)
    if request.method != "POST":
        return redirect("bench:test", case.pk, name)
    sent, typed = TestForm.of(request), request.POST
    speed = services.speed_against(case, row)
    if speed and not sent.ticked("was_off"):
        words = f"The engine runs at {speed:.0f} rpm now; this test is made with the engine off."
        return _page(request, case, row, typed, words, status=409, running=True)
    try:
        stored = services.record(case, request.user, row, typed, sent.read("note"))
    except BadInput as error:
        return _page(request, case, row, typed, error.what, status=400)
    if row.loose_end and sent.ticked("loose_end"):
        ends.open_end(case, request.user, row.loose_end, "")
    outcome = row.outcome(stored.outcome)
    found = outcome.words if outcome else stored.outcome
    messages.success(request, f"{row.words}: {found}. The suspects were ranked anew.")
    return redirect("suspects:suspects", case.pk)


def _page(
    request: SignedIn,
    case: Case,
    row: TestRow,
    typed: Mapping[str, str],
    trouble: str,
    status: int = 200,
    *,
    running: bool = False,
) -> HttpResponse:
    specification = cases.specification_of(case)
    fields = []
    for reading in row.readings:
        scale, good = shop_scale(reading.unit), good_range(reading, specification)
        fields.append(
            TestField(
                reading,
                typed.get(reading.key, ""),
                good and (scale.of(good[0]), scale.of(good[1])),
                scale.unit,
                reading.key in ASKED,
                is_specified(reading, specification),
            )
        )
    cautions = [cases.knowledge_of(case).cautions[name] for name in row.cautions]
    return show(
        request,
        TestPage(
            test=row,
            fields=fields,
            trouble=trouble,
            cautions=cautions,
            note=typed.get("note", ""),
            findings=services.findings(case, row),
            circuit=services.circuit_of(case, row),
            running=running,
            where=services.where_to(case, row),
            arithmetic=next((item.id for item in hand.listed(case) if item.test == row.id), ""),
        ),
        folder(case, "bench"),
        status=status,
    )


@require_POST
@needs(Right.WORK)
def withdraw(request: SignedIn, pk: int, number: int) -> HttpResponse:
    """Take a wrong result back."""
    services.withdraw(find(pk), request.user, number, WithdrawForm.of(request).read("reason"))
    messages.success(request, "Withdrawn: it stays on record and counts no more. The suspects are ranked anew.")
    return redirect("bench:bench", pk)
