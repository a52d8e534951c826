"""An exercise: a small file that says which car has which faults, and what there is to learn from it. Open JSON
(``docs/exercise-format.md``), so that it can be shared and written by hand."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from hashlib import sha256
from typing import Any, Literal

from pydantic import Field, TypeAdapter, ValidationError
from pydantic.dataclasses import dataclass as checked

from gumshoe.core.errors import GumshoeError
from gumshoe.core.words import readable
from gumshoe.practice.cars import CARS, USUAL_DRIVES, Car
from gumshoe.practice.heard import SYMPTOMS
from gumshoe.simulator.defects import defects_of
from gumshoe.simulator.drives import PROFILES

FORMAT: Literal["gumshoe-exercise"] = "gumshoe-exercise"
MOST_BYTES = 100_000
MOST_FAULTS, MOST_DRIVES = 2, 8


class ExerciseError(GumshoeError):
    """An exercise file cannot be used; names the place and the reason."""

    kept = "Nothing was taken in."
    remedies = ("compare the place with docs/exercise-format.md",)


@checked(frozen=True, config={"extra": "forbid"})
class Exercise:
    """One exercise. ``car``: the kind of stand-in; ``faults``: none, one or two of what such a car can have;
    ``drives``: what it has behind it; ``seed``: the same gives the same car and the same words. ``complaint``: what the
    customer tells in words of their own; empty, and it is told from what was felt. ``remarks``: what they add, needed
    or not; ``imagined``: what they feel, and the car does not do."""

    title: str = Field(min_length=1, max_length=80)
    car: str = ""
    faults: tuple[str, ...] = Field(default=(), max_length=MOST_FAULTS)
    seed: int = Field(default=1, ge=0, le=1_000_000_000)
    drives: tuple[str, ...] = Field(default=USUAL_DRIVES, min_length=1, max_length=MOST_DRIVES)
    odometer_km: float = Field(default=0.0, ge=0.0, le=2_000_000.0)
    coolant_c: float | None = Field(default=None, ge=-40.0, le=110.0)
    complaint: str = Field(default="", max_length=1500)
    remarks: tuple[str, ...] = Field(default=(), max_length=6)
    imagined: tuple[str, ...] = Field(default=(), max_length=4)
    recent_work: str = Field(default="", max_length=200)
    teaches: str = Field(default="", max_length=600)
    author: str = Field(default="", max_length=80)
    format: Literal["gumshoe-exercise"] = FORMAT
    version: Literal[1] = 1

    @property
    def kind(self) -> Car:
        """The kind of car. Raises ExerciseError for one that there is not."""
        found = next((row for row in CARS if row.model == self.car), None)
        if found is None:
            known = ", ".join(row.model for row in CARS)
            raise ExerciseError(f"car: there is no kind of car “{self.car}”; there are {known}.")
        return found

    @property
    def digest(self) -> str:
        """What makes the car: two exercises with the same are the same to work on."""
        car: tuple[object, ...] = (self.car, self.faults, self.seed, self.drives, self.odometer_km, self.coolant_c)
        car += (self.imagined,) if self.imagined else ()
        return sha256(repr(car).encode()).hexdigest()[:24]

    def check(self) -> Exercise:
        """Itself, when there is such a car with such faults and drives. Raises ExerciseError naming the place."""
        known = defects_of(self.kind.built)
        for place, name in enumerate(self.faults):
            if name not in known:
                raise ExerciseError(f"faults[{place}]: a “{self.car}” cannot have a fault “{name}”.")
        if len(set(self.faults)) < len(self.faults):
            raise ExerciseError("faults: the same fault twice is one.")
        for place, name in enumerate(self.drives):
            if name not in PROFILES:
                raise ExerciseError(f"drives[{place}]: there is no drive “{name}”; there are {', '.join(PROFILES)}.")
        for place, name in enumerate(self.imagined):
            if name not in SYMPTOMS:
                raise ExerciseError(f"imagined[{place}]: nobody here feels “{name}”; there are {', '.join(SYMPTOMS)}.")
        return self


_ADAPTER: TypeAdapter[Exercise] = TypeAdapter(Exercise)


def read_exercise(content: bytes) -> Exercise:
    """An exercise from its file. Raises ExerciseError with the place and the reason."""
    if len(content) > MOST_BYTES:
        raise ExerciseError(f"The file is larger than {MOST_BYTES // 1000} kB: it is no exercise.")
    try:
        raw = json.loads(content)
    except (ValueError, RecursionError) as error:
        raise ExerciseError(f"The file is no JSON: {error}.") from error
    if not isinstance(raw, dict) or raw.get("format") != FORMAT:
        raise ExerciseError(f"format: the file does not say that it is a “{FORMAT}”.")
    return exercise_of(raw)


def exercise_of(raw: dict[str, Any]) -> Exercise:
    """An exercise from plain values. Raises ExerciseError with the place and the reason."""
    try:
        found = _ADAPTER.validate_python(_readable(raw))
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(map(str, first["loc"])) or "the whole"
        raise ExerciseError(f"{place}: {first['msg']}.") from error
    return found.check()


def _readable(value: Any) -> Any:
    if isinstance(value, str):
        return readable(value)
    if isinstance(value, list | tuple):
        return [_readable(item) for item in value]
    return {key: _readable(item) for key, item in value.items()} if isinstance(value, dict) else value


def write_exercise(exercise: Exercise) -> str:
    """The file of an exercise: what was left as it is usually is left out."""
    usual = Exercise(title=exercise.title)
    kept = {
        key: value
        for key, value in asdict(exercise).items()
        if key in ("format", "version", "title", "car") or value != getattr(usual, key)
    }
    ordered = {
        key: kept[key] for key in ("format", "version", *(key for key in kept if key not in ("format", "version")))
    }
    return json.dumps(ordered, indent=2, ensure_ascii=False) + "\n"


def schema() -> dict[str, Any]:
    """The JSON Schema of the file."""
    return _ADAPTER.json_schema()


@dataclass(frozen=True)
class Course:
    """A course: exercises in the order in which they are best worked, and what they have in common."""

    id: str
    name: str
    teaches: str
    exercises: tuple[Exercise, ...]
