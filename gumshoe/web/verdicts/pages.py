"""The pages of verdicts: what each shows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from gumshoe.core.clues import Clue
from gumshoe.core.planning.stop import StandingOf
from gumshoe.core.suspects.posterior import Suspect
from gumshoe.web.kit.pages import Page
from gumshoe.web.ledger.panel import Ledger
from gumshoe.web.verdicts.models import Verdict
from gumshoe.web.verdicts.services import WhyAsked

Choices = list[tuple[str, str]]
"""What can be chosen: ids with their words."""


@dataclass(frozen=True, kw_only=True)
class RepairPage(Page):
    """What ``verdicts/repair.html`` shows."""

    TEMPLATE: ClassVar[str] = "verdicts/repair.html"
    part: str
    verdict: Verdict | None
    earlier: list[Verdict]
    chosen: Suspect
    standing_of: StandingOf | None
    candidates: Choices
    others: Choices
    why: WhyAsked | None
    once_more: Clue | None
    may_review: bool
    ledger: Ledger
