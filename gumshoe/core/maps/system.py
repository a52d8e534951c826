"""A system's diagram for one powertrain: its boxes with the parts they stand for, marked where a code names one."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from textwrap import wrap

from gumshoe.core.codes import NETWORK, told_by
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.parts import Component
from gumshoe.core.knowledge.rows import TestRow
from gumshoe.core.knowledge.systems import BoxRow, SystemRow, systems
from gumshoe.core.knowledge.values import Origin

COLUMN, ROW, BOX_WIDTH, BOX_HEIGHT = 248.0, 130.0, 190.0, 78.0
MARGIN = 14.0
LINE = 24
MOST_TESTS = 8


@dataclass(frozen=True)
class SystemBox:
    """A box: its words in lines, the parts behind it, and the present codes that name one of them."""

    id: str
    lines: tuple[str, ...]
    x: float
    y: float
    parts: tuple[Component, ...]
    codes: tuple[str, ...]

    @property
    def middle(self) -> tuple[float, float]:
        return self.x + BOX_WIDTH / 2.0, self.y + BOX_HEIGHT / 2.0


@dataclass(frozen=True)
class SystemFlow:
    """An arrow between two boxes, with its word at its middle."""

    kind: str
    words: str
    x1: float
    y1: float
    x2: float
    y2: float

    @property
    def label(self) -> tuple[float, float]:
        return (self.x1 + self.x2) / 2.0, (self.y1 + self.y2) / 2.0 - 6.0


@dataclass(frozen=True)
class SystemMap:
    """The whole diagram and the tests that look at its parts."""

    width: float
    height: float
    box_width: float
    box_height: float
    boxes: tuple[SystemBox, ...]
    flows: tuple[SystemFlow, ...]
    tests: tuple[TestRow, ...]

    @property
    def codes(self) -> tuple[str, ...]:
        """Present codes that name a part of this system."""
        return tuple(dict.fromkeys(code for box in self.boxes for code in box.codes))


def systems_of(knowledge: Knowledge) -> tuple[SystemRow, ...]:
    """The systems this powertrain has, in the order of the table."""
    return tuple(row for row in systems().values() if set(row.needs) <= knowledge.powertrain.features)


def system_map(row: SystemRow, knowledge: Knowledge, present: Iterable[str] = ()) -> SystemMap:
    """Draw one system for this powertrain."""
    codes = tuple(code for code in present if row.network or told_by(code).system != NETWORK)
    boxes = {}
    for box in row.boxes:
        parts = _parts(box, knowledge)
        if parts or box.always or not box.classes:
            named = tuple(code for code in codes if {part.id for part in parts} & set(knowledge.components_of(code)))
            boxes[box.id] = _box(box, parts, named)
    flows = tuple(
        _flow(flow.kind, flow.words, boxes[flow.source], boxes[flow.to])
        for flow in row.flows
        if flow.source in boxes and flow.to in boxes
    )
    held = {part.id for box in boxes.values() for part in box.parts}
    return SystemMap(
        max(box.x for box in boxes.values()) + BOX_WIDTH + MARGIN,
        max(box.y for box in boxes.values()) + BOX_HEIGHT + MARGIN,
        BOX_WIDTH,
        BOX_HEIGHT,
        tuple(boxes.values()),
        flows,
        _tests(held, codes, knowledge),
    )


def _parts(box: BoxRow, knowledge: Knowledge) -> tuple[Component, ...]:
    wanted = {name.split("/")[0]: name.partition("/")[2] for name in box.classes}
    return tuple(
        part
        for part in knowledge.components.values()
        if part.row.id in wanted and wanted[part.row.id] in ("", str(part.sensor))
    )


def _box(box: BoxRow, parts: tuple[Component, ...], codes: tuple[str, ...]) -> SystemBox:
    real = [part for part in parts if part.row.place != "bank"]
    most = max((sum(other.row.id == part.row.id for other in real) for part in real), default=1)
    words = f"{box.words} × {most}" if most > 1 else box.words
    x, y = MARGIN + box.at[0] * COLUMN, MARGIN + box.at[1] * ROW
    return SystemBox(box.id, tuple(wrap(words, LINE, max_lines=2, placeholder=" …")), x, y, parts, codes)


def _flow(kind: str, words: str, source: SystemBox, target: SystemBox) -> SystemFlow:
    """From edge to edge, along the straight line between the middles."""
    (x1, y1), (x2, y2) = source.middle, target.middle
    dx, dy = x2 - x1, y2 - y1
    reach = min(
        (BOX_WIDTH / 2.0) / abs(dx) if dx else float("inf"), (BOX_HEIGHT / 2.0) / abs(dy) if dy else float("inf")
    )
    return SystemFlow(kind, words, x1 + dx * reach, y1 + dy * reach, x2 - dx * reach, y2 - dy * reach)


def _tests(held: set[str], codes: tuple[str, ...], knowledge: Knowledge) -> tuple[TestRow, ...]:
    """Tests of this system's parts: those of the library, then the circuit checks of parts that a code names."""
    named = {part for code in codes for part in knowledge.components_of(code)}
    found = []
    for test in knowledge.tests.values():
        about = {knowledge.faults[fault].component for fault in test.given if fault in knowledge.faults}
        generated = test.origin is Origin.GENERATED
        if (about & held and not generated) or (generated and test.checks in named & held):
            found.append(test)
    return tuple(found[:MOST_TESTS])
