"""Pages that only say something."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from gumshoe.core.errors import GumshoeError
from gumshoe.web.kit.beside import Task
from gumshoe.web.kit.pages import Page


@dataclass(frozen=True, kw_only=True)
class MessagePage(Page):
    """A title and a few words."""

    TEMPLATE: ClassVar[str] = "ui/message.html"
    title: str
    words: str


@dataclass(frozen=True, kw_only=True)
class ProblemPage(Page):
    """What happened, what is kept, what to do."""

    TEMPLATE: ClassVar[str] = "ui/problem.html"
    problem: GumshoeError


@dataclass(frozen=True, kw_only=True)
class BesidePage(Page):
    """What is done beside, while it lasts."""

    TEMPLATE: ClassVar[str] = "ui/beside.html"
    task: Task
