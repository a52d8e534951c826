"""The powertrain description: a few facts from which components, suspects, tests and the engine map follow."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from gumshoe.core.errors import BadInput

MAX_CYLINDERS = 12


class Fuel(StrEnum):
    PETROL = "petrol"
    DIESEL = "diesel"
    FLEX = "flex"
    HYBRID = "hybrid"


class Layout(StrEnum):
    IN_LINE = "in-line"
    V = "V"
    FLAT = "flat"


class Mounting(StrEnum):
    """How the crankshaft lies in the car."""

    ALONG = "along"
    ACROSS = "across"


class BankOneSide(StrEnum):
    """Where bank 1 lies: left or right in driving direction, or towards bumper (front) or bulkhead (rear).

    An in-line engine has its exhaust on that side. Also where the drive end (belt or chain, cylinder 1) points.
    """

    LEFT = "left"
    RIGHT = "right"
    FRONT = "front"
    REAR = "rear"


SIDES_OF_CAR = frozenset({BankOneSide.LEFT, BankOneSide.RIGHT})


class Numbering(StrEnum):
    """How cylinders are numbered over two banks: all of bank 1 first, or odd and even in turn."""

    BANK_BY_BANK = "bank by bank"
    ALTERNATING = "alternating"


class Induction(StrEnum):
    NATURAL = "natural"
    TURBO = "turbo"
    SUPERCHARGER = "supercharger"


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
    WASTED_SPARK = "wasted spark"
    DISTRIBUTOR = "distributor"
    NONE = "none"


class Phasers(StrEnum):
    """Which cams can be turned against the crank."""

    NONE = "none"
    INTAKE = "intake"
    EXHAUST = "exhaust"
    BOTH = "both"


class Throttle(StrEnum):
    ELECTRONIC = "electronic"
    CABLE = "cable"
    NONE = "none"


class Evap(StrEnum):
    """How the evaporative system finds a leak: not at all, by the engine's vacuum, or with a pump of its own."""

    NONE = "none"
    PURGE_ONLY = "purge only"
    VACUUM = "engine vacuum"
    PUMP = "leak detection pump"


class Aftertreatment(StrEnum):
    CATALYST = "catalyst"
    PARTICULATE_FILTER = "particulate filter"
    NOX_TRAP = "NOx trap"
    REDUCTANT = "reductant injection"


class Gearbox(StrEnum):
    MANUAL = "manual"
    AUTOMATIC = "automatic with torque converter"
    DUAL_CLUTCH = "dual clutch"
    CVT = "continuously variable"


