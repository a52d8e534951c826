"""What the fields of the tables may hold: numbers within reason, shares that sum to one, and names of other rows.

A field that names a row of another table says which (``Refers``), so that one checker can follow them all
(``references.py``). A key that a row's class does not have is refused.
"""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from typing import Annotated, Any, ClassVar, Literal

from pydantic import AfterValidator, Field

MISFIRE: Literal["misfire"] = "misfire"
"""The graded clue of which cylinders misfire; its bins are ``powertrain.misfires.Spread``."""
LONGEST_MINUTES, DEAREST, HIGHEST_RATE, STEEPEST = 1440, 100_000, 50.0, 4.0
"""A day; in the shop's currency; shares of a base rate; powers of distance and years. Beyond them is a slip."""


class Row:
    """A row or a file of a table: unknown keys are refused, and numbers that are none."""

    __pydantic_config__: ClassVar[dict[str, Any]] = {"extra": "forbid", "allow_inf_nan": False}


@dataclass(frozen=True)
class Refers:
    """Marks a text as the name of something told elsewhere; ``to`` is one of the kinds of ``core/validation.py``."""

    to: str


def _sums_to_one(table: dict[str, float]) -> dict[str, float]:
    if abs(sum(table.values()) - 1.0) > 1e-6:
        raise ValueError(f"a distribution sums to {sum(table.values()):.4f}, not to 1")
    return table


def _ascends(pair: tuple[float, float]) -> tuple[float, float]:
    if pair[0] > pair[1]:
        raise ValueError(f"a range from {pair[0]:g} to {pair[1]:g} is empty")
    return pair


Words = Annotated[str, Field(min_length=1)]
Number = Annotated[float, Field(strict=True)]
Count = Annotated[int, Field(strict=True, ge=0)]
Chance = Annotated[float, Field(strict=True, ge=0.0, le=1.0)]
Rate = Annotated[float, Field(strict=True, ge=0.0, le=HIGHEST_RATE)]
Factor = Annotated[float, Field(strict=True, ge=0.2, le=5.0)]
"""How many times as often."""
Power = Annotated[float, Field(strict=True, ge=0.0, le=STEEPEST)]
Minutes = Annotated[float, Field(strict=True, ge=0.0, le=LONGEST_MINUTES)]
WholeMinutes = Annotated[int, Field(strict=True, ge=0, le=LONGEST_MINUTES)]
Amount = Annotated[float, Field(strict=True, ge=0.0)]
Money = Annotated[Decimal, Field(ge=0, le=DEAREST)]
Range = Annotated[tuple[Number, Number], AfterValidator(_ascends)]
Byte2 = Annotated[int, Field(strict=True, ge=0, le=0xFFFF)]
"""An identifier of two bytes."""

Byte = Annotated[int, Field(strict=True, ge=0, le=0xFF)]
Bytes = Annotated[int, Field(strict=True, ge=1, le=64)]
"""How many bytes something has."""
Scale = Annotated[float, Field(strict=True, gt=0.0)]
LogicalAddress = Annotated[int, Field(strict=True, ge=0, lt=0x8000)]
BusId = Annotated[int, Field(strict=True, ge=0, le=0x1FFF_FFFF)]
Percent = Annotated[float, Field(strict=True, ge=0.0, le=100.0)]
Torque = Annotated[float, Field(strict=True, gt=0.0, le=1000.0)]
"""N·m."""


class FailureMode(StrEnum):
    """How a circuit or its part fails."""

    OPEN = "open"
    SHORT_GROUND = "short_ground"
    SHORT_FEED = "short_feed"
    LOOSE = "loose"
    WORN = "worn"
    UNDRIVEN = "undriven"
    """The control unit's output does not drive it."""
    STAYS_ON = "stays_on"
    """The control unit's output drives it all the time."""

    @property
    def of_unit(self) -> bool:
        """Whether it is a fault of the control unit's output stage, not of the circuit."""
        return self in (FailureMode.UNDRIVEN, FailureMode.STAYS_ON)


class CheckOutcome(StrEnum):
    """What the check of a part's circuit, or of a shared point, comes to."""

    OPEN = "open"
    SHORT_GROUND = "short_ground"
    SHORT_FEED = "short_feed"
    LOOSE = "loose"
    PART = "part"
    """The circuit is good, the part does not answer."""
    UNDRIVEN = "undriven"
    """Wires and part are good, the control unit does not drive it."""
    STAYS_ON = "stays_on"
    """Wires and part are good, the control unit drives it all the time."""
    GOOD = "good"
    BAD = "bad"


class Origin(StrEnum):
    """How a row came about: written in a table, made from a part and its circuit, or from a shared point."""

    TABLE = "table"
    PART = "part"
    POINT = "point"
    CODE = "code"
    """From a code that names no part."""
    GENERATED = "generated"
    """A test, from a part or a shared point."""


Standing = Literal["published", "common practice", "from memory"]
"""What a figure of the tables rests on (``trade.md``: [S], [C], [M])."""


