"""Which repairs cure a stand-in: found by carrying each out in the physics, whatever anybody calls the fault."""

from __future__ import annotations

from copy import deepcopy
from dataclasses import fields

from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.simulator.parts import Parts, healthy
from gumshoe.simulator.vehicle import Vehicle

PASSING = frozenset({"ash_g", "apart", "acting"})
"""What changes as a car is driven, and is no fault of its own; of ash so much."""
ASH_G = 60.0


def renew(car: Vehicle, parts: Parts) -> None:
    """Give the car those parts; in place, since engine and wires look at the same ones."""
    for item in fields(parts):
        setattr(car.parts, item.name, getattr(parts, item.name))


def is_sound(car: Vehicle) -> bool:
    """Whether nothing is left wrong."""
    good = healthy(car.model)
    return car.parts.ash_g < ASH_G and all(
        repr(getattr(car.parts, item.name)) == repr(getattr(good, item.name))
        for item in fields(good)
        if item.name not in PASSING
    )


def cures(car: Vehicle, known: Knowledge) -> frozenset[str]:
    """The repairs that alone leave nothing wrong with this car, which is as it was afterwards; none where our tables
    know no repair that reaches the fault."""
    found = set()
    ill = deepcopy(car.parts)
    for name, row in known.repairs.items():
        if car.carry_out(row.component, known.reached_by(name), work=row.work):
            if is_sound(car):
                found.add(name)
            renew(car, deepcopy(ill))
    return frozenset(found)
