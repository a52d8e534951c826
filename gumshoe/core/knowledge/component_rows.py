"""The shapes of ``components.toml``: classes of parts, electrical types, failure modes and shared points."""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass, field
from typing import Literal

from gumshoe.core.knowledge.values import (
    Amount,
    BusPoint,
    Chance,
    CheckOutcome,
    CircuitName,
    CircuitType,
    CodeChances,
    CodeComponent,
    Distribution,
    FailureMode,
    Feature,
    FeedPoint,
    GroundPoint,
    KindChances,
    LowReferencePoint,
    MapPlace,
    Money,
    PartAxis,
    PlugPoint,
    Power,
    Rate,
    ReferencePoint,
    Row,
    Standing,
    Suspect,
    SymptomChances,
    Variable,
    WholeMinutes,
    WiringField,
    Words,
)

Strengths = dict[str, float]
WIRING_FIELDS = ("feed", "ground", "reference", "low_reference", "plug", "bus")
"""The ways in which components can share a point."""


@dataclass(frozen=True)
class ClassRow(Row):
    """A kind of part. ``per`` names the axes of its positions; ``codes`` its names in the code catalogue; ``netlist``
    the circuit it is measured in, where that is not the one of its electrical type (``circuit``). ``ohms``: the least
    and the most that a sound one has, cold (common practice, from memory); ``ohms_where``: the same by a feature of the
    powertrain. ``graded``: by failure mode what it shows of graded clues. ``told``: others than ``needs`` says have one
    now and then, and a code of it says so."""

    id: str
    words: Words
    codes: tuple[CodeComponent, ...]
    needs: tuple[Feature, ...]
    place: MapPlace
    rate: Rate
    price: Money
    minutes: WholeMinutes
    circuit: CircuitType = ""
    netlist: CircuitName = ""
    per: tuple[PartAxis, ...] = ()
    feed: FeedPoint = ""
    ground: GroundPoint = ""
    reference: ReferencePoint = ""
    low_reference: LowReferencePoint = ""
    plug: PlugPoint = ""
    bus: BusPoint = ""
    wear: Power = 0.8
    misfire: Chance = 0.0
    written: tuple[FailureMode, ...] = ()
    told: bool = False
    ohms: tuple[Amount, ...] = ()
    ohms_where: dict[Feature, tuple[Amount, Amount]] = field(default_factory=dict)
    symptoms: SymptomChances = field(default_factory=dict)
    graded: dict[FailureMode, dict[Variable, Distribution]] = field(default_factory=dict)


@dataclass(frozen=True)
class CircuitRow(Row):
    """An electrical type: for each failure mode and each kind of lost point, the kinds of code and their chance."""

    words: Words
    open: KindChances = field(default_factory=dict)
    short_ground: KindChances = field(default_factory=dict)
    short_feed: KindChances = field(default_factory=dict)
    loose: KindChances = field(default_factory=dict)
    worn: KindChances = field(default_factory=dict)
    undriven: KindChances = field(default_factory=dict)
    stays_on: KindChances = field(default_factory=dict)
    feed: KindChances = field(default_factory=dict)
    ground: KindChances = field(default_factory=dict)
    reference: KindChances = field(default_factory=dict)
    low_reference: KindChances = field(default_factory=dict)
    plug: KindChances = field(default_factory=dict)
    bus: KindChances = field(default_factory=dict)

    def kinds(self, mode: str) -> Strengths:
        """Kinds of code a mode or a lost point raises, with their chance."""
        found: Strengths = getattr(self, mode)
        return found


@dataclass(frozen=True)
class ModeRow(Row):
    """A failure mode and the part of a class's rate it takes; ``repair`` is ``mend`` (wiring), ``renew`` (part)
    or ``unit`` (the control unit that drives it); ``ageing`` the power of years it grows with."""

    id: FailureMode
    words: Words
    share: Chance
    repair: Literal["mend", "renew", "unit"]
    why: tuple[Words, ...]
    ageing: Power = 0.0


@dataclass(frozen=True)
class PointRow(Row):
    """A shared point of the usual wiring. ``fault``: it is described by hand under that id and not generated;
    ``above``: feeds that hang on it, with all that hangs on them."""

    id: str
    field: WiringField
    words: Words
    rate: Rate
    codes: CodeChances = dataclasses.field(default_factory=dict)
    fault: Suspect = ""
    above: tuple[FeedPoint, ...] = ()


@dataclass(frozen=True)
class WorkRow(Row):
    """What a repair of that sort takes; ``{c}`` stands for the component, ``{w}`` for the point."""

    words: Words
    minutes: WholeMinutes
    price: Money
    steps: tuple[Words, ...]
    why: tuple[Words, ...]
    ageing: Power = 0.0


@dataclass(frozen=True)
class CheckRow(Row):
    """A generated check: its outcomes in words and their distribution when nothing is wrong there."""

    words: Words
    purpose: Words
    steps: tuple[Words, ...]
    outcomes: dict[CheckOutcome, Words]
    otherwise: Distribution


@dataclass(frozen=True)
class ComponentsFile(Row):
    """``components.toml`` as a whole. ``without_circuit``: parts that are drawn and wired nowhere; ``standing``: of its
    rates."""

    standing: Standing
    without_circuit: tuple[str, ...]
    part: tuple[ClassRow, ...]
    circuit: dict[str, CircuitRow]
    mode: tuple[ModeRow, ...]
    point: tuple[PointRow, ...]
    work: dict[str, WorkRow]
    check: dict[str, CheckRow]
