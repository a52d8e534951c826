"""Data that a stand-in's engine control unit tells by service 22 (ISO 14229-1 [S]): numbers and scaling of its own."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from gumshoe.simulator.vehicle import Vehicle

MISFIRES, CAM = 0x5100, 0x5200
TENTH = 10.0


@dataclass(frozen=True)
class Item:
    """One identifier: two bytes, signed or not, the value times ``factor``; ``key``: the channel's usual name."""

    key: str
    value: Callable[[Vehicle], float]
    factor: float = 1.0
    signed: bool = False

    def data(self, vehicle: Vehicle) -> bytes:
        """Its bytes now."""
        raw = round(self.value(vehicle) * self.factor)
        low, high = (-0x8000, 0x7FFF) if self.signed else (0, 0xFFFF)
        return min(max(raw, low), high).to_bytes(2, "big", signed=self.signed)


def items_of(vehicle: Vehicle) -> dict[int, Item]:
    """What this kind of car tells."""

    def misfires(cylinder: int) -> Item:
        return Item(f"misfire_c{cylinder + 1}", lambda car: car.memory.misfire_trip[cylinder])

    found = {MISFIRES + 1 + cylinder: misfires(cylinder) for cylinder in range(vehicle.model.cylinders)}
    if vehicle.model.cam_travel_deg:
        found[CAM + 1] = Item(
            "cam_intake_cmd_b1_deg", lambda car: car.management.state.cam_target_deg, TENTH, signed=True
        )
        found[CAM + 2] = Item("cam_intake_b1_deg", lambda car: car.engine.systems.cam_deg, TENTH, signed=True)
    return found
