"""The pages of proposal: what each shows."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import ClassVar

from gumshoe.core.proof.exposure import Recurrences
from gumshoe.core.work.money import Sum
from gumshoe.core.work.offers import Offer
from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.kit.pages import Page
from gumshoe.web.ledger.panel import Ledger
from gumshoe.web.proposal.services import Proposed
from gumshoe.web.verdicts.models import Review, Verdict


@dataclass(frozen=True, kw_only=True)
class LinesPage(Page):
    """What ``proposal/lines.html`` shows."""

    TEMPLATE: ClassVar[str] = "proposal/lines.html"
    part: str
    verdict: Verdict | None
    sent_back: Review | None
    rows: list[Proposed]
    totals: dict[str, Sum]
    repairs: list[tuple[str, str]]
    wanted: str
    offers: tuple[Offer, ...]
    recurrences: Recurrences | None
    recurrence: Evidence | None
    mails: Iterable[Evidence]
    ledger: Ledger


@dataclass(frozen=True, kw_only=True)
class CounterPage(Page):
    """What ``proposal/counter.html`` shows. ``stamp``: what is on the page, so that nothing else is signed."""

    TEMPLATE: ClassVar[str] = "proposal/counter.html"
    rows: list[Proposed]
    totals: dict[str, Sum]
    verdict: Verdict | None
    stamp: str
    signatures: Iterable[Evidence]
    kinds: tuple[tuple[str, str], ...] = (("approved", "yes"), ("refused", "no"), ("deferred", "later"))


@dataclass(frozen=True, kw_only=True)
class LinesPrintedPage(Page):
    """What ``proposal/lines_printed.html`` shows."""

    TEMPLATE: ClassVar[str] = "proposal/lines_printed.html"
    rows: list[Proposed]
    totals: dict[str, Sum]
    verdict: Verdict | None