class Climate(StrEnum):
    """Where the cars of a shop live: what wears and fails there more often than elsewhere."""

    TEMPERATE = "temperate"
    SALTED = "salted"
    HOT = "hot"
    DAMP = "damp"


Axis = Literal["", "cylinder", "bank", "companions", "neighbours", "beside"]
PartAxis = Literal["bank", "cylinder", "sensor", "cam", "pair", "solenoid"]
Asked = Literal["", "cylinder", "cam", "bank", "plug"]
Severity = Literal["now", "soon", "can wait", "now when flashing, else soon"]
LampTold = Literal["steady", "flashing while it can harm the catalyst"]
State = Literal["running", "warm", "cold", "engine off", "key on, engine off", "battery off", "road"]
"""What the car must be for a test."""
Equipment = Literal[
    "", "smoke machine", "fuel gauge", "compression gauge", "oscilloscope", "leak-down tester", "exhaust gauge",
    "actuator control",
]  # fmt: skip
"""What not every shop has."""
EffectSource = Literal["misfire", "engine circuit code", "gearbox code", "dead circuit", "held on", "code"]
WiringField = Literal["feed", "ground", "reference", "low_reference", "plug", "bus"]

Feature = Annotated[str, Refers("feature")]
Code = Annotated[str, Refers("code")]
"""A number, ``component: kind``, or ``*: kind``; see ``code_index``."""
CodePattern = Annotated[str, Field(pattern=r"^[PCBU][0-3?*][0-9A-F?*]{0,3}$")]
"""Codes by their beginning or with a sign left open; also of codes that the catalogue does not have."""
Echo = Annotated[str, Refers("code or misfire")]
CodeOrNumber = Annotated[str, Refers("code or number")]
CodeNumber = Annotated[str, Field(pattern=r"^[PCBU][0-3][0-9A-F]{3}$")]
CodePlaced = Annotated[str, Refers("code at its place")]
"""A number, ``{n}`` in it standing for the cylinder's."""
CodeGroup = Annotated[str, Refers("code group")]
CodeKind = Annotated[str, Refers("code kind")]
CodeComponent = Annotated[str, Refers("code component")]
CodeComponentPattern = Annotated[str, Refers("code component pattern")]
MonitorName = Annotated[str, Refers("monitor")]
PartClass = Annotated[str, Refers("component class")]
Part = Annotated[str, Refers("component")]
BoxPart = Annotated[str, Refers("component class, or its sensor")]
PartOrRepair = Annotated[str, Refers("component or repair")]
Suspect = Annotated[str, Refers("suspect")]
ShownSuspect = Annotated[str, Refers("suspect at its place")]
SuspectOrKind = Annotated[str, Refers("suspect or kind of suspect")]
SuspectPattern = Annotated[str, Refers("suspect pattern")]
RepairName = Annotated[str, Refers("repair")]
RepairPattern = Annotated[str, Refers("repair pattern")]
TestName = Annotated[str, Refers("test")]
TestOutcomeName = Annotated[str, Refers("test outcome")]
Symptom = Annotated[str, Refers("symptom")]
Caution = Annotated[str, Refers("caution")]
Variable = Annotated[str, Refers("variable")]
Channel = Annotated[str, Refers("channel")]
Specified = Annotated[str, Refers("specified value")]
Segment = Annotated[str, Refers("segment")]
RegionName = Annotated[str, Refers("operating region")]
Procedure = Annotated[str, Refers("procedure")]
AskedBy = Annotated[str, Refers("repair or happening")]
Actuator = Annotated[str, Refers("actuator")]
StripName = Annotated[str, Refers("strip")]
FeedPoint = Annotated[str, Refers("feed")]
GroundPoint = Annotated[str, Refers("ground")]
ReferencePoint = Annotated[str, Refers("reference")]
LowReferencePoint = Annotated[str, Refers("low_reference")]
PlugPoint = Annotated[str, Refers("plug")]
BusPoint = Annotated[str, Refers("bus")]
Block = Annotated[str, Refers("block of a circuit")]
Joint = Annotated[str, Refers("joint")]
CircuitType = Annotated[str, Refers("circuit type")]
CircuitName = Annotated[str, Refers("circuit")]
MapPlace = Literal[
    "bank",
    "block",
    "bore",
    "cabin",
    "cam, drive end",
    "car",
    "catalyst",
    "charge pipe",
    "coils",
    "control unit",
    "crank, rear",
    "cylinder",
    "egr",
    "engine bay",
    "exhaust, sensor 1",
    "exhaust, sensor 2",
    "exhaust, sensor {s}",
    "front of engine",
    "front",
    "fuse box",
    "gearbox",
    "head, front",
    "head, rear",
    "intake, after filter",
    "manifold",
    "particulate filter",
    "radiator",
    "rail",
    "secondary air",
    "tank",
    "throttle",
    "turbo",
]
"""Where the engine map draws a part."""

Distribution = Annotated[dict[str, Chance], AfterValidator(_sums_to_one)]
SymptomChances = dict[Symptom, Chance]
CodeChances = dict[Code, Chance]
KindChances = dict[CodeKind, Chance]
