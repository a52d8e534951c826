"""The cars that are practised on: eight kinds, each with its description in the tables, and what a fault does to one in
two mixed drives."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from gumshoe.core.knowledge.catalogue import Knowledge, expand
from gumshoe.core.knowledge.platform import Platform, platforms
from gumshoe.practice.heard import Drives, Seconds
from gumshoe.simulator.defects import defects_of, part_defects
from gumshoe.simulator.drives import PROFILES
from gumshoe.simulator.models import CarModel, models
from gumshoe.simulator.vehicle import Identity, Vehicle

USUAL_DRIVES = ("mixed", "mixed")
"""What shows most faults to most control units."""


@dataclass(frozen=True)
class Car:
    """One car of the benchmark: its kind, platform, odometer, and the coolant temperature it was found at."""

    model: str
    platform: str
    vin: str
    odometer_km: float
    coolant_c: float

    @property
    def built(self) -> CarModel:
        return models()[self.model]

    @property
    def described(self) -> Platform:
        return platforms()[self.platform]

    @property
    def known(self) -> Knowledge:
        return expand(self.described.powertrain, self.described.local)

    @property
    def defects(self) -> tuple[str, ...]:
        """Every fault of a part that the stand-in can have, whether or not a suspect is named after it."""
        return tuple(row.key for row in part_defects(self.built))

    @property
    def wires(self) -> tuple[str, ...]:
        """Every fault of a wire, plug or terminal that it can have."""
        parts = set(self.defects)
        return tuple(key for key in defects_of(self.built) if key not in parts)

    def fresh(self, *defects: str, seed: int) -> Vehicle:
        """The car with these defects, not driven."""
        return Vehicle(
            Identity(self.vin, "B", 1),
            self.built,
            defects=defects,
            seed=seed,
            coolant_c=self.coolant_c,
            odometer_km=self.odometer_km,
        )

    def driven(self, *defects: str, seed: int) -> tuple[dict[str, Any], Drives]:
        """The state of the car with these defects after two mixed drives, and what was felt in them."""
        car, felt = self.fresh(*defects, seed=seed), self.felt()
        drive(car, felt)
        return car.save(), felt

    def felt(self, drives: tuple[str, ...] = USUAL_DRIVES) -> Drives:
        """Nothing felt yet, by a driver who knows a sound car of this kind on these drives."""
        return Drives(defaultdict(float, _usual(self, drives)))


@lru_cache(maxsize=64)
def _usual(car: Car, drives: tuple[str, ...]) -> Seconds:
    """What is felt in a sound car of the kind on these drives, in seconds."""
    felt = Drives()
    drive(car.fresh(seed=0), felt, drives)
    return felt.felt


def drive(car: Vehicle, felt: Drives, drives: tuple[str, ...] = USUAL_DRIVES) -> None:
    """Drive it, and feel how it goes."""
    for name in drives:
        car.begin(PROFILES[name])
        while car.driving:
            car.step()
            felt.watch(car)


CARS = (
    Car("tern_16", "ostrel_tern_16", "UY0TN16A9E2004417", 61_000.0, 64.0),
    Car("dunlin_30", "ostrel_dunlin_30", "UY0DN30A5F2000214", 131_000.0, 21.0),
    Car("skua_14", "havsel_skua_14", "UY3SK14A3J2000416", 72_000.0, 50.0),
    Car("pipit_10", "havsel_pipit_10", "UY3PP10A6H2000935", 92_000.0, 40.0),
    Car("gannet_52", "ostrel_gannet_52", "UY0GN52A6D2000418", 168_000.0, 30.0),
    Car("fulmar_20", "ostrel_fulmar_20", "UY0FM20A3K2000731", 143_000.0, 40.0),
    Car("eider_50", "ostrel_eider_50", "UY0ED50B312000118", 231_000.0, 50.0),
    Car("plover_18", "havsel_plover_18", "UY3PV18A1M2000264", 58_000.0, 40.0),
)
"""Eight kinds: a four with an air-flow meter, a V6 with four phasers, a turbocharged four with direct injection and a
sealed tank, a three metered by manifold pressure, a V8 with a coil ground for each bank, a turbo-diesel, an older V8
with a distributor, a hybrid."""
