"""The pages of bench: what each shows."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import ClassVar, NamedTuple

from gumshoe.core.handtests.rows import HandTestRow, Worked
from gumshoe.core.judgement.grouped import Group
from gumshoe.core.knowledge.rows import ReadingRow, TestRow
from gumshoe.core.obd.actuators import ActuatorRow, CommandRow
from gumshoe.core.planning.next_action import NextAction
from gumshoe.web.bench.hand import Field
from gumshoe.web.bench.models import CommandRun, HandMeasurement
from gumshoe.web.bench.services import Performed
from gumshoe.web.bench.traces import Drawn
from gumshoe.web.kit.pages import Page


@dataclass(frozen=True, kw_only=True)
class CircuitsPage(Page):
    """What ``bench/circuits.html`` shows."""

    TEMPLATE: ClassVar[str] = "bench/circuits.html"
    named: list[tuple[str, str, str]]
    every: dict[str, str]


@dataclass(frozen=True, kw_only=True)
class CommandsPage(Page):
    """What ``bench/commands.html`` shows."""

    TEMPLATE: ClassVar[str] = "bench/commands.html"
    rows: list[ActuatorRow]
    made: Iterable[CommandRun]


@dataclass(frozen=True, kw_only=True)
class HandListPage(Page):
    """What ``bench/hand_list.html`` shows."""

    TEMPLATE: ClassVar[str] = "bench/hand_list.html"
    rows: list[HandTestRow]
    made: Iterable[HandMeasurement]


@dataclass(frozen=True, kw_only=True)
class BenchPage(Page):
    """What ``bench/bench.html`` shows."""

    TEMPLATE: ClassVar[str] = "bench/bench.html"
    groups: list[Group]
    next: NextAction | None
    performed: list[Performed]


class TestField(NamedTuple):
    """A reading of a test on its page: what stands in it, what would be good and in which unit, whether it asks for a
    place, and whether good is by this vehicle's own value."""

    row: ReadingRow
    typed: str
    good: tuple[float, float] | None
    unit: str
    place: bool
    specified: bool


@dataclass(frozen=True, kw_only=True)
class TestPage(Page):
    """What ``bench/test.html`` shows."""

    TEMPLATE: ClassVar[str] = "bench/test.html"
    test: TestRow
    fields: list[TestField]
    trouble: str
    cautions: list[str]
    note: str
    findings: list[dict[str, str]]
    circuit: str
    running: bool
    where: str
    arithmetic: str


@dataclass(frozen=True, kw_only=True)
class CommandPage(Page):
    """What ``bench/command.html`` shows. ``setup``: addresses for its script."""

    TEMPLATE: ClassVar[str] = "bench/command.html"
    row: ActuatorRow
    ids: CommandRow
    setup: dict[str, str]
    holds: tuple[int, ...]
    cautions: list[str]
    made: Iterable[CommandRun]


@dataclass(frozen=True, kw_only=True)
class HandPage(Page):
    """What ``bench/hand_one.html`` shows."""

    TEMPLATE: ClassVar[str] = "bench/hand_one.html"
    row: HandTestRow
    fields: list[Field]
    worked: Worked | None
    trouble: str
    cautions: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class TracesPage(Page):
    """What ``bench/traces.html`` shows. ``places``: where a stand-in's trace can be taken."""

    TEMPLATE: ClassVar[str] = "bench/traces.html"
    traces: list[Drawn]
    places: list[tuple[str, str]]
    trouble: str
