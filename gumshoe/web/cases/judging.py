"""The one judgement of a case: its evidence as the core's plain values, judged once for each state it is in.

Read, Suspects, Bench, header, board, Repair, Clear, Prove, report and mail take from it what they say. What bears on
it the kinds of evidence tell (``registry.py``).
"""

from __future__ import annotations

from datetime import datetime

from gumshoe.core.clues import OnRecord
from gumshoe.core.judgement import Grounds, Judged, Kept
from gumshoe.core.planning import Costs
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.registry import kinds
from gumshoe.web.cases.unchanged import while_unchanged
from gumshoe.web.kit.memo import once
from gumshoe.web.settings.models import Settings

KEPT = 24
"""So many judgements are kept at a time, some megabytes each."""
_kept = Kept(KEPT)


@once
@while_unchanged(KEPT)
def judged(case: Case) -> Judged:
    """What follows from everything on record; kept until something on record, in the shop or in the tables changes."""
    return _kept.of(grounds_of(case))


def grounds_of(case: Case) -> Grounds:
    """Everything that bears on the case."""
    settings = Settings.load()
    grounds = Grounds(
        cases.knowledge_of(case),
        evidence_of(case),
        costs=Costs(settings.labour_per_hour),
        lacks=frozenset(settings.lacks),
        climate=cases.climate_of(case),
    )
    for kind in kinds():
        if kind.bears is not None:
            grounds = kind.bears(case, grounds)
    return grounds


@once
def evidence_of(case: Case, since: datetime | None = None) -> OnRecord:
    """Everything on record, as the core's plain values; of scans, tests and recordings only those made since a moment,
    where one is given: then the newest scan tells, whatever it holds."""
    found = OnRecord(specification=cases.specification_of(case))
    for kind in kinds():
        if kind.tells is not None:
            found = kind.tells(case, found, since)
    return found
