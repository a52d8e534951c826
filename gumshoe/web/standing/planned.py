"""The next action while a fault is looked for, kept with the case so that a board of many cases judges none anew.

It holds for one state of the case (``cases/unchanged.py``) and of the shop (``stamp``).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict, dataclass
from functools import cache, lru_cache
from hashlib import sha256
from pathlib import Path
from typing import Any

from django.db.models import F

import gumshoe.core
from gumshoe.core.planning import Act, NextAction
from gumshoe.web.cases.judging import judged
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.unchanged import state_of
from gumshoe.web.history.learned import outcomes_of_the_shop
from gumshoe.web.library.models import HeardRate, ShopCode
from gumshoe.web.settings.models import Settings
from gumshoe.web.suspects.models import Planned

STAGES = {Act.TEST: "bench", Act.SHOW: "bench", Act.NAME: "repair", Act.GUESS: "repair", Act.WATCH: "live"}


@dataclass(frozen=True)
class KeptAction:
    """The next action as header and board show it: the stage it belongs to, its words, the test and the suspect."""

    stage: str
    words: str
    test: str = ""
    suspect: str = ""


NOT_YET = KeptAction("suspects", "Working out the next step")


def kept_rows(cases: Iterable[Case]) -> dict[int, Planned]:
    """What is kept of each of the cases, by its number, with the state each is in now."""
    rows = Planned.objects.filter(case__in=[case.pk for case in cases]).annotate(state=F("case__state__number"))
    return {row.case_id: row for row in rows}


def kept_action(case: Case, row: Any, *, wait: bool = True) -> KeptAction:
    """The next action of a case; ``row``: what is kept of it; ``wait``: whether to judge it now where that no longer
    holds."""
    if row is not None and row.made_for == row.state and row.stamp == stamp():
        return KeptAction(row.stage, row.words, row.test, row.suspect)
    return _worked_out(case) if wait else NOT_YET


def as_kept(found: NextAction) -> KeptAction:
    """The planner's action as it is kept."""
    test = found.test
    stage = "live" if test is not None and test.measures else STAGES[found.act]
    return KeptAction(stage, found.words[:200], test.id if test else "", found.suspect)


def _worked_out(case: Case) -> KeptAction:
    # The state it was in before: where something is entered meanwhile, the next who asks judges anew.
    state, now = state_of(case), stamp()
    found = as_kept(judged(case).next)
    kept = {**asdict(found), "made_for": state, "stamp": now}
    if not Planned.objects.filter(case=case).update(**kept):
        Planned.objects.get_or_create(case=case, defaults=kept)
    return found


def stamp() -> str:
    """The state of everything beyond a case that its judgement rests on: settings, what the shop has learnt, tables."""
    return _stamp_in(Settings.load().state)


@lru_cache(maxsize=4)
def _stamp_in(_state: int) -> str:
    """Told by what it holds: most of what the shop learns changes nothing for most cases."""
    settings = Settings.load()
    learnt = sorted(outcomes_of_the_shop().items()) if settings.learns else ()
    in_force = HeardRate.objects.filter(withdrawn=False) if settings.learns else HeardRate.objects.none()
    heard = list(in_force.order_by("pk").values_list("pk", flat=True))
    codes = list(ShopCode.objects.filter(withdrawn=False).order_by("pk").values_list("pk", flat=True))
    told = (
        codes,
        settings.labour_per_hour,
        settings.climate,
        settings.lacks,
        settings.learns,
        learnt,
        heard,
        _version(),
    )
    return sha256(repr(told).encode()).hexdigest()


@cache
def _version() -> str:
    """The core as it is shipped: another version may judge otherwise."""
    found = sha256()
    for path in sorted(Path(gumshoe.core.__path__[0]).rglob("*")):
        if path.suffix in (".py", ".toml"):
            found.update(path.read_bytes())
    return found.hexdigest()
