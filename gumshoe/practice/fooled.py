"""An exercise made of a real case: the stand-in of the same kind with a fault that the same repair puts right."""

from __future__ import annotations

from collections.abc import Sequence
from random import Random

from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.platform import platforms
from gumshoe.practice.cars import CARS, Car
from gumshoe.practice.courses import drives_for
from gumshoe.practice.cures import is_sound
from gumshoe.practice.exercise import Exercise

ROUNDED_KM = 5000
"""To so many kilometres the odometer is told: whose car it was is nobody's business."""


def exercise_like(platform: str, repairs: Sequence[str], odometer_km: int | None, *, seed: int) -> Exercise:
    """Of the repairs that were carried out, the last that a stand-in of the nearest kind can need. Raises BadInput
    where there is none."""
    for repair in reversed(repairs):
        for car in nearest(platform):
            fault = fault_mended_by(car, repair, seed)
            if fault:
                km = round((odometer_km or car.odometer_km) / ROUNDED_KM) * ROUNDED_KM
                return Exercise(
                    title="The fault that fooled us",
                    car=car.model,
                    faults=(fault,),
                    seed=seed,
                    drives=drives_for(car, (fault,)),
                    odometer_km=float(km),
                    teaches="It was worked here before, on a customer's car.",
                )
    raise BadInput(
        "No stand-in can have a fault that this repair puts right.",
        kept="The case is as it was.",
        remedies=("write the exercise by hand (docs/exercise-format.md)",),
    )


def nearest(platform: str) -> list[Car]:
    """The kinds of car, the likest first: the same, then those that burn the same fuel."""
    own = platforms().get(platform)
    fuel = own.powertrain.fuel if own else None
    return sorted(CARS, key=lambda car: (car.platform != platform, car.described.powertrain.fuel != fuel))


def fault_mended_by(car: Car, repair: str, seed: int) -> str:
    """A fault of this kind of car that the repair alone puts right, one of several by the seed; empty where none is."""
    row = car.known.repairs.get(repair)
    if row is None:
        return ""
    found = []
    for name in car.defects:
        ill = car.fresh(name, seed=1)
        if ill.carry_out(row.component, car.known.reached_by(repair), work=row.work) and is_sound(ill):
            found.append(name)
    return Random(seed).choice(found) if found else ""
