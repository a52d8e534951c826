"""The Suspects page and the rulings."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from gumshoe.core.clues import Clue
from gumshoe.core.planning import Strategy, in_order_of, standing, what_is_here
from gumshoe.core.suspects.posterior import Assessment, Entry, Stance
from gumshoe.web.accounts.rights import Right, needs
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find, folder
from gumshoe.web.shop.models import Settings
from gumshoe.web.suspects import services

SHOWN = 8
COLUMNS = 6
MATRIX_ROWS = 14
LISTED = 60


@needs(Right.SEE)
def suspects(request: HttpRequest, pk: int) -> HttpResponse:
    """Ranking, next tests, evidence matrix, history."""
    case = find(pk)
    assessment, proposals = services.assess_case(case)
    wanted = request.GET.get("suspect", "")
    chosen = assessment.suspect(wanted) or assessment.suspects[0]
    way = _way(request)
    proposals = what_is_here(in_order_of(way, proposals), Settings.load().lacks)
    steps = services.history(case, assessment)
    words, moves = services.changed(assessment, steps)
    knowledge = cases.knowledge_of(case)
    leading = assessment.suspects[:SHOWN]
    if chosen not in leading:
        leading = (*leading, chosen)
    names = {name: row.words for name, row in knowledge.faults.items()}
    drawn = {item.id: item.row.words for item in assessment.suspects[:5]}
    return render(
        request,
        "suspects/suspects.html",
        folder(
            case,
            "suspects",
            assessment=assessment,
            leading=leading,
            chosen=chosen,
            proposals=proposals[:4],
            others=proposals[4:],
            standing_of=standing(assessment, chosen.id),
            leader_proof=services.proof_wanted(case, assessment),
            showing={test.id for test in knowledge.shown_by(assessment.suspects[0].id)},
            chart=services.slope_chart(steps, drawn),
            names=names,
            change_words=words,
            moves=moves,
            rest=assessment.suspects[SHOWN : SHOWN + LISTED],
            ways=services.ways_to_work(case, assessment),
            way=way,
            learning=services.learning_of(case, assessment, chosen.id, SHOWN),
            knowledge=knowledge,
            repair=knowledge.repairs[chosen.row.repair],
            best=[knowledge.faults[name].words for name in assessment.best],
            own=services.own_suspects(case),
            unknown=services.unknown_in(case),
            everyone=sorted((item.row.words, item.id) for item in assessment.suspects),
            model_size=len(assessment.model.faults) if assessment.model else 0,
            left_out=assessment.left_out if "count" in request.GET else None,
            ruled_out=[(name, knowledge.faults[name].words) for name in assessment.ruled_out],
            columns=assessment.suspects[:COLUMNS],
            **_matrix(assessment),
        ),
    )


def _way(request: HttpRequest) -> Strategy:
    """The way to work that was chosen in this session."""
    wanted = request.GET.get("way", "")
    if wanted in Strategy.__members__:
        request.session["way"] = wanted
    held = request.session.get("way", "")
    return Strategy[held] if held in Strategy.__members__ else Strategy.TELLING


def _matrix(assessment: Assessment) -> dict[str, list[tuple[Clue, list[Entry]]]]:
    """Rows of the evidence matrix: the clues that speak most about the leading suspects (and the doubtful ones), those
    that speak less, and those that say nothing of them."""
    speaking, silent = [], []
    for clue in assessment.clues:
        entries = [
            next(entry for entry in suspect.entries if entry.clue is clue) for suspect in assessment.suspects[:COLUMNS]
        ]
        told = clue.doubtful or any(entry.stance is not Stance.SILENT for entry in entries)
        (speaking if told else silent).append((clue, entries))
    loudest = sorted(speaking, key=lambda row: -max(abs(entry.llr) for entry in row[1]))[:MATRIX_ROWS]
    shown = [row for row in speaking if row[0].doubtful or any(row is other for other in loudest)]
    weaker = [row for row in speaking if not any(row is other for other in shown)]
    return {"matrix": shown, "weaker": weaker, "silent": silent}


@require_POST
@needs(Right.WORK)
def rule(request: HttpRequest, pk: int) -> HttpResponse:
    """Rule a suspect out or in, doubt or trust a clue."""
    case = find(pk)
    post = request.POST
    ruling = services.rule(
        case,
        request.user,
        post.get("kind", ""),
        post.get("subject", ""),
        post.get("reason", ""),  # type: ignore[arg-type]
    )
    messages.success(request, f"Recorded: {ruling.get_kind_display()}. It stays on the case's record.")
    return redirect("suspects:suspects", case.pk)
