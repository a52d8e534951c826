"""The powertrain description: a few facts from which components, suspects and tests follow."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Fuel(StrEnum):
    PETROL = "petrol"
    DIESEL = "diesel"


class Induction(StrEnum):
    NATURAL = "natural"
    TURBO = "turbo"


class AirMetering(StrEnum):
    FLOW = "flow"
    PRESSURE = "pressure"
    BOTH = "both"


class Injection(StrEnum):
    PORT = "port"
    DIRECT = "direct"
    COMMON_RAIL = "common rail"


class Ignition(StrEnum):
    COIL_PER_PLUG = "coil per plug"
    COIL_PACK = "coil pack"
    DISTRIBUTOR = "distributor"
    NONE = "none"


class Throttle(StrEnum):
    ELECTRONIC = "electronic"
    CABLE = "cable"


@dataclass(frozen=True)
class Powertrain:
    """What kind of engine this is. ``displacement_l`` in litres; ``firing_order`` cylinder numbers from 1."""

    fuel: Fuel = Fuel.PETROL
    cylinders: int = 4
    layout: str = "in-line"
    banks: int = 1
    firing_order: tuple[int, ...] = (1, 3, 4, 2)
    displacement_l: float = 1.6
    induction: Induction = Induction.NATURAL
    air_metering: AirMetering = AirMetering.FLOW
    injection: Injection = Injection.PORT
    ignition: Ignition = Ignition.COIL_PER_PLUG
    throttle: Throttle = Throttle.ELECTRONIC

    @property
    def features(self) -> frozenset[str]:
        """The words that the knowledge tables' ``needs`` are written in."""
        found = {self.fuel.value, f"{self.injection.value} injection", f"{self.throttle.value} throttle"}
        found.add(self.ignition.value)
        if self.ignition is not Ignition.NONE:
            found.add("spark")
        if self.air_metering in (AirMetering.FLOW, AirMetering.BOTH):
            found.add("flow metered")
        return frozenset(found)

    @property
    def words(self) -> str:
        """One line for the screen."""
        return (
            f"{self.displacement_l:.1f} L {self.layout} {self.cylinders}, {self.fuel.value}, "
            f"{self.injection.value} injection, air {self.air_metering.value} metered, {self.ignition.value}"
        )
