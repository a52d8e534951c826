"""The Suspects page and the rulings."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from gumshoe.core.planning import standing
from gumshoe.core.suspects import Assessment
from gumshoe.core.suspects.story import story
from gumshoe.core.suspects.weighing import Stance
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.cases.context import find, folder, hidden_page
from gumshoe.web.cases.judging import judged
from gumshoe.web.kit.pages import show
from gumshoe.web.suspects import services
from gumshoe.web.suspects.forms import RulingForm
from gumshoe.web.suspects.pages import BeyondPage, Row, SuspectsPage

COLUMNS = 6
MATRIX_ROWS = 14
LISTED = 60
SHOWN_TESTS = 4


@needs(Right.SEE)
def suspects(request: SignedIn, pk: int) -> HttpResponse:
    """Ranking, the next action, next tests, evidence matrix; what takes longer comes by ``beyond``."""
    case = find(pk)
    if hidden := hidden_page(request, case, "suspects"):
        return hidden
    found = judged(case)
    assessment, knowledge = found.assessment, found.grounds.knowledge
    wanted = request.GET.get("suspect", "")
    chosen = assessment.suspect(wanted) or assessment.suspects[0]
    words, moves = services.last_change(case)
    matrix, weaker, silent = _matrix(assessment)
    leading = assessment.suspects[: services.SHOWN]
    if chosen not in leading:
        leading = (*leading, chosen)
    return show(
        request,
        SuspectsPage(
            assessment=assessment,
            leading=leading,
            chosen=chosen,
            story=story(assessment, chosen.id),
            next=found.next,
            proposals=found.proposals[:SHOWN_TESTS],
            standing_of=standing(assessment, chosen.id),
            rate=found.base_rate(chosen.id),
            showing={test.id for test in knowledge.shown_by(found.leader.id)},
            names={name: row.words for name, row in knowledge.faults.items()},
            change_words=words,
            moves=moves,
            rest=assessment.suspects[services.SHOWN :][:LISTED],
            way=found.grounds.way,
            learning=services.learning_of(case),
            knowledge=knowledge,
            repair=knowledge.repairs[chosen.row.repair],
            best=[knowledge.faults[name].words for name in assessment.best],
            own=found.grounds.own,
            unknown=found.unknown,
            conflict=found.conflict,
            everyone=sorted(((item.id, item.row.words) for item in assessment.suspects), key=lambda row: row[1]),
            model_size=len(assessment.model.faults) if assessment.model else 0,
            left_out=assessment.left_out if "count" in request.GET else None,
            ruled_out=[(name, knowledge.faults[name].words) for name in assessment.ruled_out],
            columns=assessment.suspects[:COLUMNS],
            matrix=matrix,
            weaker=weaker,
            silent=silent,
        ),
        folder(case, "suspects"),
    )


@needs(Right.SEE)
def beyond(request: SignedIn, pk: int) -> HttpResponse:
    """A part of the Suspects page that takes a second or more: the ways to work followed to their end, and how the
    ranking moved."""
    case = find(pk)
    found = judged(case)
    drawn = {item.id: item.row.words for item in found.assessment.suspects[:5]}
    chart = services.slope_chart(services.history(case, found.assessment), drawn)
    return show(request, BeyondPage(case=case, ways=found.outlooks, way=found.grounds.way, chart=chart))


def _matrix(assessment: Assessment) -> tuple[list[Row], list[Row], list[Row]]:
    """Rows of the evidence matrix: the clues that speak most about the leading suspects (and the doubtful ones), those
    that speak less, and those that say nothing of them."""
    speaking: list[Row] = []
    silent: list[Row] = []
    lines = [{id(entry.clue): entry for entry in suspect.entries} for suspect in assessment.suspects[:COLUMNS]]
    for clue in assessment.clues:
        entries = [line[id(clue)] for line in lines]
        told = clue.doubtful or any(entry.stance is not Stance.SILENT for entry in entries)
        (speaking if told else silent).append((clue, entries))
    loudest = sorted(speaking, key=lambda row: -max(abs(entry.llr) for entry in row[1]))[:MATRIX_ROWS]
    shown = [row for row in speaking if row[0].doubtful or any(row is other for other in loudest)]
    weaker = [row for row in speaking if not any(row is other for other in shown)]
    return shown, weaker, silent


@require_POST
@needs(Right.WORK)
def rule(request: SignedIn, pk: int) -> HttpResponse:
    """Rule a suspect out or in, doubt or trust a clue."""
    case = find(pk)
    sent = RulingForm.of(request)
    ruling = services.rule(case, request.user, sent.read("kind"), sent.read("subject"), sent.read("reason"))
    messages.success(request, f"Recorded: {ruling.get_kind_display()}. It stays on the case's record.")
    return redirect("suspects:suspects", case.pk)
