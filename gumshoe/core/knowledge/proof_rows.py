"""The shapes of ``segments.toml`` and ``circumstances.toml``: what a proof drive is made of, and under what a repair is
tried."""

from __future__ import annotations

from dataclasses import dataclass

from gumshoe.core.knowledge.values import (
    Amount,
    Caution,
    CodeKind,
    CodePattern,
    Count,
    FailureMode,
    Feature,
    Minutes,
    MonitorName,
    Range,
    RepairPattern,
    Row,
    Segment,
    SuspectPattern,
    Symptom,
    Words,
)


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
class SegmentRow(Driven, Row):
    """A piece of a proof drive: minutes and kilometres, hours of rest before it, whether the engine must be warm, and
    where in engine speed (rpm) and load (%) it usually leads. ``order``: its place in a trip."""

    id: str
    words: Words
    how: Words
    order: Count
    minutes: Minutes
    km: Amount
    warm: bool
    rpm: Range
    load_pct: Range
    rest_hours: Amount = 0.0
    cautions: tuple[Caution, ...] = ()
    needs: tuple[Feature, ...] = ()


@dataclass(frozen=True)
class SegmentsFile(Row):
    """Segments, and for each readiness monitor what it wants of one trip: one segment of every list."""

    segment: tuple[SegmentRow, ...]
    monitor: dict[MonitorName, tuple[tuple[Segment, ...], ...]]


@dataclass(frozen=True)
class AsksRow(Row):
    """When a circumstance belongs to a proof: every condition given here holds. ``said``: the beginning of a word the
    customer used; ``suspects``, ``repairs``, ``codes``: patterns; ``modes``: failure modes; ``kinds``: kinds of code;
    ``wiring``: a repair of wires or plugs; ``no_frame``: no frame of running conditions was stored; ``moving``: a frame
    of a code was stored while the car moved."""

    symptoms: tuple[Symptom, ...] = ()
    said: tuple[Words, ...] = ()
    suspects: tuple[SuspectPattern, ...] = ()
    repairs: tuple[RepairPattern, ...] = ()
    codes: tuple[CodePattern, ...] = ()
    monitors: tuple[MonitorName, ...] = ()
    kinds: tuple[CodeKind, ...] = ()
    modes: tuple[FailureMode, ...] = ()
    features: tuple[Feature, ...] = ()
    wiring: bool = False
    no_frame: bool = False
    moving: bool = False


@dataclass(frozen=True)
class CircumstanceRow(Driven, Row):
    """Under what a repair has to be tried (``circumstances.toml``): a range of driving with the seconds and separate
    goes it takes, or something done by hand. Engine speed in rpm, load in per cent."""

    id: str
    words: Words
    why: Words
    when: tuple[AsksRow, ...]
    segments: tuple[Segment, ...] = ()
    then: tuple[Segment, ...] = ()
    """What the same trip goes on with, any of these."""
    warm: bool = True
    rpm: Range = (0.0, 0.0)
    load_pct: Range = (0.0, 0.0)
    seconds: Amount = 0.0
    goes: Count = 1
    stretch: Amount = 0.0
    by_hand: bool = False
    advised: bool = False


@dataclass(frozen=True)
class CircumstancesFile(Row):
    circumstance: tuple[CircumstanceRow, ...]
