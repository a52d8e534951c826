"""The courses, the cars that are drawn, and how hard each was measured to be."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from random import Random

from pydantic import TypeAdapter

from gumshoe.core.knowledge.systems import SystemRow, system_of, systems
from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.knowledge.values import Row
from gumshoe.practice.cars import CARS, USUAL_DRIVES, Car
from gumshoe.practice.difficulty import Difficulty
from gumshoe.practice.exercise import Course, Exercise, ExerciseError
from gumshoe.simulator.defects import defects_of

FIGURES = Path(__file__).parent / "figures.json"
COLD, LONG, SHAKEN = (
    ("mixed", "cold", "mixed", "cold", "mixed"),
    ("mixed", "motorway") * 2,
    ("mixed", "town", "hill", "mixed"),
)
"""Drives on which a tank is tested, a filter loads, a loose wire parts."""
ANY = ""
SOUND_SHARE, PAIR_SHARE = 0.06, 0.15
"""Of the cars that are drawn so many have nothing wrong, and so many two faults."""


BELONGS = {
    "fuel": ("fuel", "fuel_filter", "fuel_pressure_regulator", "injectors", "high_pressure_pump"),
    "air": (
        "air_filter", "intake_duct", "crankcase_ventilation_hose", "brake_booster_hose", "intake_manifold_gasket",
        "throttle_body", "idle_valve",
    ),
    "ignition": ("spark_plug", "spark_plugs", "crank_wheel"),
    "phasing": ("timing_chain", "engine_oil"),
    "boost": ("charge_pipes", "turbo", "turbo_actuator"),
    "lambda": ("exhaust_manifold_gasket",),
    "evaporative": ("filler_cap", "evaporative_lines", "canister"),
    "communication": ("bus_bus",),
    "charging": ("main_ground", "feed", "ground", "reference", "glow_plug", "traction_battery", "converter"),
}  # fmt: skip
"""Which system the parts belong to that stand in no diagram; shared feeds, grounds and references by how they begin."""
_SYSTEM = {part: name for name, parts in BELONGS.items() for part in parts}


@dataclass(frozen=True)
class CoursesFile(Row):
    course: tuple[Course, ...]


@cache
def courses() -> dict[str, Course]:
    """Every course by id. Raises DataError with file and line, ExerciseError for a car that cannot be."""
    found = {row.id: row for row in load_table(Path(__file__).parent / "courses.toml", CoursesFile).course}
    for course in found.values():
        for exercise in course.exercises:
            exercise.check()
    return found


@cache
def measured() -> dict[str, Difficulty]:
    """How hard the exercises of the courses are, by their digest, as ``benchmarks/practice.py`` found it."""
    if not FIGURES.exists():
        return {}
    raw = json.loads(FIGURES.read_text(encoding="utf-8"))
    return TypeAdapter(dict[str, Difficulty]).validate_python({key: row["difficulty"] for key, row in raw.items()})


# -- drawn ------------------------------------------------------------------------------------------------


def practised_systems() -> tuple[SystemRow, ...]:
    """The systems in which some car can have a fault."""
    held = {name for car in CARS for name in _faults_by_system(car.model)}
    return tuple(row for row in systems().values() if row.id in held)


@cache
def _faults_by_system(model: str) -> dict[str, tuple[str, ...]]:
    """The faults of a kind of car by the system their part belongs to: of its parts, not of each wire."""
    car = next(row for row in CARS if row.model == model)
    known, rows, found = car.known, defects_of(car.built), dict[str, list[str]]()
    for name in car.defects:
        component = rows[name].component
        part = known.components.get(component)
        system = system_of(part.row.id) if part else None
        bare = re.sub(r"(_b?\d+)+$", "", component)
        own = system.id if system else _SYSTEM.get(bare) or _SYSTEM.get(bare.partition("_")[0], "")
        if own:
            found.setdefault(own, []).append(name)
    return {key: tuple(names) for key, names in found.items()}


def system_of_fault(model: str, fault: str) -> str:
    """The system a fault belongs to; empty where it belongs to none."""
    held = _faults_by_system(model)
    return next((key for key, names in held.items() if fault in names), "")


def drawn(seed: int, system: str = ANY, model: str = ANY) -> Iterator[Exercise]:
    """Exercises for a seed, one after the other, each another car: whoever asks takes the first that can be begun and
    is as hard as wished. Raises ExerciseError where no car has such a system."""
    luck = Random(f"{seed} {system} {model}")
    cars = [car for car in CARS if model in (ANY, car.model) and (not system or system in _faults_by_system(car.model))]
    if not cars:
        raise ExerciseError("car: no such kind of car has a fault in that system.", remedies=("choose another car",))
    number = 0
    while True:
        car = luck.choice(cars)
        faults = _faults(luck, car, system)
        number += 1
        yield Exercise(
            title=f"Drawn {seed}, car {number}",
            car=car.model,
            faults=faults,
            seed=luck.randrange(1_000_000),
            drives=drives_for(car, faults),
            odometer_km=float(round(car.odometer_km * luck.uniform(0.6, 1.5), -1)),
        )


def _faults(luck: Random, car: Car, system: str) -> tuple[str, ...]:
    chance = luck.random()
    if not system and chance < SOUND_SHARE:
        return ()
    held = _faults_by_system(car.model)
    of_system = held[system] if system else tuple(name for names in held.values() for name in names)
    first = luck.choice(of_system)
    if chance > 1.0 - PAIR_SHARE:
        part = defects_of(car.built)[first].component
        others = [name for name in car.defects if defects_of(car.built)[name].component != part]
        return first, luck.choice(others)
    return (first,)


def drives_for(car: Car, faults: tuple[str, ...]) -> tuple[str, ...]:
    """Drives on which the control unit would see it."""
    if any(name.endswith(("-vibration", "-heat", "-moisture")) for name in faults):
        return SHAKEN
    if any("evap" in system_of_fault(car.model, name) for name in faults):
        return COLD
    return LONG if car.built.diesel else USUAL_DRIVES
