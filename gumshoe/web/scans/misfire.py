"""The misfire page: counters by cylinder, pattern, per cent, and what a hand test says against them."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from gumshoe.core.clues.misfire import (
    CATALYST_DANGER_PCT,
    EMISSION_PCT,
    MisfireReading,
    disagreement,
    found_words,
    misfire_share,
    pattern_advice,
    shared_bank_warning,
)
from gumshoe.core.entry import float_of, number_in
from gumshoe.core.errors import BadInput
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.powertrain.misfires import Lack
from gumshoe.core.powertrain.positions import pattern_of
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find, folder, hidden_page
from gumshoe.web.cases.models import Lamp
from gumshoe.web.kit.pages import show
from gumshoe.web.scans import services
from gumshoe.web.scans.forms import DeadForm
from gumshoe.web.scans.models import HandTest
from gumshoe.web.scans.pages import CylinderRow, HandFound, MisfirePage


@needs(Right.SEE)
def misfire(request: SignedIn, pk: int) -> HttpResponse:
    """Counters of the newest scan that has any; they survive key-off, so the engine may stand still."""
    case = find(pk)
    if hidden := hidden_page(request, case, "read"):
        return hidden
    knowledge = cases.knowledge_of(case)
    cylinders = range(1, knowledge.powertrain.cylinders + 1)
    stored, reading = services.latest_misfire(case, knowledge)
    revolutions = _number(request.GET.get("revolutions", ""))
    share = misfire_share(reading, revolutions, knowledge.powertrain.cylinders) if reading and revolutions else None
    hands = list({hand.lacks: hand for hand in case.handtests.all()}.values())
    complaint = cases.complaint_of(case)
    top = max([*reading.last.values(), *reading.average.values(), 1]) if reading else 1
    rows = (
        []
        if reading is None
        else [
            CylinderRow(
                n,
                reading.last.get(n),
                reading.average.get(n),
                reading.last.get(n, 0) / top,
                n in reading.cylinders,
                [hand.lacks for hand in hands if n in hand.cylinders],
                share.by_cylinder[n] if share else None,
            )
            for n in cylinders
        ]
    )
    return show(
        request,
        MisfirePage(
            stored=stored,
            misfire=reading,
            rows=rows,
            percent=share,
            revolutions=round(revolutions),
            limits={"catalyst": CATALYST_DANGER_PCT, "emission": EMISSION_PCT},
            flashing=bool(complaint and complaint.lamp == Lamp.FLASHING),
            advice=pattern_advice(reading.pattern) if reading else "",
            bank_warning=shared_bank_warning(reading, knowledge.powertrain) if reading else "",
            hands=[_found(hand, reading, knowledge.powertrain) for hand in hands],
            without=HandTest.Without.choices,
            cylinders=cylinders,
            firing=knowledge.powertrain.firing_words,
        ),
        folder(case, "read"),
    )


@require_POST
@needs(Right.WORK)
def by_hand(request: SignedIn, pk: int) -> HttpResponse:
    """Record which cylinders lack what by a hand test; a later entry of the same supersedes it visibly."""
    case, sent = find(pk), DeadForm.of(request)
    count = cases.powertrain_of(case).cylinders
    told = {number_in(text) for text in sent.several("dead")}
    chosen = sorted(number for number in told if number is not None and 1 <= number <= count)
    lacks = sent.read("lacks") or Lack.POWER
    if lacks not in HandTest.Without.values:
        raise BadInput(
            f"A cylinder cannot lack “{lacks}”.", kept="Nothing was stored.", remedies=("choose what it lacks",)
        )
    how = sent.read("how")
    HandTest.objects.create(case=case, by=request.user, cylinders=chosen, lacks=lacks, how=how)
    messages.success(request, "Hand test stored. It stays on the case's record.")
    return redirect("scans:misfire", case.pk)


def _found(hand: HandTest, reading: MisfireReading | None, powertrain: Powertrain) -> HandFound:
    """One hand test held against the counters."""
    lacks = Lack(hand.lacks)
    words = found_words(lacks, pattern_of(powertrain, hand.cylinders))
    return HandFound(words, hand.how, disagreement(reading, hand.cylinders, lacks) if reading else "")


def _number(text: str) -> float:
    """A positive number of revolutions, else 0."""
    try:
        return float_of(text, "Revolutions", 1.0, 1e7)
    except BadInput:
        return 0.0
