"""What the shop's own proven repairs, and what was heard elsewhere, change in the base rates."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping

from django.db.models import Count, Exists, OuterRef, Q, QuerySet, Subquery

from gumshoe.core.proof.tracker import ProofVerdict
from gumshoe.core.suspects.learning import Heard, Proven, multipliers
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.memo import once, until_new
from gumshoe.web.library.models import HeardRate
from gumshoe.web.proofs.models import Judgement
from gumshoe.web.settings.models import Settings
from gumshoe.web.verdicts.models import Verdict


@once
def learned_for(case: Case) -> dict[str, float]:
    """Factors on the base rates from the shop's other cases and from what was heard; empty when switched off."""
    if not Settings.load().learns:
        return {}
    counts = Counter(dict(outcomes_of_the_shop()))
    counts.subtract(_outcomes(Verdict.objects.filter(case=case)))  # a case does not teach itself
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


@until_new(Verdict, Judgement)
def outcomes_of_the_shop() -> Mapping[tuple[str, str, bool], int]:
    """How often each suspect was named, by platform, and was proven or came back, summed by the database. A file's
    proof is not the shop's."""
    return _outcomes(Verdict.objects.all())


def _outcomes(verdicts: QuerySet[Verdict]) -> Counter[tuple[str, str, bool]]:
    judged = Judgement.objects.filter(case=OuterRef("case")).order_by("-at", "-pk").values("verdict")[:1]
    later = Verdict.objects.filter(
        Q(at__gt=OuterRef("at")) | Q(at=OuterRef("at"), pk__gt=OuterRef("pk")), case=OuterRef("case")
    )
    rows = (
        verdicts.filter(case__importeds__isnull=True)
        .annotate(judged=Subquery(judged), later=Exists(later))
        .filter(judged__in=(ProofVerdict.PROVEN, ProofVerdict.CAME_BACK))
        .order_by()
        .values_list("suspect", "case__vehicle__platform", "judged", "later")
        .annotate(number=Count("pk"))
    )
    found: Counter[tuple[str, str, bool]] = Counter()
    for suspect, platform, verdict, superseded, number in rows:
        found[suspect, platform, verdict == ProofVerdict.PROVEN and not superseded] += number
    return found
