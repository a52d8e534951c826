"""Data that a stand-in's engine control unit tells by service 22 (ISO 14229-1 [S]): numbers and scaling of its own."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from gumshoe.simulator.car import Car
from gumshoe.simulator.diesel_control import DieselManagement, DieselState
from gumshoe.simulator.models import Speech

MISFIRES, CAM, BALANCE, FILTER = 0x5100, 0x5200, 0x5300, 0x5400
TENTH = 10.0


@dataclass(frozen=True)
class Item:
    """One identifier: two bytes, signed or not, the value times ``factor``; ``key``: the channel's usual name."""

    key: str
    value: Callable[[Car], float]
    factor: float = 1.0
    signed: bool = False

    def data(self, vehicle: Car) -> bytes:
        """Its bytes now."""
        raw = round(self.value(vehicle) * self.factor)
        low, high = (-0x8000, 0x7FFF) if self.signed else (0, 0xFFFF)
        return min(max(raw, low), high).to_bytes(2, "big", signed=self.signed)


def items_of(vehicle: Car) -> dict[int, Item]:
    """What this kind of car tells; one from before CAN nothing."""
    if vehicle.model.speaks is Speech.BEFORE_CAN:
        return {}

    def misfires(cylinder: int) -> Item:
        return Item(f"misfire_c{cylinder + 1}", lambda car: car.memory.misfire_trip[cylinder])

    def angle(place: int, wanted: bool) -> Callable[[Car], float]:
        if wanted:
            return lambda car: car.management.state.cam_targets_deg[place]
        return lambda car: car.readings.cams[place] if car.readings.cams else 0.0

    found = {MISFIRES + 1 + cylinder: misfires(cylinder) for cylinder in range(vehicle.model.cylinders)}
    if vehicle.model.diesel:
        found |= _diesel_items(vehicle.model.cylinders)
    for place, cam in enumerate(vehicle.model.phasers):
        number = CAM + 1 + 2 * place
        found[number] = Item(f"cam_{cam.which}_cmd_b{cam.bank}_deg", angle(place, True), TENTH, signed=True)
        found[number + 1] = Item(f"cam_{cam.which}_b{cam.bank}_deg", angle(place, False), TENTH, signed=True)
    return found


def _diesel_items(cylinders: int) -> dict[int, Item]:
    """Particulate filter and even running."""

    def correction(cylinder: int) -> Item:
        def told(car: Car) -> float:
            diesel = diesel_of(car)
            return diesel.balance[cylinder] * diesel.mg

        return Item(f"injector_correction_c{cylinder + 1}_mg", told, 100.0, signed=True)

    found = {BALANCE + 1 + n: correction(n) for n in range(cylinders)}
    for place, (key, value, factor) in enumerate(
        (
            ("soot_g", lambda car: car.memory.soot_model_g, TENTH),
            ("ash_g", lambda car: car.memory.ash_model_g, TENTH),
            ("regeneration_km", lambda car: car.memory.filter_km, TENTH),
            ("regenerations", lambda car: car.memory.regenerations, 1.0),
            ("regenerations_broken", lambda car: car.memory.regenerations_broken, 1.0),
            ("regenerating", lambda car: float(diesel_of(car).regenerating), 1.0),
        )
    ):
        found[FILTER + 1 + place] = Item(key, value, factor)
    return found


def diesel_of(vehicle: Car) -> DieselState:
    """The diesel's part of a control unit's state."""
    management = vehicle.management
    assert isinstance(management, DieselManagement)
    return management.diesel
