"""The pages of scans: what each shows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

from gumshoe.core.clues.misfire import MisfireReading, MisfireShare
from gumshoe.core.errors import GumshoeError
from gumshoe.core.maps.codes import CodeMap
from gumshoe.core.maps.engine import EngineMap
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.proof.provoked import Found
from gumshoe.core.suspects.posterior import Assessment
from gumshoe.web.kit.pages import Page
from gumshoe.web.library.models import Note
from gumshoe.web.scans.models import Scan
from gumshoe.web.scans.services import AnotherCar, ReadinessTable, ReadPage
from gumshoe.web.vehicles.sockets import Socket


@dataclass(frozen=True)
class CylinderRow:
    """One cylinder: its counts, their share of the highest, per cent of its firings, what it was found to lack."""

    number: int
    last: int | None
    average: int | None
    share: float
    blamed: bool
    lacks: list[str]
    percent: float | None


@dataclass(frozen=True)
class HandFound:
    """What one hand test found, and how it contradicts the counters; empty where it does not."""

    words: str
    how: str
    disagreement: str


@dataclass(frozen=True, kw_only=True)
class MisfirePage(Page):
    """What ``scans/misfire.html`` shows."""

    TEMPLATE: ClassVar[str] = "scans/misfire.html"
    stored: Scan | None
    misfire: MisfireReading | None
    rows: list[CylinderRow]
    percent: MisfireShare | None
    revolutions: int
    limits: dict[str, float]
    flashing: bool
    advice: str
    bank_warning: str
    hands: list[HandFound]
    without: list[tuple[str, str]]
    cylinders: range
    firing: str


@dataclass(frozen=True, kw_only=True)
class ScanPage(Page):
    """What ``scans/scan.html`` shows."""

    TEMPLATE: ClassVar[str] = "scans/scan.html"
    scans: list[Scan]
    shown: Scan | None
    vin: object
    snapshot: Snapshot | None
    titles: dict[str, str]
    frame_keys: tuple[str, ...]
    marks: dict[int, dict[str, Found]]
    sockets: Sequence[Socket]
    trouble: GumshoeError | None = None
    other: AnotherCar | None = None
    answers: Sequence[tuple[str, str]] = ()
    typed_text: str = ""


@dataclass(frozen=True, kw_only=True)
class ComparePage(Page):
    """What ``scans/compare.html`` shows."""

    TEMPLATE: ClassVar[str] = "scans/compare.html"
    scans: list[Scan]
    before: Scan
    after: Scan
    rows: list[dict[str, str]]
    readiness: ReadinessTable
    old: Snapshot
    new: Snapshot


@dataclass(frozen=True, kw_only=True)
class CodesPage(Page):
    """What ``scans/read.html`` shows."""

    TEMPLATE: ClassVar[str] = "scans/read.html"
    reading: ReadPage | None
    assessment: Assessment
    best: list[str]
    map: EngineMap
    code_map: CodeMap | None
    parts: dict[str, str]
    powertrain: Powertrain
    generic: bool
    notes: list[Note]
    caution_text: str
