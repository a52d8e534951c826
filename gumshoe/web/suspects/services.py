"""What the Suspects page shows beyond the judgement itself; the technician's rulings are stored here."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from gumshoe.core.clues import Clue, ClueKind
from gumshoe.core.errors import BadInput
from gumshoe.core.planning import Proposal, Strategy
from gumshoe.core.suspects import Assessment
from gumshoe.web.accounts.models import User
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.judging import judged
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.unchanged import while_unchanged
from gumshoe.web.suspects.models import Ruling

SHOWN, LED = 8, 6
"""So many suspects stand on the page; so many are followed."""
WORTH_SAYING = 0.02
"""Probability from which a suspect's move by what was learned is told."""


def assess_case(case: Case) -> tuple[Assessment, tuple[Proposal, ...]]:
    """The ranked suspects and the proposed tests."""
    found = judged(case)
    return found.assessment, found.proposals


@while_unchanged(64)
def learning_of(case: Case) -> dict[str, object] | None:
    """What the shop's own repairs changed: the ranking without them."""
    found = judged(case)
    if not found.grounds.learned:
        return None
    plain = found.ranked_by(found.assessment.clues, learned=False)
    before, now = ([item.id for item in ranked.suspects[:SHOWN]] for ranked in (plain, found.assessment))
    moved = [
        (item.row.words, before.index(item.id) + 1, place)
        for place, item in enumerate(found.assessment.suspects[:SHOWN], 1)
        if item.probability >= WORTH_SAYING and item.id in before and before.index(item.id) + 1 != place
    ]
    return {"moved": moved, "new": [n for n in now if n not in before]}


@dataclass(frozen=True)
class Step:
    """The ranking after one more group of clues (all clues of one source record came together)."""

    words: str
    at: str
    probabilities: dict[str, float]


def history(case: Case, assessment: Assessment, most: int = LED) -> list[Step]:
    """How the leading suspects moved, source record by source record."""
    leaders = [item.id for item in assessment.suspects[:most]]
    steps, so_far = [], list[Clue]()
    for at, clues in _by_source(assessment.clues):
        so_far += clues
        ranked = judged(case).ranked_by(tuple(so_far))
        found = {item.id: item.probability for item in ranked.suspects}
        steps.append(Step(_source_words(clues), at, {name: found.get(name, 0.0) for name in leaders}))
    return steps


def _source_words(clues: list[Clue]) -> str:
    kinds = {clue.kind for clue in clues}
    if ClueKind.TEST in kinds or ClueKind.REPAIR in kinds:
        return clues[0].words
    if ClueKind.SYMPTOM in kinds:
        return "Complaint"
    if ClueKind.CODE in kinds:
        return "Scan"
    return clues[0].words.split(":")[0]


def rule(case: Case, user: User, kind: str, subject: str, reason: str) -> Ruling:
    """Store a ruling. Raises BadInput for an unknown kind or subject, or a ruling out without a reason."""
    if kind not in Ruling.Kind.values:
        raise BadInput("There is no such ruling.")
    if kind == Ruling.Kind.WAY:
        if subject not in Strategy.__members__:
            raise BadInput("There is no such way to work.")
        return Ruling.objects.create(case=case, by=user, kind=kind, subject=subject, reason=reason.strip())
    about_suspect = kind in (Ruling.Kind.OUT, Ruling.Kind.BACK, Ruling.Kind.OWN)
    if about_suspect and subject not in cases.knowledge_of(case).faults:
        raise BadInput("There is no such suspect on this powertrain.")
    if not about_suspect and subject not in {clue.id for clue in assess_case(case)[0].clues}:
        raise BadInput("There is no such clue in this case.")
    if kind in (Ruling.Kind.OUT, Ruling.Kind.DOUBT) and not reason.strip():
        raise BadInput(
            "A reason is needed: the next reader must be able to judge it.", remedies=("write it in a few words",)
        )
    return Ruling.objects.create(case=case, by=user, kind=kind, subject=subject, reason=reason.strip())


@while_unchanged(64)
def last_change(case: Case) -> tuple[str, list[tuple[str, float, float]]]:
    """What the last source record changed: its words, and (suspect, before, after) for the largest moves."""
    found = judged(case)
    sources = _by_source(found.clues)
    if len(sources) < 2:
        return "", []
    *earlier, last = sources
    before = found.ranked_by(tuple(clue for _, clues in earlier for clue in clues))
    was = {item.id: item.probability for item in before.suspects}
    moves = [(item.row.words, was.get(item.id, 0.0), item.probability) for item in found.assessment.suspects[:LED]]
    moves.sort(key=lambda row: -abs(row[2] - row[1]))
    return _source_words(last[1]), [row for row in moves if abs(row[2] - row[1]) > 0.005][:4]


def _by_source(clues: tuple[Clue, ...]) -> list[tuple[str, list[Clue]]]:
    """The clues of each source record with its time, in the order of their times."""
    sources: dict[tuple[str, str], list[Clue]] = {}
    for clue in clues:
        sources.setdefault((clue.at, clue.source), []).append(clue)
    return [(at, rows) for (at, _), rows in sorted(sources.items())]


def slope_chart(steps: list[Step], names: dict[str, str]) -> dict[str, Any]:
    """Coordinates of the ranking's history for the SVG: one line a suspect, one column a source record."""
    width, height, left, right, top = 960, 220, 46, 360, 12
    columns = max(len(steps) - 1, 1)

    def x(index: int) -> float:
        return left + (width - left - right) * index / columns

    def y(value: float) -> float:
        return top + height * (1.0 - value)

    lines = []
    for rank, name in enumerate(names):
        points = [(round(x(i), 1), round(y(step.probabilities.get(name, 0.0)), 1)) for i, step in enumerate(steps)]
        lines.append(
            {
                "name": names[name],
                "rank": rank,
                "points": " ".join(f"{a},{b}" for a, b in points),
                "dots": points,
                "end": points[-1] if points else (0, 0),
            }
        )
    _spread_labels(lines)
    ticks = [{"y": y(share / 100.0), "text": f"{share} %"} for share in (0, 25, 50, 75, 100)]
    marks = [{"x": round(x(i), 1), "number": i + 1, "words": step.words} for i, step in enumerate(steps)]
    return {
        "width": width,
        "height": height + 44,
        "base": top + height,
        "lines": lines,
        "ticks": ticks,
        "marks": marks,
        "label_x": width - right + 12,
        "left": left,
        "right": width - right,
    }


def _spread_labels(lines: list[dict[str, Any]], gap: float = 17.0) -> None:
    """Move labels at the lines' ends apart so that none covers another."""
    ordered = sorted(lines, key=lambda line: (line["end"][1], line["rank"]))
    last = -gap
    for line in ordered:
        line["label_y"] = max(line["end"][1], last + gap)
        last = line["label_y"]
    overflow = last - 242.0
    if overflow > 0:
        for line in ordered:
            line["label_y"] -= overflow