@dataclass(frozen=True)
class Powertrain:
    """What kind of powertrain this is. ``displacement_l`` in litres; ``firing_order`` cylinder numbers from 1.

    Raises BadInput when the facts cannot be true together.
    """

    fuel: Fuel = Fuel.PETROL
    cylinders: int = 4
    layout: Layout = Layout.IN_LINE
    mounting: Mounting = Mounting.ACROSS
    bank_1: BankOneSide = BankOneSide.REAR
    drive_end: BankOneSide = BankOneSide.RIGHT
    numbering: Numbering = Numbering.BANK_BY_BANK
    firing_order: tuple[int, ...] = (1, 3, 4, 2)
    displacement_l: float = 1.6
    induction: Induction = Induction.NATURAL
    air_metering: AirMetering = AirMetering.FLOW
    injection: Injection = Injection.PORT
    ignition: Ignition = Ignition.COIL_PER_PLUG
    cams_per_bank: int = 2
    phasers: Phasers = Phasers.NONE
    throttle: Throttle = Throttle.ELECTRONIC
    egr: bool = False
    secondary_air: bool = False
    evap: Evap = Evap.VACUUM
    aftertreatment: tuple[Aftertreatment, ...] = (Aftertreatment.CATALYST,)
    gearbox: Gearbox = Gearbox.MANUAL

    def __post_init__(self) -> None:
        for wrong, what, remedy in self._contradictions():
            if wrong:
                raise BadInput(what, remedies=(remedy,))

    def _contradictions(self) -> tuple[tuple[bool, str, str], ...]:
        diesel, along = self.fuel is Fuel.DIESEL, self.mounting is Mounting.ALONG
        return (
            (
                not 1 <= self.cylinders <= MAX_CYLINDERS,
                f"{self.cylinders} cylinders cannot be.",
                f"give a number from 1 to {MAX_CYLINDERS}",
            ),
            (
                self.banks == 2 and self.cylinders % 2 == 1,
                f"A {self.layout} engine with {self.cylinders} cylinders has unequal banks.",
                "give an even number of cylinders, or choose in-line",
            ),
            (
                sorted(self.firing_order) != list(range(1, self.cylinders + 1)),
                f"The firing order {self.firing_words} does not name each of the {self.cylinders} cylinders once.",
                "give each cylinder's number once, with a dash between",
            ),
            (
                (self.bank_1 in SIDES_OF_CAR) != along,
                f"Bank 1 cannot be at the {self.bank_1} of an engine mounted {self.mounting}.",
                "left or right for an engine along the car, front or rear for one across it",
            ),
            (
                (self.drive_end in SIDES_OF_CAR) == along,
                f"The drive end cannot be at the {self.drive_end} of an engine mounted {self.mounting}.",
                "front or rear for an engine along the car, left or right for one across it",
            ),
            (
                diesel and self.ignition is not Ignition.NONE,
                "A diesel has no spark ignition.",
                "set the ignition to none",
            ),
            (
                not diesel and self.ignition is Ignition.NONE,
                "A spark engine needs an ignition.",
                "choose the kind of ignition",
            ),
            (
                diesel != (self.injection is Injection.COMMON_RAIL),
                f"{self.injection.capitalize()} injection and {self.fuel} do not go together here.",
                "common rail for a diesel, port or direct for a spark engine",
            ),
            (
                not 0.05 <= self.displacement_l <= 20.0,
                f"{self.displacement_l} litres cannot be.",
                "give the displacement in litres, such as 1.6",
            ),
        )

    @property
    def banks(self) -> int:
        """In-line engines have one bank, V and flat engines two."""
        return 1 if self.layout is Layout.IN_LINE else 2

    @property
    def cams(self) -> tuple[str, ...]:
        """The cams whose angle is watched, per bank: the exhaust cam only where it can be turned."""
        watched = self.phasers in (Phasers.EXHAUST, Phasers.BOTH) and self.cams_per_bank > 1
        return ("intake", "exhaust") if watched else ("intake",)

    @property
    def firing_words(self) -> str:
        return "-".join(str(number) for number in self.firing_order)

    @property
    def has_trims(self) -> bool:
        """Whether its mixture is trimmed: a diesel's is not."""
        return self.ignition is not Ignition.NONE

    @property
    def features(self) -> frozenset[str]:
        """The words that the knowledge tables' ``needs`` are written in."""
        found = {f"{self.injection} injection", f"{self.throttle} throttle", self.induction.value, self.ignition.value}
        found |= {item.value for item in self.aftertreatment} | {self.fuel.value, self.gearbox.value}
        return frozenset(found | {name for name, held in self._told.items() if held})

    @property
    def _told(self) -> dict[str, bool]:
        """The features that are not simply one of a list's words, and whether it has them."""
        return {
            "spark": self.ignition is not Ignition.NONE,
            "ignition leads": self.ignition not in (Ignition.COIL_PER_PLUG, Ignition.NONE),
            "petrol": self.fuel is not Fuel.DIESEL,
            "petrol only": self.fuel not in (Fuel.DIESEL, Fuel.FLEX),
            "flow metered": self.air_metering is not AirMetering.PRESSURE,
            "pressure metered": self.air_metering is not AirMetering.FLOW,
            "pressure metered only": self.air_metering is AirMetering.PRESSURE,
            "boosted": self.induction is not Induction.NATURAL,
            "throttle": self.throttle is not Throttle.NONE,
            "intake phaser": self.phasers in (Phasers.INTAKE, Phasers.BOTH),
            "exhaust phaser": self.phasers in (Phasers.EXHAUST, Phasers.BOTH),
            "phaser": self.phasers is not Phasers.NONE,
            "egr": self.egr,
            "secondary air": self.secondary_air,
            "purge": self.evap is not Evap.NONE and self.fuel is not Fuel.DIESEL,
            "leak monitored": self.evap in (Evap.VACUUM, Evap.PUMP),
            "leak pump": self.evap is Evap.PUMP,
            "self-shifting": self.gearbox is not Gearbox.MANUAL,
            "two banks": self.banks == 2,
            "high-pressure injection": self.injection is not Injection.PORT,
            "alternator": self.fuel is not Fuel.HYBRID,
            "starter": self.fuel is not Fuel.HYBRID,
            "vacuum booster": self.fuel is not Fuel.HYBRID,
        }

    @property
    def words(self) -> str:
        """One line for the screen."""
        parts = [
            f"{self.displacement_l:.1f} L {self.layout} {self.cylinders}",
            "" if self.induction is Induction.NATURAL else self.induction.value,
            self.fuel.value,
            f"{self.injection} injection",
            "air flow and pressure metered"
            if self.air_metering is AirMetering.BOTH
            else f"air {self.air_metering} metered",
            "" if self.ignition is Ignition.NONE else self.ignition.value,
        ]
        return ", ".join(part for part in parts if part)

    @property
    def caution(self) -> str:
        """The id of the caution this powertrain carries everywhere, or empty."""
        return "high_voltage" if self.fuel is Fuel.HYBRID else ""


