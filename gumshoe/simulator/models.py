"""What a kind of car is built like: the sizes its physics and its control unit's calibration start from."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cache, cached_property
from pathlib import Path

from pydantic import TypeAdapter

REFERENCE_L = 1.598
"""The engine whose flows, areas and heats the others are scaled from."""


class Metering(StrEnum):
    """How the control unit knows its air."""

    FLOW = "flow"
    PRESSURE = "pressure"


@dataclass(frozen=True)
class Model:
    """One kind of car. Volumes in litres, areas in mm² (effective), masses in kg, speeds in km/h and 1/min.

    ``boost_kpa``: full boost of its turbocharger; ``cam_travel_deg``: how far its intake cam turns; ``sealed_tank``:
    the tank can be closed by a vent valve. Zero or false: it has none."""

    key: str
    words: str
    banks: tuple[tuple[int, ...], ...]
    firing_order: tuple[int, ...]
    displacement_l: float
    manifold_l: float
    inertia: float
    rail_kpa: float
    thermostat_c: float
    metering: Metering
    idle_rpm: float
    mass_kg: float
    rpm_per_kmh: tuple[float, ...]
    shift_kmh: tuple[float, ...]
    weakest_joint: int
    leak_scale: float = 1.0
    boost_kpa: float = 0.0
    cam_travel_deg: float = 0.0
    sealed_tank: bool = False
    points: dict[str, tuple[str, ...]] = field(default_factory=dict)

    @property
    def cylinders(self) -> int:
        return len(self.firing_order)

    @cached_property
    def size(self) -> float:
        """Displacement against the reference engine: flows, throttle and heat go with it."""
        return self.displacement_l / REFERENCE_L

    @cached_property
    def throttle_full_mm2(self) -> float:
        return 1500.0 * self.size

    @cached_property
    def throttle_seep_mm2(self) -> float:
        return 4.5 * self.size

    @cached_property
    def meter_full_gps(self) -> float:
        """Flow at which the air-flow meter's signal ends."""
        return 120.0 * self.size * self.breath

    @property
    def breath(self) -> float:
        """Full manifold pressure against the surroundings'."""
        return 1.0 + self.boost_kpa / 101.0

    @cached_property
    def members(self) -> tuple[tuple[int, ...], ...]:
        """Cylinders of each bank, counted from 0."""
        return tuple(tuple(n - 1 for n in bank) for bank in self.banks)

    @cached_property
    def bank_of(self) -> tuple[int, ...]:
        """Bank of each cylinder, both counted from 0."""
        return tuple(next(b for b, bank in enumerate(self.members) if n in bank) for n in range(self.cylinders))

    @property
    def flow_metered(self) -> bool:
        return self.metering is Metering.FLOW


@cache
def models() -> dict[str, Model]:
    """Every kind of car by key. Raises pydantic's ValidationError when the file does not fit."""
    raw = tomllib.loads(Path(__file__).with_name("models.toml").read_text(encoding="utf-8"))
    return {row.key: row for row in TypeAdapter(list[Model]).validate_python(raw["model"])}
