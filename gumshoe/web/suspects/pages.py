"""The pages of suspects: what each shows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from gumshoe.core.clues import Clue
from gumshoe.core.knowledge.expanded import Knowledge
from gumshoe.core.knowledge.rows import RepairRow
from gumshoe.core.planning import Outlook
from gumshoe.core.planning.next_action import NextAction
from gumshoe.core.planning.next_test import Proposal
from gumshoe.core.planning.stop import StandingOf
from gumshoe.core.planning.strategies import Strategy
from gumshoe.core.suspects.conflict import Conflict
from gumshoe.core.suspects.left_out import LeftOut
from gumshoe.core.suspects.posterior import Assessment, Suspect
from gumshoe.core.suspects.rates import BaseRate
from gumshoe.core.suspects.weighing import Entry
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.pages import Page

Row = tuple[Clue, list[Entry]]
"""A row of the evidence matrix: a clue, and what it says of each suspect."""


@dataclass(frozen=True, kw_only=True)
class SuspectsPage(Page):
    """What ``suspects/suspects.html`` shows."""

    TEMPLATE: ClassVar[str] = "suspects/suspects.html"
    assessment: Assessment
    leading: tuple[Suspect, ...]
    chosen: Suspect
    story: tuple[str, ...]
    next: NextAction
    proposals: tuple[Proposal, ...]
    standing_of: StandingOf
    rate: BaseRate
    showing: set[str]
    names: dict[str, str]
    change_words: str
    moves: list[tuple[str, float, float]]
    rest: tuple[Suspect, ...]
    way: Strategy
    learning: dict[str, object] | None
    knowledge: Knowledge
    repair: RepairRow
    best: list[str]
    own: tuple[str, ...]
    unknown: tuple[str, ...]
    conflict: Conflict | None
    everyone: list[tuple[str, str]]
    model_size: int
    left_out: LeftOut | None
    ruled_out: list[tuple[str, str]]
    columns: tuple[Suspect, ...]
    matrix: list[Row]
    weaker: list[Row]
    silent: list[Row]


@dataclass(frozen=True, kw_only=True)
class BeyondPage(Page):
    """What ``suspects/beyond.html`` shows: the ways to work, and how the ranking moved."""

    TEMPLATE: ClassVar[str] = "suspects/beyond.html"
    case: Case
    ways: tuple[Outlook, ...]
    way: Strategy
    chart: dict[str, Any]