def every_feature() -> frozenset[str]:
    """Every word that some powertrain's ``features`` can hold."""
    listed = (Induction, Ignition, Aftertreatment, Fuel, Gearbox)
    found = {item.value for kind in listed for item in kind} | set(Powertrain()._told)
    return frozenset(found | {f"{item} injection" for item in Injection} | {f"{item} throttle" for item in Throttle})


USUAL_FIRING_ORDERS: dict[tuple[str, int, str], tuple[int, ...]] = {
    ("in-line", 4, ""): (1, 3, 4, 2),
    ("in-line", 5, ""): (1, 2, 4, 5, 3),
    ("in-line", 6, ""): (1, 5, 3, 6, 2, 4),
    ("flat", 4, ""): (1, 3, 2, 4),
    ("flat", 6, ""): (1, 6, 2, 4, 3, 5),
    ("V", 6, "bank by bank"): (1, 4, 3, 6, 2, 5),
    ("V", 6, "alternating"): (1, 2, 3, 4, 5, 6),
    ("V", 8, "bank by bank"): (1, 5, 4, 8, 6, 3, 7, 2),
    ("V", 8, "alternating"): (1, 8, 4, 3, 6, 5, 7, 2),
    ("V", 10, "bank by bank"): (1, 6, 5, 10, 2, 7, 3, 8, 4, 9),
    ("V", 12, "bank by bank"): (1, 7, 5, 11, 3, 9, 6, 12, 2, 8, 4, 10),
}
"""Orders met most often (common practice); the vehicle's own stands in its service information."""


def usual_firing_order(layout: str, cylinders: int, numbering: str) -> tuple[int, ...]:
    """The order met most often for such an engine; plain counting where none is usual."""
    for key in ((layout, cylinders, numbering), (layout, cylinders, "")):
        if key in USUAL_FIRING_ORDERS:
            return USUAL_FIRING_ORDERS[key]
    return tuple(range(1, cylinders + 1))


def usual(facts: Mapping[str, Any]) -> dict[str, Any]:
    """The same facts, with what was left out filled in as it usually is for such a fuel, layout and mounting."""
    known = {key: value for key, value in facts.items() if value not in (None, "")}
    diesel = known.get("fuel") == "diesel"
    if diesel:
        filled: dict[str, Any] = {
            "injection": "common rail",
            "ignition": "none",
            "induction": "turbo",
            "air_metering": "both",
            "evap": "none",
            "egr": True,
            "aftertreatment": ("catalyst", "particulate filter"),
        }
    else:
        filled = {"injection": "port", "ignition": "coil per plug", "evap": "engine vacuum"}
    two_banks = known.get("layout", "in-line") != "in-line"
    filled["mounting"] = known.get("mounting", "along" if two_banks else "across")
    filled["bank_1"] = "left" if filled["mounting"] == "along" else "rear"
    filled["drive_end"] = "front" if filled["mounting"] == "along" else "right"
    filled["numbering"] = known.get("numbering", "bank by bank")
    cylinders = known.get("cylinders", 4)
    if isinstance(cylinders, int):
        layout = str(known.get("layout", "in-line"))
        filled["firing_order"] = usual_firing_order(layout, cylinders, str(filled["numbering"]))
    return filled | known
