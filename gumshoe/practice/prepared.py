"""An exercise made ready: its car driven so that its control unit has seen what is wrong, what the driver felt in that,
which repairs cure it, and how hard it is to find."""

from __future__ import annotations

import json
import sys
from copy import deepcopy
from dataclasses import dataclass, field
from typing import Any

from pydantic import TypeAdapter

from gumshoe.core.errors import GumshoeError
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.planning import Costs, Strategy
from gumshoe.practice.cars import Car, drive
from gumshoe.practice.cures import cures
from gumshoe.practice.difficulty import Difficulty, difficulty_of
from gumshoe.practice.exercise import Exercise, read_exercise
from gumshoe.practice.heard import Drives
from gumshoe.practice.trainee import (
    Job,
    Mark,
    Technician,
    Truth,
    best_line,
    knowing_it,
    work_by,
)
from gumshoe.simulator.vehicle import Vehicle

NO_EXERCISE = 3
"""How the process ends that was asked for what makes no exercise."""
SCAN_MINUTES = 5.0
"""To plug in, read and look at it; of every line of work alike."""
BEST, FREQUENT, FLOOR = "best line", Strategy.FREQUENT.value, "knowing it from the start"


class NobodyWouldBringIt(GumshoeError):
    """The car shows nothing: no code, nothing that its driver feels."""

    kept = "Nothing was begun."
    remedies = ("drive it longer: add drives to the exercise", "choose another fault")


class NothingCuresIt(GumshoeError):
    """No repair of the tables reaches the fault."""

    kept = "Nothing was begun."
    remedies = ("choose another fault: of this one the trainer cannot tell whether it was mended",)


@dataclass(frozen=True)
class Line:
    """A way to work, played to its end on a copy of the car: what it took, and how likely the truth was said to be."""

    name: str
    minutes: float
    money: float
    right_first: bool
    cured: bool
    good_parts: int
    marks: tuple[Mark, ...]


@dataclass(frozen=True)
class Prepared:
    """An exercise that can be begun. ``state``: of the car; ``symptoms`` and ``lamp``: as its driver felt and saw them;
    ``truth``: of each fault the repairs that cure it."""

    state: dict[str, Any] = field(repr=False)
    symptoms: tuple[str, ...]
    lamp: str
    codes: tuple[str, ...]
    truth: tuple[tuple[str, ...], ...]
    lines: tuple[Line, ...]
    difficulty: Difficulty

    def line(self, name: str) -> Line:
        """One of the lines, by its name."""
        return next(row for row in self.lines if row.name == name)

    @property
    def cures(self) -> Truth:
        return tuple(map(frozenset, self.truth))


ADAPTER: TypeAdapter[Prepared] = TypeAdapter(Prepared)


def fresh(exercise: Exercise, *faults: str) -> Vehicle:
    """The car of an exercise with these faults, not driven."""
    car = exercise.kind
    coolant = car.coolant_c if exercise.coolant_c is None else exercise.coolant_c
    kind = Car(car.model, car.platform, car.vin, exercise.odometer_km or car.odometer_km, coolant)
    return kind.fresh(*faults, seed=exercise.seed)


def prepare(exercise: Exercise) -> Prepared:
    """Drive the car, and play the lines of work it will be compared with. Takes some twenty seconds. Raises
    ExerciseError for what cannot be, NobodyWouldBringIt and NothingCuresIt for what makes no exercise."""
    exercise.check()
    car = exercise.kind
    known = car.known
    truth = tuple(cures(fresh(exercise, name), known) for name in exercise.faults)
    if not all(truth):
        raise NothingCuresIt(f"“{exercise.title}”: no repair of the tables puts right what is wrong with this car.")
    vehicle, felt = fresh(exercise, *exercise.faults), car.felt(exercise.drives)
    felt.imagined = exercise.imagined
    drive(vehicle, felt, exercise.drives)
    state = vehicle.save()
    seen = _technician(exercise, state, truth, felt, known)
    codes = tuple(dict.fromkeys(item.code for item in seen.seen.engine.codes)) if seen.seen.engine else ()
    if exercise.faults and not seen.noticed:
        raise NobodyWouldBringIt(f"“{exercise.title}”: this car sets no code, and its driver feels nothing.")
    ways = {BEST: best_line, FREQUENT: work_by(Strategy.FREQUENT), FLOOR: knowing_it}
    lines = []
    for name, work in ways.items():
        man = _technician(exercise, state, truth, felt, known)
        work(man)
        lines.append(_line(name, man.job))
    found = seen.judged()
    return Prepared(
        state,
        felt.symptoms(),
        felt.lamp(vehicle),
        codes,
        tuple(tuple(sorted(ways)) for ways in truth),
        tuple(lines),
        difficulty_of(found, truth, codes, lines[0].marks),
    )


def _technician(exercise: Exercise, state: dict[str, Any], truth: Truth, felt: Drives, known: Knowledge) -> Technician:
    standing = fresh(exercise, *exercise.faults)
    standing.restore(deepcopy(state))
    specification = exercise.kind.described.specification
    return Technician(standing, known, specification, truth, deepcopy(felt), exercise.drives)


def _line(name: str, job: Job) -> Line:
    scan = Costs().of_minutes(SCAN_MINUTES)
    marks = tuple(
        Mark(row.minutes + SCAN_MINUTES, row.money + scan, row.kind, row.id, row.words, row.truth) for row in job.marks
    )
    sound = job.faults == 0  # then the right thing is to renew nothing
    right, cured = (not job.repairs, True) if sound else (job.first_time, job.cured or job.at_peace)
    return Line(name, job.minutes + SCAN_MINUTES, job.money + scan, right, cured, job.good_parts, marks)


def main() -> int:
    """An exercise file on standard input made ready, on standard output; or why it makes none."""
    try:
        told, code = ADAPTER.dump_json(prepare(read_exercise(sys.stdin.buffer.read()))), 0
    except GumshoeError as error:
        said = {"kind": type(error).__name__, "what": error.what, "kept": error.kept, "remedies": list(error.remedies)}
        told, code = json.dumps(said).encode(), NO_EXERCISE
    sys.stdout.buffer.write(told)
    return code


if __name__ == "__main__":
    sys.exit(main())
