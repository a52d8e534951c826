"""The pages of practice: what each shows."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import ClassVar

from gumshoe.core.errors import GumshoeError
from gumshoe.core.knowledge.systems import SystemRow
from gumshoe.practice.cars import Car
from gumshoe.practice.debrief import Debrief
from gumshoe.practice.difficulty import Difficulty
from gumshoe.practice.exercise import Course, Exercise
from gumshoe.practice.progress import Next
from gumshoe.web.kit.pages import Page
from gumshoe.web.practice.models import Attempt, Own
from gumshoe.web.practice.picture import Picture
from gumshoe.web.practice.progress import Person


@dataclass(frozen=True)
class Offered:
    """An exercise to begin: its number in the course, how hard it was measured, and how somebody did it last."""

    number: int
    exercise: Exercise
    difficulty: Difficulty | None
    last: Attempt | None


@dataclass(frozen=True, kw_only=True)
class PracticePage(Page):
    """What ``practice/practice.html`` shows. ``chosen``: the course that is open."""

    TEMPLATE: ClassVar[str] = "practice/practice.html"
    on_hand: Sequence[Attempt]
    courses: Iterable[Course]
    chosen: Course
    offered: Sequence[Offered]
    levels: Sequence[tuple[str, str]]
    systems: Iterable[SystemRow]
    cars: Iterable[Car]
    own: Iterable[Own]
    known: frozenset[str]
    """Digests of the exercises of which somebody may know what is wrong."""
    next: Next | None
    next_words: str
    seed: int
    wanted: str = ""
    trouble: GumshoeError | None = None


@dataclass(frozen=True, kw_only=True)
class EndPage(Page):
    """What ``practice/end.html`` shows."""

    TEMPLATE: ClassVar[str] = "practice/end.html"
    attempt: Attempt
    open_ends: Sequence[str]
    proven: bool
    clock: str


@dataclass(frozen=True, kw_only=True)
class DebriefPage(Page):
    """What ``practice/debrief.html`` shows. ``others``: who else ended the same exercise."""

    TEMPLATE: ClassVar[str] = "practice/debrief.html"
    attempt: Attempt
    told: Debrief
    picture: Picture
    others: Sequence[Attempt]


@dataclass(frozen=True, kw_only=True)
class ProgressPage(Page):
    """What ``practice/progress.html`` shows."""

    TEMPLATE: ClassVar[str] = "practice/progress.html"
    person: Person
    attempts: Sequence[Attempt]
    shop: Sequence[Person]
    names: Mapping[str, str]
