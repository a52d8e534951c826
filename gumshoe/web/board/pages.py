"""The pages of board: what each shows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from gumshoe.web.board.services import By, Card
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.pages import Page
from gumshoe.web.proofs.waiting import Due


@dataclass(frozen=True, kw_only=True)
class BoardPage(Page):
    """What ``board/board.html`` shows. ``under_way``: some next actions are still being worked out."""

    TEMPLATE: ClassVar[str] = "board/board.html"
    by: By
    columns: list[tuple[str, list[Card]]]
    closed: list[Case]
    kinds: tuple[tuple[By, str], ...] = ((By.STAGE, "By stage"), (By.BAY, "By bay"), (By.PERSON, "By person"))
    due: list[Due]
    under_way: bool
