"""What a kind of car is built like: the sizes its physics and its control unit's calibration start from."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cache, cached_property
from pathlib import Path
from typing import NamedTuple

from pydantic import TypeAdapter

REFERENCE_L = 1.598
"""The engine whose flows, areas and heats the others are scaled from."""


class Cam(NamedTuple):
    """A cam: ``intake`` or ``exhaust``, and the bank it is on."""

    which: str
    bank: int

    @property
    def valve(self) -> str:
        """Its oil control valve."""
        return f"{self.which}_phaser_valve" + (f"_b{self.bank}" if self.bank > 1 else "")


class Metering(StrEnum):
    """How the control unit knows its air."""

    FLOW = "flow"
    PRESSURE = "pressure"


class Spark(StrEnum):
    """What lights the charge."""

    COILS = "coil per plug"
    DISTRIBUTOR = "distributor"
    NONE = "none"


class Plate(StrEnum):
    """How the throttle is moved."""

    ELECTRONIC = "electronic"
    CABLE = "cable"


class Boxed(StrEnum):
    """What sort of gearbox it has."""

    MANUAL = "manual"
    AUTOMATIC = "automatic"


class Speech(StrEnum):
    """How its control units speak to a tester."""

    CLASSIC = "SAE J1979 on CAN"
    ON_UDS = "SAE J1979-2 on CAN"
    BEFORE_CAN = "ISO 14230-4"


@dataclass(frozen=True)
class Diesel:
    """What a compression-ignition engine has besides. ``squeeze_kpa``: rail pressure at idle and at full load;
    ``filter_soot_g``: the soot at which its filter is burnt free; ``most_mg``: fuel of a stroke at full load."""

    squeeze_kpa: tuple[float, float]
    most_mg: float
    filter_soot_g: float


@dataclass(frozen=True)
class Hybrid:
    """The electric half of a hybrid: the motor's power (kW), the battery's energy (kWh), and the speed (km/h) up to
    which it moves the car alone."""

    motor_kw: float
    battery_kwh: float
    alone_kmh: float


@dataclass(frozen=True)
class CarModel:
    """One kind of car. Volumes in litres, areas in mm² (effective), masses in kg, speeds in km/h and rpm.

    ``plug_gap_mm``: of a new plug; ``boost_kpa``: full boost of its turbocharger; ``cam_travel_deg``: how far its
    cams turn (``cams``: which of each bank); ``sealed_tank``: the tank can be closed by a vent valve; ``direct_kpa``:
    pressure that its high-pressure pump holds for direct injection; ``answers_s``: how long its control unit takes
    over each answer, ``one_at_a_time``: it takes a single PID in a request; ``narrow``: its upstream sensors only
    tell rich from lean; ``filtered``: a petrol engine with a particulate filter. Zero, empty or false: it has none of
    it."""

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
    plug_gap_mm: float = 0.75
    boost_kpa: float = 0.0
    cam_travel_deg: float = 0.0
    cams: tuple[str, ...] = ()
    sealed_tank: bool = False
    direct_kpa: float = 0.0
    ignition: Spark = Spark.COILS
    throttle: Plate = Plate.ELECTRONIC
    gearbox: Boxed = Boxed.MANUAL
    answers_s: float = 0.0
    one_at_a_time: bool = False
    narrow: bool = False
    filtered: bool = False
    speaks: Speech = Speech.CLASSIC
    points: dict[str, tuple[str, ...]] = field(default_factory=dict)
    compression: Diesel | None = None
    hybrid: Hybrid | None = None

    @cached_property
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

    @cached_property
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

    @cached_property
    def flow_metered(self) -> bool:
        return self.metering is Metering.FLOW

    # -- what the wires ask (wires.toml) ------------------------------------------------------------------

    @cached_property
    def pressure_sensed(self) -> bool:
        return self.metering is Metering.PRESSURE

    @cached_property
    def diesel(self) -> bool:
        return self.compression is not None

    @property
    def particulate_filter(self) -> bool:
        return self.diesel or self.filtered

    @cached_property
    def spark(self) -> bool:
        return not self.diesel

    @cached_property
    def electronic_throttle(self) -> bool:
        return self.spark and self.throttle is Plate.ELECTRONIC

    @property
    def pedal_sensed(self) -> bool:
        return self.throttle is Plate.ELECTRONIC

    @property
    def coil_per_plug(self) -> bool:
        return self.ignition is Spark.COILS

    @property
    def distributor(self) -> bool:
        return self.ignition is Spark.DISTRIBUTOR

    @property
    def rail_full_kpa(self) -> float:
        """Pressure of the injection's rail at full load; 0 for port injection."""
        return self.compression.squeeze_kpa[1] if self.compression else self.direct_kpa

    @cached_property
    def high_pressure(self) -> bool:
        return self.diesel or self.direct_kpa > 0.0

    @cached_property
    def stages(self) -> tuple[tuple[int, int], ...]:
        """Injectors that one boosted output stage drives: two that never inject at once. None where each has its own
        switch (port injection) or nobody stands half a cycle away."""
        half, odd = divmod(self.cylinders, 2)
        if odd or not self.high_pressure:
            return ()
        facing = zip(self.firing_order[:half], self.firing_order[half:], strict=True)
        return tuple(sorted((min(pair), max(pair)) for pair in facing))

    @property
    def intake_phaser(self) -> bool:
        return "intake" in self.cams

    @property
    def exhaust_phaser(self) -> bool:
        return "exhaust" in self.cams

    @property
    def boosted(self) -> bool:
        return self.boost_kpa > 0.0

    @cached_property
    def phasers(self) -> tuple[Cam, ...]:
        """Every cam that turns, bank by bank."""
        return tuple(Cam(which, bank) for bank in range(1, len(self.banks) + 1) for which in self.cams)


POINTS = ("low_reference", "reference", "feed", "ground")


def kind_of_point(point: str) -> str:
    """What a shared point of the car is, of those kinds: the beginning of its name; empty for what is none."""
    return next((kind for kind in POINTS if point == kind or point.startswith(f"{kind}_")), "")


@cache
def models() -> dict[str, CarModel]:
    """Every kind of car by key. Raises pydantic's ValidationError when the file does not fit."""
    raw = tomllib.loads(Path(__file__).with_name("models.toml").read_text(encoding="utf-8"))
    return {row.key: row for row in TypeAdapter(list[CarModel]).validate_python(raw["model"])}
