"""The technician's own decisions on suspects, clues and the way to work: the newest about a subject holds."""

from __future__ import annotations

from gumshoe.core.planning import Strategy
from gumshoe.web.cases.entries import entries
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.memo import once
from gumshoe.web.suspects.models import Ruling


@once
def rulings_of(case: Case) -> dict[str, str]:
    """The ruling that holds, by subject."""
    return {row.subject: row.kind for row in entries(case, "rulings") if row.kind != Ruling.Kind.WAY}


def subjects_of(case: Case, kind: str) -> tuple[str, ...]:
    """What is ruled to be of that kind."""
    return tuple(subject for subject, held in rulings_of(case).items() if held == kind)


def way_of(case: Case) -> Strategy:
    """The way to work that was chosen for this case."""
    chosen = [row.subject for row in entries(case, "rulings") if row.kind == Ruling.Kind.WAY]
    return Strategy[chosen[-1]] if chosen and chosen[-1] in Strategy.__members__ else Strategy.TELLING
