"""The next action while a fault is looked for, kept with the case so that a board of many cases judges none anew.

It holds for one state of the case's evidence (``version``, raised by every entry) and of the shop (``stamp``).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cache
from hashlib import sha256
from pathlib import Path
from typing import Any

from django.db.models import Count, F, Max, Q
from django.db.models.signals import post_save

import gumshoe.core
from gumshoe.core.planning import Act, NextAction
from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.judging import judged
from gumshoe.web.cases.models import Case
from gumshoe.web.history.learned import outcomes_of_the_shop
from gumshoe.web.kit.memo import once
from gumshoe.web.library.models import HeardRate, ShopCode
from gumshoe.web.settings.models import Settings
from gumshoe.web.suspects.models import Planned
from gumshoe.web.vehicles.models import Vehicle

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
    """What is kept of each of the cases, by its number."""
    return {row.case_id: row for row in Planned.objects.filter(case__in=[case.pk for case in cases])}


def kept_action(case: Case, row: Planned | None, *, wait: bool = True) -> KeptAction:
    """The next action of a case; ``row``: what is kept of it; ``wait``: whether to judge it now where that no longer
    holds."""
    if row is not None and row.made_for == row.version and row.stamp == stamp():
        return KeptAction(row.stage, row.words, row.test, row.suspect)
    return _worked_out(case) if wait else NOT_YET


def as_kept(found: NextAction) -> KeptAction:
    """The planner's action as it is kept."""
    test = found.test
    stage = "live" if test is not None and test.measures else STAGES[found.act]
    return KeptAction(stage, found.words[:200], test.id if test else "", found.suspect)


def _worked_out(case: Case) -> KeptAction:
    row, _ = Planned.objects.get_or_create(case=case)
    now = stamp()
    found = as_kept(judged(case).next)
    # Only if nothing was entered meanwhile: else it stays open, and the next who asks judges anew.
    Planned.objects.filter(pk=row.pk, version=row.version).update(
        made_for=row.version,
        stamp=now,
        stage=found.stage,
        words=found.words,
        test=found.test,
        suspect=found.suspect,
    )
    return found


@once
def stamp() -> str:
    """The state of everything beyond a case that its judgement rests on: settings, what the shop has learnt, tables."""
    settings = Settings.load()
    learnt = sorted(outcomes_of_the_shop().items()) if settings.learns else ()
    newest = Max("pk")
    heard = HeardRate.objects.aggregate(newest, gone=Count("pk", filter=Q(withdrawn=True))) if settings.learns else {}
    codes = ShopCode.objects.aggregate(newest, gone=Count("pk", filter=Q(withdrawn=True)))
    state = (codes, settings.labour_per_hour, settings.lacks, settings.learns, learnt, heard, _version())
    return sha256(repr(state).encode()).hexdigest()


@cache
def _version() -> str:
    """The core as it is shipped: another version may judge otherwise."""
    found = sha256()
    for path in sorted(Path(gumshoe.core.__path__[0]).rglob("*")):
        if path.suffix in (".py", ".toml"):
            found.update(path.read_bytes())
    return found.hexdigest()


def entered(instance: Any, **_: Any) -> None:
    """Something was entered: what was kept of its case, or of the vehicle's cases, holds no longer."""
    if isinstance(instance, Evidence):
        Planned.objects.filter(case_id=instance.case_id).update(version=F("version") + 1)
    elif isinstance(instance, Vehicle):
        Planned.objects.filter(case__vehicle_id=instance.pk).update(version=F("version") + 1)


post_save.connect(entered, dispatch_uid="planned action, entered")
