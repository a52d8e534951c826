"""A circuit's diagram, laid out from its netlist: feeds on top, grounds at the bottom, as few crossings as a search
finds.

Elements run downwards, each in the column of the run it belongs to; a node is a horizontal line at its own height. The
height of a node follows from the longest way to it from a feed (Sugiyama, Tagawa & Toda, IEEE Trans. Systems, Man, and
Cybernetics 11(2), 1981, in its plain form); the order of the runs is improved by exchanging pairs until nothing helps.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations

from gumshoe.core.circuits.netlist import GROUND, Circuit, Element, Kind, Place

COLUMN, NARROW, ROW = 168.0, 150.0, 58.0
MANY = 4
"""From so many runs on they stand closer together."""
LEFT, TOP, BOTTOM = 60.0, 46.0, 40.0
NUDGE = 16.0
"""Two nodes of one height whose lines would touch are moved apart by so much."""
ROUNDS = 8
CROSSING = 5
"""A crossing is as bad as a line that is so many columns longer."""
INSIDE_UNIT = {Kind.PULL, Kind.DRIVER, Kind.SUPPLY, Kind.INPUT, Kind.TERMINATOR}


@dataclass(frozen=True)
class WireRun:
    """An element as drawn: from (x, y1) down to (x, y2), its symbol at (x, middle). ``inside``: ``part``, ``unit`` or
    empty; ``grounded``: it ends in a ground symbol of its own."""

    element: Element
    x: float
    y1: float
    y2: float
    inside: str
    grounded: bool

    @property
    def middle(self) -> float:
        return (self.y1 + self.y2) / 2.0


@dataclass(frozen=True)
class Rail:
    """A node as drawn: a horizontal line at ``y`` from ``x1`` to ``x2``; ``place`` where a lead can go, at ``x``."""

    node: str
    x: float
    x1: float
    x2: float
    y: float
    place: Place | None
    joins: tuple[float, ...]


@dataclass(frozen=True)
class Box:
    """A tinted area behind what sits in one housing."""

    inside: str
    x: float
    y: float
    width: float
    height: float


@dataclass(frozen=True)
class Drawing:
    """The whole diagram."""

    width: float
    height: float
    runs: tuple[WireRun, ...]
    rails: tuple[Rail, ...]
    boxes: tuple[Box, ...]
    column: float
    crossings: int


def draw(circuit: Circuit) -> Drawing:
    """Lay a circuit out; kept by its id and elements."""
    return _drawn(circuit.id, tuple(e for e in circuit.elements if e.kind is not Kind.LATENT), circuit.places)


@lru_cache(maxsize=128)
def _drawn(_name: str, elements: tuple[Element, ...], places: tuple[Place, ...]) -> Drawing:
    own = [item for item in elements if not (item.kind is Kind.SUPPLY and item.b == GROUND and item.a == "battery")]
    levels = _levels(own)
    columns = _columns(own, levels)
    order = _ordered(own, levels, columns)
    column = NARROW if len(order) >= MANY else COLUMN
    x = {item.id: LEFT + column * order[columns[item.id]] for item in own}
    return _geometry(
        own, levels, x, column, {place.node: place for place in places}, _crossings(own, levels, columns, order)
    )


def _levels(elements: list[Element]) -> dict[str, int]:
    """Height of every node: the longest way down to it, elements running from ``a`` to ``b``."""
    levels: dict[str, int] = {}
    for item in elements:
        levels.setdefault(item.a, 0)
        levels.setdefault(item.b, 0)
    for _ in range(len(levels) + 1):
        changed = False
        for item in elements:
            if item.b != GROUND and levels[item.b] < levels[item.a] + 1:
                levels[item.b] = levels[item.a] + 1
                changed = True
        if not changed:
            break
    # What hangs on nothing above comes down to what it feeds.
    fed = {item.b for item in elements}
    for node in levels:
        below = [levels[item.b] for item in elements if item.a == node and item.b != GROUND]
        if node not in fed and node != "battery" and below:
            levels[node] = min(below) - 1
    levels.pop(GROUND, None)
    return levels


def _columns(elements: list[Element], levels: dict[str, int]) -> dict[str, int]:
    """Runs: from the topmost element that has none yet, on through one that begins where it ends."""
    left = sorted(elements, key=lambda item: (levels[item.a], elements.index(item)))
    columns: dict[str, int] = {}
    column = 0
    while left:
        item: Element | None = left[0]
        while item is not None:
            left.remove(item)
            columns[item.id] = column
            end = item.b
            item = None if end == GROUND else next((other for other in left if other.a == end), None)
        column += 1
    return columns


def _spans(elements: list[Element], columns: dict[str, int], order: tuple[int, ...]) -> dict[str, tuple[int, int]]:
    """Leftmost and rightmost column that each node's line reaches."""
    found: dict[str, tuple[int, int]] = {}
    for item in elements:
        place = order[columns[item.id]]
        for node in (item.a, item.b):
            if node != GROUND:
                low, high = found.get(node, (place, place))
                found[node] = (min(low, place), max(high, place))
    return found


