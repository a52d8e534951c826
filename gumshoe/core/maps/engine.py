"""The engine map: the engine seen from above, the front of the car at the top, every part at its place.

Positions are computed in engine coordinates (``u`` along the crank from the drive end, ``v`` across it) and turned into
picture coordinates by how the engine lies in the car. Units are picture units; where a part sits on a real engine can
differ, and its service information says so.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass

from gumshoe.core.knowledge.parts import Component
from gumshoe.core.powertrain.description import (
    Aftertreatment,
    BankOneSide,
    Gearbox,
    Induction,
    Mounting,
    Powertrain,
)
from gumshoe.core.powertrain.positions import bank_members, bank_of, side_of

WIDTH = 860.0
HEIGHT_ACROSS, HEIGHT_ALONG = 600.0, 780.0
PITCH = 72.0
ROOM_ALONG, ROOM_ACROSS = 340.0, 380.0
"""Room for a row of cylinders; longer rows are drawn closer together."""
BORE = 0.4
BANK_OFFSET = 98.0
BLOCK = 44.0
STACK = 27.0
Point = tuple[float, float]


@dataclass(frozen=True)
class Cylinder:
    """One cylinder: centre, number, bank, place in the firing order (from 1)."""

    x: float
    y: float
    number: int
    bank: int
    fires: int


@dataclass(frozen=True)
class Part:
    """One part of the map; ``codes`` name it now.

    ``shape``: ``sensor``, ``actuator``, ``module``, ``contact``, ``body`` (a mechanical part) or ``bore``.
    """

    id: str
    words: str
    where: str
    x: float
    y: float
    shape: str
    codes: tuple[str, ...] = ()
    mark: int = 0


@dataclass(frozen=True)
class Path:
    """A line of the drawing: ``intake``, ``exhaust`` or ``charge``; points in picture units."""

    kind: str
    points: tuple[Point, ...]

    @property
    def svg(self) -> str:
        return " ".join(f"{x:.0f},{y:.0f}" for x, y in self.points)


@dataclass(frozen=True)
class Box:
    """A body of the drawing with its word: engine block, catalyst, gearbox, filter."""

    kind: str
    words: str
    x: float
    y: float
    width: float
    height: float

    @property
    def middle(self) -> Point:
        """Where its word stands: in the middle, of large rooms at the top."""
        return self.x + self.width / 2.0, self.y + min(self.height / 2.0, 14.0 if self.width > 150.0 else self.height)


@dataclass(frozen=True)
class Caption:
    """A word of the drawing at a place; ``anchor`` as SVG has it."""

    words: str
    x: float
    y: float
    anchor: str = "middle"


@dataclass(frozen=True)
class EngineMap:
    """The whole drawing, and a sentence for each bank that says which side it is."""

    width: float
    height: float
    boxes: tuple[Box, ...]
    paths: tuple[Path, ...]
    cylinders: tuple[Cylinder, ...]
    parts: tuple[Part, ...]
    captions: tuple[Caption, ...]
    sides: tuple[str, ...]
    firing: str
    bulkhead: float
    bore: float

    @property
    def marked(self) -> tuple[Part, ...]:
        """The parts that the present codes name, by their mark."""
        return tuple(sorted((part for part in self.parts if part.mark), key=lambda part: part.mark))


def side_words(powertrain: Powertrain, bank: int) -> str:
    """Which side a bank is, also for someone who stands in front of the car and looks at it."""
    side = side_of(powertrain, bank)
    name = f"Bank {bank}" if powertrain.banks == 2 else "The exhaust"
    words = {
        BankOneSide.LEFT: "on the left of the car: to your right when you stand in front of it",
        BankOneSide.RIGHT: "on the right of the car: to your left when you stand in front of it",
        BankOneSide.FRONT: "towards the front of the car: nearest to you when you stand in front of it",
        BankOneSide.REAR: "towards the bulkhead: behind the engine when you stand in front of it",
    }
    return f"{name} lies {words[side]}."


def engine_map(
    powertrain: Powertrain, components: Iterable[Component], named: dict[str, tuple[str, ...]] | None = None
) -> EngineMap:
    """Draw the engine. ``named``: component id → the present codes that name it, in the order to mark them."""
    drawing = _Drawing(powertrain)
    marks = {name: number for number, name in enumerate(named or {}, 1)}
    parts = [drawing.part(item, (named or {}).get(item.id, ()), marks.get(item.id, 0)) for item in components]
    banks = range(1, powertrain.banks + 1)
    return EngineMap(
        WIDTH,
        drawing.height,
        tuple(drawing.boxes()),
        tuple(drawing.paths()),
        tuple(drawing.cylinders()),
        tuple(parts),
        tuple(drawing.captions()),
        tuple(side_words(powertrain, bank) for bank in banks),
        powertrain.firing_words,
        drawing.below - 68.0,
        drawing.pitch * BORE,
    )


class _Drawing:
    def __init__(self, powertrain: Powertrain) -> None:
        self.p = powertrain
        self.along = powertrain.mounting is Mounting.ALONG
        self.rows = {b: bank_members(powertrain, b) for b in range(1, powertrain.banks + 1)}
        longest = max(len(row) for row in self.rows.values())
        self.pitch = min(PITCH, (ROOM_ALONG if self.along else ROOM_ACROSS) / longest)
        self.length = self.pitch * longest
        self.reversed = powertrain.drive_end in (BankOneSide.RIGHT, BankOneSide.REAR)
        self.taken: Counter[str] = Counter()
        self.exhaust_v = (BANK_OFFSET if powertrain.banks == 2 else 0.0) + 78.0
        self.height = HEIGHT_ALONG if self.along else HEIGHT_ACROSS
        self.below = self.height - 56.0
        self.centre = (WIDTH / 2.0, 170.0 + self.length / 2.0 if self.along else 262.0)

    # -- coordinates --------------------------------------------------------------------------------------

    def at(self, u: float, v: float) -> Point:
        """Engine coordinates to picture coordinates."""
        along = u - self.length / 2.0
        along = -along if self.reversed else along
        cx, cy = self.centre
        return (cx + v, cy + along) if self.along else (cx + along, cy + v)

    def sign(self, bank: int) -> float:
        """−1 towards left or front of the picture, +1 towards right or rear."""
        return -1.0 if side_of(self.p, bank) in (BankOneSide.LEFT, BankOneSide.FRONT) else 1.0

    def bank_v(self, bank: int) -> float:
        return self.sign(bank) * BANK_OFFSET if self.p.banks == 2 else 0.0

    def intake_v(self) -> float:
        """V and flat engines breathe from the middle, in-line engines from the side away from the exhaust."""
        return 0.0 if self.p.banks == 2 else -self.sign(1) * 74.0

    def box(self, kind: str, words: str, u: tuple[float, float], v: tuple[float, float]) -> Box:
        (x1, y1), (x2, y2) = self.at(u[0], v[0]), self.at(u[1], v[1])
        return Box(kind, words, min(x1, x2), min(y1, y2), abs(x2 - x1), abs(y2 - y1))

    # -- bodies -------------------------------------------------------------------------------------------

    def boxes(self) -> Iterable[Box]:
        for bank in self.rows:
            v = self.bank_v(bank)
            yield self.box("block", "", (0.0, self.length), (v - BLOCK, v + BLOCK))
        short = {Gearbox.MANUAL: "gearbox", Gearbox.CVT: "CVT"}  # what the box has room for
        gear = short.get(self.p.gearbox, self.p.gearbox.split(" with")[0])
        yield self.box("gearbox", gear, (self.length + 8.0, self.length + 66.0), (-34.0, 34.0))
        intake = self.intake_v()
        yield self.box("manifold", "", (4.0, self.length - 4.0), (intake - 15.0, intake + 15.0))
        yield self.box("filter", "filter", (-108.0, -74.0), (intake - 26.0, intake + 26.0))
        for bank in self.rows:
            v = self.sign(bank) * self.exhaust_v
            word = "filter" if Aftertreatment.PARTICULATE_FILTER in self.p.aftertreatment else "cat"
            yield self.box("catalyst", word, (self.length + 30.0, self.length + 74.0), (v - 16.0, v + 16.0))
        yield Box("tank", "fuel tank", 560.0, self.below - 35.0, 190.0, 62.0)
        yield Box("cabin", "cabin", 110.0, self.below - 35.0, 190.0, 62.0)

    def paths(self) -> Iterable[Path]:
        intake = self.intake_v()
        yield Path("intake", (self.at(-74.0, intake), self.at(4.0, intake)))
        for bank, row in self.rows.items():
            out = self.sign(bank) * self.exhaust_v
            for index in range(len(row)):
                u = self.pitch * (index + 0.5)
                yield Path("exhaust", (self.at(u, self.bank_v(bank) + self.sign(bank) * BLOCK), self.at(u, out)))
                if self.p.banks == 2:
                    yield Path("intake", (self.at(u, 0.0), self.at(u, self.bank_v(bank) - self.sign(bank) * BLOCK)))
                else:
                    yield Path("intake", (self.at(u, intake), self.at(u, -self.sign(1) * BLOCK)))
            yield Path("exhaust", (self.at(self.pitch * 0.5, out), self.at(self.length + 122.0, out)))
        if self.p.induction is Induction.TURBO:
            out = self.sign(1) * self.exhaust_v
            ends = (self.at(self.length - 6.0, out), self.at(-40.0, out), self.at(-40.0, intake))
            yield Path("charge", ends)

    def cylinders(self) -> Iterable[Cylinder]:
        for bank, row in self.rows.items():
            for index, number in enumerate(row):
                x, y = self.at(self.pitch * (index + 0.5), self.bank_v(bank))
                yield Cylinder(x, y, number, bank, self.p.firing_order.index(number) + 1)

    def captions(self) -> Iterable[Caption]:
        yield Caption("FRONT OF THE CAR", WIDTH / 2.0, 22.0)
        yield Caption("left of the car", 74.0, self.below - 92.0, "start")
        yield Caption("right of the car", WIDTH - 74.0, self.below - 92.0, "end")
        if self.p.banks == 2:
            for bank in self.rows:
                x, y = self.at(self.length * 0.5, self.sign(bank) * (self.exhaust_v + 26.0))
                yield Caption(f"bank {bank}", x, y + 4.0)
        x, y = self.at(-92.0, self.sign(1) * 62.0)
        yield Caption("drive end", x, y)

    # -- parts --------------------------------------------------------------------------------------------

    def part(self, component: Component, codes: tuple[str, ...], mark: int) -> Part:
        x, y = self._place(component)
        return Part(component.id, component.words, self._where(component), x, y, _shape(component), codes, mark)

    def _stacked(self, key: str, u: float, v: float, du: float = STACK, dv: float = 0.0) -> Point:
        """The next free spot of a place in engine coordinates."""
        index = self.taken[key]
        self.taken[key] += 1
        return self.at(u + index * du, v + index * dv)

    def _lined(self, key: str, x: float, y: float, columns: int = 7) -> Point:
        """The next free spot of a place in picture coordinates."""
        index = self.taken[key]
        self.taken[key] += 1
        return x + (index % columns) * STACK, y + (index // columns) * STACK

    def _place(self, item: Component) -> Point:
        place, bank = item.place, item.bank or 1
        intake, out = self.intake_v(), self.sign(bank) * self.exhaust_v
        inside = -self.sign(bank)
        if place == "cylinder":
            row = self.rows[bank_of(self.p, item.cylinders[0])]
            u = self.pitch * (row.index(item.cylinders[0]) + 0.5)
            key = f"cylinder {item.cylinders[0]}"
            offset = (-0.28 * self.pitch, 0.28 * self.pitch)[self.taken[key] % 2]
            self.taken[key] += 1
            return self.at(u + offset, self.bank_v(bank) + inside * 34.0)
        if place == "bore":
            row = self.rows[bank]
            return self.at(self.pitch * (row.index(item.cylinders[0]) + 0.5), self.bank_v(bank))
        if place == "catalyst":
            return self._stacked(f"catalyst {bank}", self.length + 52.0, out, 24.0)
        if place == "bank":
            return self.at(self.length * 0.5 - 50.0, out + self.sign(bank) * 22.0)
        if place.startswith("exhaust"):
            u, du = (self.length + 8.0, -STACK) if item.sensor <= 1 else (self.length + 98.0, STACK)
            return self._stacked(f"{place} {bank}", u, out + self.sign(bank) * 24.0, du)
        engine: dict[str, tuple[float, float, float, float]] = {
            "intake, after filter": (-62.0, intake - 14.0, 0.0, 28.0),
            "throttle": (-34.0, intake - 26.0, 0.0, 26.0),
            "manifold": (12.0, intake, STACK, 0.0),
            "rail": (self.length - 24.0, intake + 30.0 * (1 if intake >= 0 else -1), -STACK, 0.0),
            "coils": (self.length * 0.5, intake - 28.0, STACK, 0.0),
            "crank, rear": (self.length + 2.0, 46.0, 0.0, STACK),
            "cam, drive end": (-14.0, self.bank_v(bank) - 54.0, 0.0, STACK),
            "block": (self.pitch, self.bank_v(bank) + self.sign(bank) * (BLOCK + 14.0), self.pitch, 0.0),
            "particulate filter": (self.length + 50.0, out - self.sign(bank) * 26.0, STACK, 0.0),
            "egr": (self.length - 8.0, self.sign(1) * (self.exhaust_v - 24.0), -STACK, 0.0),
            "secondary air": (20.0, self.sign(1) * (self.exhaust_v + 24.0), STACK, 0.0),
            "charge pipe": (-40.0, self.sign(1) * (self.exhaust_v - 30.0), 0.0, 0.0),
            "turbo": (self.length - 4.0, self.sign(1) * (self.exhaust_v + 22.0), -STACK, 0.0),
            "head, rear": (self.length - 4.0, self.bank_v(1) - (BLOCK + 14.0) * self.sign(1), -STACK, 0.0),
            "head, front": (4.0, self.bank_v(1) - (BLOCK + 14.0) * self.sign(1), STACK, 0.0),
            "front of engine": (-48.0, self.sign(1) * 96.0, 0.0, STACK * self.sign(1)),
        }
        if place == "gearbox":
            index = self.taken[place]
            self.taken[place] += 1
            return self.at(self.length + 86.0 + (index // 4) * STACK, -40.0 + (index % 4) * STACK)
        if place in engine:
            u, v, du, dv = engine[place]
            several = place in ("cam, drive end", "block")
            return self._stacked(f"{place} {bank if several else 0}", u, v, du, dv)
        car: dict[str, Point] = {
            "cabin": (130.0, self.below + 8.0),
            "tank": (580.0, self.below + 8.0),
            "front": (120.0, 52.0),
            "radiator": (540.0, 52.0),
            "fuse box": (670.0, 52.0),
            "control unit": (724.0, 112.0),
            "engine bay": (96.0, 112.0),
        }
        if place in car:
            return self._lined(place, *car[place])
        return self._lined("car", 340.0, self.below + 8.0)

    def _where(self, item: Component) -> str:
        """The place in words; for a part of a bank also which side of the car that is."""
        place = _PLACE_WORDS.get(item.place, item.place).replace("{n}", "/".join(map(str, item.cylinders)))
        if (item.bank and self.p.banks == 2) or item.row.place.startswith("exhaust"):
            return f"{place}. {side_words(self.p, item.bank or 1)}"
        return place


_PLACE_WORDS = {
    "cylinder": "at cylinder {n}",
    "bore": "cylinder {n}",
    "bank": "the whole bank",
    "catalyst": "in the exhaust",
    "exhaust, sensor 1": "in the exhaust before the catalyst",
    "exhaust, sensor 2": "in the exhaust after the catalyst",
    "cam, drive end": "at the drive end of the camshaft",
    "crank, rear": "at the crankshaft, commonly at the flywheel",
    "block": "at the cylinder block",
    "head, rear": "at the cylinder head, gearbox end",
    "head, front": "at the cylinder head, drive end",
    "intake, after filter": "between air filter and throttle",
    "front": "behind the front bumper",
    "car": "elsewhere in the car",
}


def _shape(component: Component) -> str:
    circuit = component.row.circuit
    if not circuit:
        return "bore" if component.row.place == "bore" else "body"
    if circuit == "module":
        return "module"
    if circuit in ("load", "motor", "smart coil"):
        return "actuator"
    return "contact" if circuit == "switch" else "sensor"
