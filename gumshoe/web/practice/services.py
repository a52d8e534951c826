"""Exercises begun, ended and looked back at."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Iterable
from itertools import islice
from pathlib import Path
from threading import BoundedSemaphore

from django.conf import settings
from django.utils import timezone

from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.planning import NextAction
from gumshoe.practice.complaint import Told, told
from gumshoe.practice.courses import courses
from gumshoe.practice.cures import is_sound
from gumshoe.practice.debrief import Ended, debrief
from gumshoe.practice.exercise import Course, Exercise, ExerciseError, write_exercise
from gumshoe.practice.fooled import exercise_like
from gumshoe.practice.prepared import ADAPTER, NO_EXERCISE, NobodyWouldBringIt, NothingCuresIt, Prepared
from gumshoe.web.accounts.models import User
from gumshoe.web.accounts.rights import Right, may
from gumshoe.web.cases.judging import judged
from gumshoe.web.cases.models import Case, Complaint
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.practice import practising, steps
from gumshoe.web.practice.models import Attempt, Hint, Level, Own, key_of
from gumshoe.web.reports.casefile import export
from gumshoe.web.vehicles import garage
from gumshoe.web.vehicles.models import Vehicle

NUMBER = "P-"
MOST_DRAWN = 4
"""Of so many cars that can be begun the one is taken that is nearest to as hard as wished, unless one is just that."""
AT_ONCE = BoundedSemaphore(2)
"""So many cars are driven at a time; who comes later waits beside."""
MOST_OPEN = 3
"""So many exercises one person has on hand: each keeps a stand-in."""


# -- made ready -------------------------------------------------------------------------------------------


def ready(exercise: Exercise) -> Prepared:
    """The exercise made ready, in a process of its own where nobody has worked it before. Takes some twenty seconds
    then. Raises what ``prepare`` raises."""
    exercise.check()
    kept = _kept(exercise)
    if kept.exists():
        try:
            return ADAPTER.validate_json(kept.read_bytes())
        except ValueError:  # of another version: made again
            kept.unlink()
    found = apart(exercise)
    kept.parent.mkdir(parents=True, exist_ok=True)
    part = kept.with_suffix(".part")
    part.write_bytes(ADAPTER.dump_json(found))
    os.replace(part, kept)
    return found


def apart(exercise: Exercise) -> Prepared:
    """``prepare`` in a process of its own, so that no page waits for its computing."""
    command = [sys.executable, "-m", "gumshoe.practice.prepared"]
    with AT_ONCE:
        done = subprocess.run(command, input=write_exercise(exercise).encode(), capture_output=True, cwd=settings.ROOT)
    if done.returncode == 0:
        return ADAPTER.validate_json(done.stdout)
    if done.returncode == NO_EXERCISE:
        told = json.loads(done.stdout)
        kind = {row.__name__: row for row in (NobodyWouldBringIt, NothingCuresIt)}.get(told["kind"], ExerciseError)
        raise kind(told["what"], kept=told["kept"], remedies=tuple(told["remedies"]))
    raise RuntimeError(f"An exercise could not be made ready: {done.stderr.decode(errors='replace')[-2000:]}")


def _kept(exercise: Exercise) -> Path:
    return Path(settings.DATA_DIR) / garage.PRACTICE_FOLDER / "prepared" / f"{exercise.digest}.json"


def one_of(rows: Iterable[Exercise], level: int | None) -> tuple[Exercise, Prepared]:
    """The first of some drawn exercises that can be begun and is as hard as wished; of a few tried the nearest. Raises
    the trouble of the last where none can be begun."""
    found: list[tuple[int, Exercise, Prepared]] = []
    trouble: GumshoeError | None = None
    for exercise in islice(rows, 3 * MOST_DRAWN):
        try:
            prepared = ready(exercise)
        except (NobodyWouldBringIt, NothingCuresIt) as error:
            trouble = error
            continue
        found.append((abs(prepared.difficulty.level - level) if level else 0, exercise, prepared))
        if found[-1][0] == 0 or len(found) == MOST_DRAWN:
            break
    if not found:
        raise trouble or BadInput("No car could be drawn.", remedies=("draw again with another number",))
    return min(found, key=lambda row: row[0])[1:]


# -- begun ------------------------------------------------------------------------------------------------


def not_too_many(person: User) -> None:
    """Raises BadInput where somebody has enough exercises on hand."""
    on_hand = Attempt.objects.filter(person=person, ended=None).count()
    if on_hand >= MOST_OPEN:
        raise BadInput(
            f"You have {on_hand} exercises on hand.", kept="Nothing was begun.", remedies=("end one of them first",)
        )


@in_turn()
def begin(person: User, exercise: Exercise, prepared: Prepared, level: str, course: str = "") -> Attempt:
    """An attempt with a case and a car of its own. Raises BadInput for a level that there is not, or too many."""
    if level not in Level.values:
        raise BadInput("There is no such level.")
    not_too_many(person)
    last = Case.every.filter(practice=True).order_by("pk").last()
    number = f"{NUMBER}{int(last.number.removeprefix(NUMBER)) + 1 if last else 1:04d}"
    car = exercise.kind
    head = platforms()[car.platform].platform
    vehicle = Vehicle.every.create(
        plate=number,
        vin=car.vin,
        make=head.make,
        model=head.model,
        platform=car.platform,
        stand_in=key_of(number),
        practice=True,
    )
    case = Case.every.create(number=number, vehicle=vehicle, opened_by=person, practice=True)
    attempt = Attempt.objects.create(
        case=case,
        person=person,
        course=course,
        level=level,
        digest=exercise.digest,
        exercise=exercise,
        prepared=prepared,
    )
    _complain(attempt, told(exercise, prepared))
    practising.put_into_the_bay(attempt)
    garage.start(practising.stand_in_of(attempt), garage.practice_state(attempt.key).parent)
    return attempt


def _complain(attempt: Attempt, said: Told) -> None:
    """What the customer tells. Which symptoms that are is for whoever works without guidance to find out."""
    exercise: Exercise = attempt.exercise
    Complaint.objects.create(
        case=attempt.case,
        by=attempt.person,
        text=said.text,
        symptoms=list(said.symptoms) if attempt.level == Level.GUIDED else [],
        lamp=said.lamp,
        since=said.since,
        recent_work=said.recent_work,
        odometer_km=round(exercise.odometer_km or exercise.kind.odometer_km),
    )


# -- while it lasts ---------------------------------------------------------------------------------------


def hint(attempt: Attempt) -> Hint:
    """What would be done next; it is entered, and costs. Raises BadInput once the attempt is ended."""
    if attempt.ended is not None:
        raise BadInput("This exercise is ended.")
    found: NextAction = judged(attempt.case).next
    return Hint.objects.create(case=attempt.case, by=attempt.person, words=f"{found.words}. {found.why}"[:300])


@in_turn()
def end(attempt: Attempt) -> None:
    """End it, as it stands: the car leaves, the case is closed; the debrief is made after it. Raises BadInput when it
    is ended already."""
    if attempt.ended is not None:
        raise BadInput("This exercise is ended already.")
    runner = garage.runner(attempt.key)
    if runner is None:
        raise BadInput("The car of this exercise is not here.", remedies=("end it where the cars are (docs/scale.md)",))
    with runner.lock:
        attempt.sound = is_sound(runner.vehicle)
    attempt.ended = timezone.now()
    attempt.save(update_fields=["ended", "sound"])
    attempt.case.closed_at = attempt.ended
    attempt.case.save(update_fields=["closed_at"])
    garage.leave(attempt.key)


def look_back(attempt: Attempt) -> None:
    """Make the debrief and keep it; takes some seconds."""
    if attempt.ended is None:
        raise BadInput("This exercise is not ended yet.", remedies=("end it first",))
    open_ends = tuple(row.what for row in attempt.case.looseends.filter(closed__isnull=True))
    found = debrief(
        attempt.exercise,
        attempt.prepared,
        export(attempt.case),
        steps.steps_of(attempt.case),
        Ended(bool(attempt.sound), open_ends),
        steps.COSTS,
    )
    attempt.told = found
    attempt.save(update_fields=["told"])


# -- exercises to choose from -----------------------------------------------------------------------------


def named(course: str, number: int) -> tuple[Course, Exercise]:
    """An exercise of a course, counted from 1. Raises BadInput where there is none."""
    found = courses().get(course)
    if found is None or not 1 <= number <= len(found.exercises):
        raise BadInput("There is no such exercise.")
    return found, found.exercises[number - 1]


def take_in(person: User, exercise: Exercise) -> Own:
    """Keep an exercise for everybody of the shop; one that is there already is not kept twice."""
    held = Own.objects.filter(digest=exercise.digest, hidden=False).first()
    return held or Own.objects.create(exercise=exercise, digest=exercise.digest, by=person)


def known_to(person: User, exercises: Iterable[Exercise]) -> frozenset[str]:
    """Digests of the exercises whose file somebody may have, for it tells what is wrong: of all to the lead, else of
    those that somebody worked to the end, or brought to the shop."""
    every = {row.digest for row in exercises}
    if may(person, Right.OVERRULE):
        return frozenset(every)
    worked = Attempt.objects.filter(person=person, digest__in=every, ended__isnull=False)
    brought = Own.objects.filter(by=person, digest__in=every)
    return frozenset((*worked.values_list("digest", flat=True), *brought.values_list("digest", flat=True)))


def own_exercises() -> Iterable[Own]:
    """What somebody brought in or made."""
    return Own.objects.filter(hidden=False).select_related("by")


def of_case(case: Case) -> Exercise:
    """*The fault that fooled us*: an exercise like a closed case, without its customer and its car. Raises BadInput
    where no stand-in can have such a fault, or the case is not closed with a repair."""
    if case.closed_at is None or case.practice:
        raise BadInput("Only a closed case of the shop can be made an exercise.", remedies=("close the case first",))
    repairs = [row.line.repair for row in case.works.select_related("line") if row.line.repair]
    if not repairs:
        raise BadInput("Nothing was repaired in this case: nobody knows what was wrong.")
    km = next((row.odometer_km for row in case.complaints.all() if row.odometer_km), None)
    return exercise_like(case.vehicle.platform, repairs, km, seed=case.pk)