def _crossings(elements: list[Element], levels: dict[str, int], columns: dict[str, int], order: tuple[int, ...]) -> int:
    """How often a node's line crosses an element, and how much node lines overlap."""
    spans = _spans(elements, columns, order)
    count = 0
    for item in elements:
        place, top = order[columns[item.id]], levels[item.a]
        bottom = levels.get(item.b, top + 1)
        for node, (low, high) in spans.items():
            if node not in (item.a, item.b) and low < place < high and top < levels[node] < bottom:
                count += 1
    for one, other in combinations(spans, 2):
        if levels[one] == levels[other]:
            (a, b), (c, d) = spans[one], spans[other]
            count += int(max(a, c) <= min(b, d))
    return count


def _length(elements: list[Element], columns: dict[str, int], order: tuple[int, ...]) -> int:
    return sum(high - low for low, high in _spans(elements, columns, order).values())


def _ordered(elements: list[Element], levels: dict[str, int], columns: dict[str, int]) -> tuple[int, ...]:
    """Place of each run from left to right."""

    def cost(order: tuple[int, ...]) -> int:
        return CROSSING * _crossings(elements, levels, columns, order) + _length(elements, columns, order)

    best = tuple(range(max(columns.values()) + 1))
    least = cost(best)
    for _ in range(ROUNDS):
        before = least
        for one, other in combinations(range(len(best)), 2):
            for trial in (_exchanged(best, one, other), _moved(best, one, other), _moved(best, other, one)):
                found = cost(trial)
                if found < least:
                    best, least = trial, found
        if least == before:
            break
    return best


def _exchanged(order: tuple[int, ...], one: int, other: int) -> tuple[int, ...]:
    swapped = list(order)
    swapped[one], swapped[other] = swapped[other], swapped[one]
    return tuple(swapped)


def _moved(order: tuple[int, ...], run: int, to: int) -> tuple[int, ...]:
    """The run takes the place that another has; those between move up."""
    by_place = sorted(range(len(order)), key=order.__getitem__)
    place = order[to]
    by_place.remove(run)
    by_place.insert(place, run)
    return tuple(by_place.index(item) for item in range(len(order)))


def _geometry(
    elements: list[Element],
    levels: dict[str, int],
    x: dict[str, float],
    column: float,
    places: dict[str, Place],
    crossings: int,
) -> Drawing:
    joins: dict[str, list[float]] = {}
    for item in elements:
        for node in (item.a, item.b):
            if node != GROUND:
                joins.setdefault(node, []).append(x[item.id])
    heights = _heights(joins, levels)
    runs = []
    for item in elements:
        top = heights[item.a]
        bottom = top + ROW if item.b == GROUND else heights[item.b]
        runs.append(WireRun(item, x[item.id], top, bottom, _inside(item), item.b == GROUND))
    rails = tuple(
        Rail(node, ends[0], min(ends), max(ends), heights[node], places.get(node), tuple(sorted(set(ends))))
        for node, ends in joins.items()
    )
    width = max(x.values()) + column
    height = max(run.y2 for run in runs) + BOTTOM
    return Drawing(width, height, tuple(runs), rails, tuple(_boxes(runs)), column, crossings)


def _heights(joins: dict[str, list[float]], levels: dict[str, int]) -> dict[str, float]:
    """Y of every node; nodes of one height whose lines would touch are moved apart."""
    heights: dict[str, float] = {}
    for level in sorted(set(levels.values())):
        shelves: list[list[tuple[float, float]]] = []
        for node in (name for name in joins if levels[name] == level):
            low, high = min(joins[node]), max(joins[node])
            shelf = next((s for s in shelves if all(high < a or low > b for a, b in s)), None)
            if shelf is None:
                shelf = []
                shelves.append(shelf)
            shelf.append((low, high))
            heights[node] = TOP + ROW * level + NUDGE * shelves.index(shelf)
    return heights


def _inside(item: Element) -> str:
    if item.of == "unit" or (item.of == "" and item.kind in INSIDE_UNIT):
        return "unit"
    wiring = {Kind.WIRE, Kind.CONTACT, Kind.FUSE, Kind.SPLICE, Kind.GROUND_POINT}
    return "" if item.kind in wiring else "part"


def _boxes(runs: Iterable[WireRun]) -> list[Box]:
    """A box behind every stretch of a column that sits in one housing."""
    found: list[Box] = []
    for run in sorted(runs, key=lambda row: (row.x, row.y1)):
        if not run.inside:
            continue
        last = found[-1] if found else None
        top, height = run.y1 + 6.0, run.y2 - run.y1 - 12.0
        if last and last.inside == run.inside and last.x == run.x - 30.0 and last.y + last.height + 13.0 >= top:
            found[-1] = Box(last.inside, last.x, last.y, last.width, run.y2 - 6.0 - last.y)
        else:
            found.append(Box(run.inside, run.x - 30.0, top, 60.0, height))
    return found
