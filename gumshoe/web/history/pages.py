"""The pages of history: what each shows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from gumshoe.core.history.parts import PartLife
from gumshoe.web.history.services import HistoryRow, Visit
from gumshoe.web.kit.pages import Page


@dataclass(frozen=True, kw_only=True)
class HistoryPage(Page):
    """What ``history/history.html`` shows: the visits of a vehicle, and where each stands on the drawing."""

    TEMPLATE: ClassVar[str] = "history/history.html"
    line: HistoryRow
    chart: list[dict[str, object]]


@dataclass(frozen=True)
class Turn:
    """The page of a list, and whether another comes after it."""

    page: int
    more: bool

    @property
    def before(self) -> int:
        """The page before; 0 for none."""
        return self.page - 1

    @property
    def after(self) -> int:
        """The page after; 0 for none."""
        return self.page + 1 if self.more else 0


@dataclass(frozen=True, kw_only=True)
class PartsPage(Page):
    """What ``history/parts.html`` shows: how long parts live, and a page of what was never proven."""

    TEMPLATE: ClassVar[str] = "history/parts.html"
    lives: tuple[PartLife, ...]
    unproven: list[Visit]
    lives_pages: Turn
    unproven_pages: Turn
