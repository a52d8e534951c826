"""What outlasts a stop of the stand-in, to a state file and back."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field, fields
from typing import Any

from pydantic import TypeAdapter

from gumshoe.simulator.car import Car
from gumshoe.simulator.memory import Memory
from gumshoe.simulator.parts import Parts


@dataclass
class Saved:
    """What outlasts a stop of the stand-in: the car's condition and the control unit's memory."""

    parts: dict[str, Any]
    memory: dict[str, Any]
    coolant_c: float
    intake_c: float
    catalyst_c: list[float]
    odometer_km: float
    fuel_level_pct: float
    clock_s: float
    chassis: dict[str, dict[str, Any]] = field(default_factory=dict)
    soot_g: float = 8.0
    charge_share: float = 1.0
    hybrid_charge: float = 0.6


def save(car: Car) -> dict[str, Any]:
    """Plain values for a state file."""
    state = car.engine.state
    sets = {name: sorted(value) for name, value in asdict(car.parts).items() if isinstance(value, set)}
    return asdict(
        Saved(
            asdict(car.parts) | sets,
            asdict(car.memory),
            state.coolant_c,
            state.intake_c,
            [exhaust.catalyst_c for exhaust in state.banks],
            car.odometer_km,
            car.fuel_level_pct,
            car.clock_s,
            {key: asdict(memory) for key, memory in car.chassis.items()},
            state.soot_g,
            car.charge_share,
            car.hybrid.charge if car.hybrid else 0.6,
        )
    )


def restore(car: Car, saved: dict[str, Any]) -> None:
    """Take over what ``save`` gave; raises pydantic's ValidationError when the values do not fit."""
    values = TypeAdapter(Saved).validate_python(saved)
    parts = TypeAdapter(Parts).validate_python(values.parts)
    memory = TypeAdapter(Memory).validate_python(values.memory)
    _take_over(car.parts, parts)
    _take_over(car.memory, memory)
    state = car.engine.state
    state.coolant_c, state.intake_c = values.coolant_c, values.intake_c
    for exhaust, celsius in zip(state.banks, values.catalyst_c, strict=True):
        exhaust.catalyst_c = celsius
    car.odometer_km, car.fuel_level_pct = values.odometer_km, values.fuel_level_pct
    state.soot_g, car.charge_share = values.soot_g, values.charge_share
    car.clock_s = car.looked_s = values.clock_s
    if car.hybrid:
        car.hybrid.charge = values.hybrid_charge
    for key, held in values.chassis.items():
        if key in car.chassis:
            for name, value in held.items():
                setattr(car.chassis[key], name, value)


def _take_over(target: Any, told: Any) -> None:
    for item in fields(told):
        setattr(target, item.name, getattr(told, item.name))
