"""The pages of the crew: what each shows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from gumshoe.web.accounts.models import User
from gumshoe.web.cases.models import HandOver, Waiting
from gumshoe.web.kit.pages import Page


@dataclass(frozen=True, kw_only=True)
class HandOverPage(Page):
    """What ``crew/hand_over.html`` shows. ``off``: what the ledger says is off the car."""

    TEMPLATE: ClassVar[str] = "crew/hand_over.html"
    people: tuple[User, ...]
    off: str
    kinds: tuple[tuple[str, str], ...]
    earlier: tuple[HandOver, ...]
    waited: tuple[Waiting, ...]
