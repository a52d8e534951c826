"""What is on record of a case, as plain values: what clues are made of."""

from __future__ import annotations

from dataclasses import dataclass, field

from gumshoe.core.clues.known import KnownCause
from gumshoe.core.knowledge.rows import Specification
from gumshoe.core.obd.snapshot import ModuleSnapshot
from gumshoe.core.powertrain.misfires import Lack
from gumshoe.core.signals.trims import RegionTrim


@dataclass(frozen=True)
class FoundDead:
    """Cylinders found by hand to be without something, none of them also; ``how`` in words."""

    cylinders: tuple[int, ...]
    lacks: Lack
    how: str
    source: str
    at: str


@dataclass(frozen=True)
class TestOutcome:
    """The verdict of one performed test."""

    __test__ = False

    test: str
    outcome: str
    source: str
    at: str


@dataclass(frozen=True)
class OnRecord:
    """All that is known of a case, as plain values. Each part carries its source record's name and time.

    ``module`` is the engine's part of the scan, ``others`` those of the other modules; ``known``: causes on record.
    """

    symptoms: tuple[str, ...] = ()
    symptom_source: tuple[str, str] = ("", "")
    lamp: str = ""
    """What the customer says of the warning lamp: out, steady, flashing; empty where nobody asked."""
    module: ModuleSnapshot | None = None
    others: tuple[ModuleSnapshot, ...] = ()
    known: tuple[KnownCause, ...] = ()
    scan_source: tuple[str, str] = ("", "")
    trims: tuple[tuple[RegionTrim, str, str], ...] = ()
    tests: tuple[TestOutcome, ...] = ()
    misfires: tuple[tuple[tuple[int, ...], str, str], ...] = ()
    """Which cylinders misfired in a recording (none: it ran clean), the newest last."""
    by_hand: tuple[FoundDead, ...] = ()
    """The newest last: nothing is more direct."""
    failed_repairs: tuple[tuple[str, str, str], ...] = ()
    doubtful: frozenset[str] = field(default_factory=frozenset)
    specification: Specification = field(default_factory=Specification)
