"""How people get on, from the attempts that were ended and looked back at."""

from __future__ import annotations

import csv
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from io import StringIO

from django.utils import timezone

from gumshoe.core.knowledge.systems import systems
from gumshoe.practice.courses import practised_systems
from gumshoe.practice.debrief import Debrief
from gumshoe.practice.progress import Done, Next, Standing, by_system, next_to_practise, standing
from gumshoe.web.accounts.models import User
from gumshoe.web.practice.models import Attempt


@dataclass(frozen=True)
class Person:
    """Somebody's figures: over all, and by system."""

    user: User
    whole: Standing
    by_system: list[Standing]
    next: Next | None


def attempts_of(person: User) -> list[Attempt]:
    """What somebody ended, the newest first, with its debrief."""
    rows = Attempt.objects.filter(person=person, ended__isnull=False).exclude(told=None)
    return list(rows.select_related("case"))


def done(attempt: Attempt) -> Done:
    """An attempt as progress sees it."""
    told: Debrief = attempt.told
    assert attempt.ended is not None
    return Done(
        attempt.ended,
        told.system,
        told.first,
        told.cured,
        told.proven,
        told.looked_first,
        told.money,
        told.best.money,
        told.minutes,
        told.best.minutes,
        told.regret,
        told.hints,
    )


def of_person(person: User) -> Person:
    """How somebody stands."""
    rows = [done(attempt) for attempt in attempts_of(person)]
    names = [row.id for row in practised_systems()]
    return Person(person, standing("", rows), by_system(rows), next_to_practise(rows, names, timezone.now()))


def of_shop() -> list[Person]:
    """Everybody who has practised."""
    people = User.objects.filter(pk__in=Attempt.objects.exclude(told=None).values("person")).order_by(
        "first_name", "pk"
    )
    return [of_person(person) for person in people]


def system_names() -> dict[str, str]:
    """What the systems are called, by id; of a car with nothing wrong it is the empty one."""
    return {"": "nothing wrong", **{row.id: row.name for row in systems().values()}}


COLUMNS = (
    "ended", "person", "number", "exercise", "level", "system", "right first", "mended", "proven", "looked first",
    "minutes", "best line's minutes", "money", "best line's money", "regret", "hints",
)  # fmt: skip


def as_csv(people: Iterable[User]) -> Iterator[str]:
    """Every ended attempt, a line each."""
    yield _line(COLUMNS)
    names = system_names()
    for person in people:
        for attempt in attempts_of(person):
            row = done(attempt)
            yield _line(
                (
                    row.at.isoformat(timespec="minutes"), str(person), attempt.case.number, attempt.exercise.title,
                    attempt.level, names[row.system], _yes(row.first), _yes(row.cured), _yes(row.proven),
                    _yes(row.looked_first), f"{row.minutes:.0f}", f"{row.best_minutes:.0f}", f"{row.money:.2f}",
                    f"{row.best_money:.2f}", f"{row.regret:.2f}", str(row.hints),
                )
            )  # fmt: skip


def _yes(value: bool) -> str:
    return "yes" if value else "no"


def _line(values: Iterable[str]) -> str:
    text = StringIO()
    csv.writer(text).writerow(f"'{value}" if value[:1] in "=+-@" else value for value in values)
    return text.getvalue()
