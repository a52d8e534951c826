"""The code map: causes and shared points on the left, the codes to chase in the middle, what only follows on the right.

Every arrow carries the reason that ``read_codes`` gave it; nothing is decided here, only placed.
"""

from __future__ import annotations

from dataclasses import dataclass
from textwrap import wrap

from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.suspects.relations import CodesRead, Relation, Role

ROW = 72.0
TOP = 46.0
WIDTH = 1000.0
LEFT, MIDDLE, RIGHT = 10.0, 380.0, 740.0
CAUSE_WIDTH, CODE_WIDTH = 270.0, 250.0
BOX_HEIGHT = 60.0
LINE = 36
"""Letters that fit on one line of a box."""
MOST_ROWS = 24


@dataclass(frozen=True)
class Node:
    """A box: ``kind`` is ``point``, ``cause``, ``known`` or the code's role in lower case."""

    id: str
    kind: str
    title: str
    words: str
    x: float
    y: float
    width: float
    mark: str

    @property
    def height(self) -> float:
        return BOX_HEIGHT

    @property
    def lines(self) -> tuple[str, ...]:
        """The words on at most two lines; what does not fit ends in an ellipsis."""
        return tuple(wrap(self.words, LINE, max_lines=2, placeholder=" …"))

    @property
    def middle(self) -> float:
        return self.y + BOX_HEIGHT / 2.0


@dataclass(frozen=True)
class Arrow:
    """From one box to another, with its number in the list of reasons."""

    source: str
    target: str
    why: str
    path: str
    label_x: float
    label_y: float
    number: int


@dataclass(frozen=True)
class CodeMap:
    """The drawing: boxes, arrows, the reasons by number, and how many codes did not fit."""

    width: float
    height: float
    nodes: tuple[Node, ...]
    arrows: tuple[Arrow, ...]
    reasons: tuple[str, ...]
    left_out: int


_MARKS = {
    Role.CHASE: "➊",
    Role.ECHO: "↺",
    Role.SELF: "⚒",
    Role.SEPARATE: "◦",
    Role.STALE: "◷",
    Role.UNKNOWN: "?",
}


def code_map(read: CodesRead, knowledge: Knowledge) -> CodeMap:
    """Place the codes and what connects them. More than MOST_ROWS in a column are counted, not drawn."""
    relations = read.relations
    codes = {item.code: item for item in read.codes}
    causes = list(dict.fromkeys(item.source for item in relations if item.source not in codes))
    middle = [item for item in read.codes if item.role in (Role.CHASE, Role.SEPARATE, Role.UNKNOWN)]
    right = [item for item in read.codes if item not in middle]
    nodes: dict[str, Node] = {}
    for index, source in enumerate(causes):
        nodes[source] = _cause(source, knowledge, TOP + index * ROW)
    for x, column in ((MIDDLE, middle), (RIGHT, right)):
        for index, item in enumerate(column[:MOST_ROWS]):
            title = item.row.title if item.row else item.structure_words
            role = item.role.name.lower()
            y = TOP + index * ROW
            nodes[item.code] = Node(item.code, role, item.code, title, x, y, CODE_WIDTH, _MARKS[item.role])
    numbered = list(dict.fromkeys(item.why for item in relations))
    drawn = [item for item in relations if item.source in nodes and item.target in nodes]
    arrows = tuple(_arrow(item, nodes, numbered.index(item.why) + 1) for item in drawn)
    rows = max(len(causes), min(len(middle), MOST_ROWS), min(len(right), MOST_ROWS), 1)
    left_out = max(len(middle) - MOST_ROWS, 0) + max(len(right) - MOST_ROWS, 0)
    return CodeMap(WIDTH, TOP + rows * ROW, tuple(nodes.values()), arrows, tuple(numbered), left_out)


def _cause(source: str, knowledge: Knowledge, y: float) -> Node:
    fault = knowledge.faults.get(source)
    point = knowledge.points_by_fault.get(source)
    if point is not None:
        return Node(source, "point", f"shared {point.field.replace('_', ' ')}", point.words, LEFT, y, CAUSE_WIDTH, "●")
    if fault is not None:
        return Node(source, "cause", "likeliest suspect", fault.words, LEFT, y, CAUSE_WIDTH, "◆")
    return Node(source, "known", "on record", source, LEFT, y, CAUSE_WIDTH, "⚒")


def _arrow(relation: Relation, nodes: dict[str, Node], number: int) -> Arrow:
    source, target = nodes[relation.source], nodes[relation.target]
    x1, y1 = source.x + source.width, source.middle
    x2, y2 = target.x, target.middle
    if target.x <= source.x:  # in the same column: leave and arrive on the right, round the outside
        x2 = target.x + target.width
        bend = x1 + 40.0
        path = f"M{x1:.0f},{y1:.0f} C{bend:.0f},{y1:.0f} {bend:.0f},{y2:.0f} {x2:.0f},{y2:.0f}"
        return Arrow(relation.source, relation.target, relation.why, path, bend - 10.0, (y1 + y2) / 2.0, number)
    half = (x1 + x2) / 2.0
    path = f"M{x1:.0f},{y1:.0f} C{half:.0f},{y1:.0f} {half:.0f},{y2:.0f} {x2:.0f},{y2:.0f}"
    return Arrow(relation.source, relation.target, relation.why, path, x2 - 26.0, y2 - 6.0, number)
