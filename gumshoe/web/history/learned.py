"""What the shop's own proven repairs, and what was heard elsewhere, change in the base rates."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from typing import Any

from django.db.models import QuerySet

from gumshoe.core.suspects.learning import Heard, Proven, multipliers
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.history.models import Outcome, OutcomeSum
from gumshoe.web.history.sums import up_to_date
from gumshoe.web.kit.memo import once
from gumshoe.web.library.models import HeardRate
from gumshoe.web.settings.models import Settings


@once
def learned_for(case: Case) -> dict[str, float]:
    """Factors on the base rates from the shop's other cases and from what was heard; empty when switched off."""
    if not Settings.load().learns:
        return {}
    counts = Counter(dict(outcomes_of_the_shop()))
    counts.subtract(_told(Outcome.objects.filter(case=case)))  # a case does not teach itself
    shop = [
        Proven(suspect, proven, platform == case.vehicle.platform, number)
        for (suspect, platform, proven), number in counts.items()
        if number > 0
    ]
    heard = [
        Heard(row.suspect, row.hits, row.cases, row.origin)
        for row in HeardRate.objects.filter(withdrawn=False, platform__in=("", case.vehicle.platform))
    ]
    return multipliers(cases.knowledge_of(case), shop, heard) if shop or heard else {}


@once
def outcomes_of_the_shop() -> Mapping[tuple[str, str, bool], int]:
    """How often each suspect was named, by platform, and was proven or came back. A file's proof is not the shop's."""
    up_to_date()
    return _told(OutcomeSum.objects.all())


def _told(rows: QuerySet[Any]) -> Counter[tuple[str, str, bool]]:
    found: Counter[tuple[str, str, bool]] = Counter()
    for suspect, platform, proven, number in rows.values_list("suspect", "platform", "proven", "number"):
        found[suspect, platform, proven] += number
    return found
