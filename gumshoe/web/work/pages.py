"""The pages of work: what each shows."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import ClassVar

from gumshoe.core.clues import Clue
from gumshoe.core.maps.engine import EngineMap
from gumshoe.core.work.worksheet import LayOut, Sheet
from gumshoe.web.kit.pages import Page
from gumshoe.web.ledger.panel import Ledger
from gumshoe.web.proposal.models import Line
from gumshoe.web.work.models import Photo, Work


@dataclass(frozen=True, kw_only=True)
class WorkPage(Page):
    """What ``work/work.html`` shows."""

    TEMPLATE: ClassVar[str] = "work/work.html"
    part: str
    sheet: LayOut
    jobs: list[tuple[Line, Sheet | None, Clue | None]]
    works: Iterable[Work]
    photos: Iterable[Photo]
    photo_mb: int
    map: EngineMap
    ledger: Ledger


@dataclass(frozen=True, kw_only=True)
class WorkPrintedPage(Page):
    """What ``work/work_printed.html`` shows."""

    TEMPLATE: ClassVar[str] = "work/work_printed.html"
    sheet: LayOut
