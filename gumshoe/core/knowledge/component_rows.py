"""The shapes of ``components.toml``: classes of parts, electrical types, failure modes and shared points."""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass, field
from decimal import Decimal

Strengths = dict[str, float]
WIRING_FIELDS = ("feed", "ground", "reference", "low_reference", "plug", "bus")
"""The ways in which components can share a point."""


@dataclass(frozen=True)
class ClassRow:
    """A kind of part. ``per`` names the axes of its positions; ``codes`` its names in the code catalogue; ``netlist``
    the circuit it is measured in, where that is not the one of its electrical type (``circuit``)."""

    id: str
    words: str
    codes: tuple[str, ...]
    needs: tuple[str, ...]
    place: str
    rate: float
    price: Decimal
    minutes: int
    circuit: str = ""
    netlist: str = ""
    per: tuple[str, ...] = ()
    feed: str = ""
    ground: str = ""
    reference: str = ""
    low_reference: str = ""
    plug: str = ""
    bus: str = ""
    wear: float = 0.8
    misfire: float = 0.0
    written: tuple[str, ...] = ()
    symptoms: Strengths = field(default_factory=dict)


@dataclass(frozen=True)
class CircuitRow:
    """An electrical type: for each failure mode and each kind of lost point, the kinds of code and their chance."""

    words: str
    open: Strengths = field(default_factory=dict)
    short_ground: Strengths = field(default_factory=dict)
    short_feed: Strengths = field(default_factory=dict)
    loose: Strengths = field(default_factory=dict)
    worn: Strengths = field(default_factory=dict)
    feed: Strengths = field(default_factory=dict)
    ground: Strengths = field(default_factory=dict)
    reference: Strengths = field(default_factory=dict)
    low_reference: Strengths = field(default_factory=dict)
    plug: Strengths = field(default_factory=dict)
    bus: Strengths = field(default_factory=dict)

    def kinds(self, mode: str) -> Strengths:
        """Kinds of code a mode or a lost point raises, with their chance."""
        found: Strengths = getattr(self, mode)
        return found


@dataclass(frozen=True)
class ModeRow:
    """A failure mode and the part of a class's rate it takes; ``repair`` is ``mend`` (wiring) or ``renew`` (part);
    ``ageing`` the power of years it grows with."""

    id: str
    words: str
    share: float
    repair: str
    why: tuple[str, ...]
    ageing: float = 0.0


@dataclass(frozen=True)
class PointRow:
    """A shared point of the usual wiring. ``fault``: it is described by hand under that id and not generated."""

    id: str
    field: str
    words: str
    rate: float
    codes: Strengths = dataclasses.field(default_factory=dict)
    fault: str = ""


@dataclass(frozen=True)
class WorkRow:
    """What a repair of that sort takes; ``{c}`` stands for the component, ``{w}`` for the point."""

    words: str
    minutes: int
    price: Decimal
    steps: tuple[str, ...]
    why: tuple[str, ...]
    ageing: float = 0.0


@dataclass(frozen=True)
class CheckRow:
    """A generated check: its outcomes in words and their distribution when nothing is wrong there."""

    words: str
    purpose: str
    steps: tuple[str, ...]
    outcomes: dict[str, str]
    otherwise: Strengths


@dataclass(frozen=True)
class ComponentsFile:
    """``components.toml`` as a whole."""

    part: tuple[ClassRow, ...]
    circuit: dict[str, CircuitRow]
    mode: tuple[ModeRow, ...]
    point: tuple[PointRow, ...]
    work: dict[str, WorkRow]
    check: dict[str, CheckRow]
