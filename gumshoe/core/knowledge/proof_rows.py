"""The shapes of ``segments.toml`` and ``circumstances.toml``: what a proof drive is made of, and under what a repair is
tried."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar


class Driven:
    """What is driven warm or cold, in a range of engine speed (rpm) and load (%)."""

    warm: bool
    rpm: tuple[float, float]
    load_pct: tuple[float, float]

    def holds(self, rpm: float, load_pct: float, warm: bool) -> bool:
        """Whether a moment of driving is within the range."""
        return (
            warm == self.warm and self.rpm[0] <= rpm <= self.rpm[1] and self.load_pct[0] <= load_pct <= self.load_pct[1]
        )


@dataclass(frozen=True)
class SegmentRow(Driven):
    """A piece of a proof drive: minutes and kilometres, hours of rest before it, whether the engine must be warm, and
    where in engine speed (rpm) and load (%) it usually leads. ``order``: its place in a trip."""

    id: str
    words: str
    how: str
    order: int
    minutes: float
    km: float
    warm: bool
    rpm: tuple[float, float]
    load_pct: tuple[float, float]
    rest_hours: float = 0.0
    cautions: tuple[str, ...] = ()
    needs: tuple[str, ...] = ()


@dataclass(frozen=True)
class SegmentsFile:
    """Segments, and for each readiness monitor what it wants of one trip: one segment of every list."""

    segment: tuple[SegmentRow, ...]
    monitor: dict[str, tuple[tuple[str, ...], ...]]


@dataclass(frozen=True)
class AsksRow:
    """When a circumstance belongs to a proof: every condition given here holds. ``said``: the beginning of a word the
    customer used; ``suspects``, ``repairs``, ``codes``: patterns; ``modes``: failure modes; ``kinds``: kinds of code;
    ``wiring``: a repair of wires or plugs; ``no_frame``: no frame of running conditions was stored; ``moving``: a frame
    of a code was stored while the car moved."""

    __pydantic_config__: ClassVar[dict[str, Any]] = {"extra": "forbid"}

    symptoms: tuple[str, ...] = ()
    said: tuple[str, ...] = ()
    suspects: tuple[str, ...] = ()
    repairs: tuple[str, ...] = ()
    codes: tuple[str, ...] = ()
    monitors: tuple[str, ...] = ()
    kinds: tuple[str, ...] = ()
    modes: tuple[str, ...] = ()
    features: tuple[str, ...] = ()
    wiring: bool = False
    no_frame: bool = False
    moving: bool = False


@dataclass(frozen=True)
class CircumstanceRow(Driven):
    """Under what a repair has to be tried (``circumstances.toml``): a range of driving with the seconds and separate
    goes it takes, or something done by hand. Engine speed in rpm, load in per cent."""

    __pydantic_config__: ClassVar[dict[str, Any]] = {"extra": "forbid"}

    id: str
    words: str
    why: str
    when: tuple[AsksRow, ...]
    segments: tuple[str, ...] = ()
    then: tuple[str, ...] = ()
    """What the same trip goes on with, any of these."""
    warm: bool = True
    rpm: tuple[float, float] = (0.0, 0.0)
    load_pct: tuple[float, float] = (0.0, 0.0)
    seconds: float = 0.0
    goes: int = 1
    stretch: float = 0.0
    by_hand: bool = False
    advised: bool = False


@dataclass(frozen=True)
class CircumstancesFile:
    circumstance: tuple[CircumstanceRow, ...]
