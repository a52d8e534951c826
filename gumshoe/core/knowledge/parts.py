"""From a powertrain to its components and the points they share.

A class of ``components.toml`` becomes one component for each position; the usual wiring (or a platform's own) says
which of them hang on one feed, ground, reference or connector.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from decimal import Decimal
from functools import cache
from itertools import product
from pathlib import Path
from string import ascii_uppercase
from typing import Any

from gumshoe.core.errors import DataError
from gumshoe.core.knowledge.access import Access
from gumshoe.core.knowledge.code_index import CodeIndex, OwnCode, standard_index
from gumshoe.core.knowledge.component_rows import (
    WIRING_FIELDS,
    CircuitRow,
    ClassRow,
    ComponentsFile,
    PointRow,
)
from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.knowledge.values import Part, Rate, Row, WiringField, Words
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.powertrain.positions import bank_of, companion

FOLDER = Path(__file__).parent
SHIFT_SOLENOIDS = 5
_SUFFIX = {
    "bank": "{bb}",
    "cylinder": "_{n}",
    "sensor": "",
    "cam": "_{cam}",
    "pair": "_{L}",
    "solenoid": "_{L}",
}


@dataclass(frozen=True)
class Component:
    """One part at one position. ``codes`` maps each of its code numbers to the code's kind."""

    id: str
    words: str
    row: ClassRow
    codes: tuple[tuple[str, str], ...]
    bank: int = 0
    cylinders: tuple[int, ...] = ()
    sensor: int = 0
    cam: str = ""
    points: tuple[tuple[str, str], ...] = ()

    @property
    def place(self) -> str:
        return self.row.place.replace("{s}", str(self.sensor))


@dataclass(frozen=True)
class SharedPoint:
    """A feed, ground, reference, connector or bus that several components hang on."""

    id: str
    field: str
    words: str
    rate: float
    members: tuple[Component, ...]
    row: PointRow | None = None
    from_platform: bool = False


@dataclass(frozen=True)
class WiringRow(Row):
    """A platform's own shared point: what it is, its name in the wiring diagram, and the components on it."""

    id: str
    field: WiringField
    words: Words
    members: tuple[Part, ...]
    rate: Rate = 0.8


@dataclass(frozen=True)
class PinRow:
    """A terminal of a component's plug on this vehicle: which wire (``feed``, ``control``, ``signal`` …, as its circuit
    names the place), the pin's number and the wire's colour."""

    component: str
    terminal: str
    number: str
    colour: str = ""


@dataclass(frozen=True)
class Fitted:
    """Equipment that a code tells of: the code, and in words what the description lacks."""

    code: str
    words: str


@dataclass(frozen=True)
class Cause:
    """What a code stands for that names no part anybody measures here: the code's number, an id for what it names, its
    title, what finding it takes, and the first steps of the search."""

    number: str
    component: str
    title: str
    rate: float
    price: Decimal
    minutes: int
    steps: tuple[str, ...]
    cautions: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class Local:
    """What is known of one vehicle or shop beyond the generic tables; ``places``: points that the codes of a case are
    taken to share; ``causes``: what codes of it stand for that no part does; ``fitted``: what they tell of that the
    description lacks; ``strangers``: codes that the tables lead nowhere. Told apart by identity, so keep and reuse
    it."""

    id: str = ""
    wiring: tuple[WiringRow, ...] = ()
    parts: tuple[ClassRow, ...] = ()
    codes: tuple[OwnCode, ...] = ()
    access: tuple[tuple[str, Access], ...] = ()
    pins: tuple[PinRow, ...] = ()
    places: tuple[SharedPoint, ...] = ()
    causes: tuple[Cause, ...] = ()
    fitted: tuple[Fitted, ...] = ()
    strangers: frozenset[str] = frozenset()
    index: CodeIndex = field(init=False, repr=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "index", CodeIndex(self.codes) if self.codes else standard_index())


BRANCHING = {"reference": "5 V reference", "low_reference": "low reference"}
MOST_BRANCHED, BRANCH_SHARE = 4, 0.5
"""So many parts at most share a branch of a reference; what it takes of the rate of the whole (common practice)."""
GENERIC = Local()
"""Nothing known beyond the generic tables."""


@cache
def components_file() -> ComponentsFile:
    """The shipped classes. Raises DataError with file and line."""
    return load_table(FOLDER / "components.toml", ComponentsFile)


@cache
def components(powertrain: Powertrain, local: Local = GENERIC) -> tuple[Component, ...]:
    """Every component this powertrain has, in the order of the table, then the platform's own."""
    return tuple(
        component
        for row in (*components_file().part, *local.parts)
        if set(row.needs) <= powertrain.features
        for component in _positions(row, powertrain, local)
    )


def circuit_of(component: Component) -> CircuitRow | None:
    """The component's electrical type; None for a mechanical part."""
    return components_file().circuit.get(component.row.circuit)


@cache
def shared_points(powertrain: Powertrain, local: Local = GENERIC) -> tuple[SharedPoint, ...]:
    """The points two or more components hang on. A platform's points take their members from the usual ones.

    Raises DataError when the platform names a component this powertrain has not.
    """
    everyone = {item.id: item for item in components(powertrain, local)}
    taken: set[tuple[str, str]] = set()
    found = []
    for own in local.wiring:
        for name in own.members:
            if name not in everyone:
                raise DataError(f"wiring {own.id}: this powertrain has no component “{name}”.")
            taken.add((own.field, name))
        members = tuple(everyone[name] for name in own.members)
        found.append(SharedPoint(own.id, own.field, own.words, own.rate, members, None, from_platform=True))
    for row in components_file().point:
        members = tuple(
            item
            for item in everyone.values()
            if {(row.field, name) for name in (row.id, *row.above)} & set(item.points)
            and (row.field, item.id) not in taken
        )
        if len(members) > 1:
            found.append(SharedPoint(f"{row.field}_{row.id}", row.field, row.words, row.rate, members, row))
            found.extend(_branches(found[-1]))
    return (*found, *local.places)


# -- inside -----------------------------------------------------------------------------------------------


def _branches(point: SharedPoint) -> Iterator[SharedPoint]:
    """The branches of a reference or low reference to its parts of one kind: where no diagram is known, parts alike are
    taken to be joined on their way to it (common practice: two thermistors open at once share their ground)."""
    if point.field not in BRANCHING:
        return
    kinds = dict.fromkeys(member.row.circuit for member in point.members)
    for kind in kinds if len(kinds) > 1 else ():
        alike = tuple(member for member in point.members if member.row.circuit == kind)
        if 1 < len(alike) <= MOST_BRANCHED:
            name = f"{point.id}_{kind.replace(' ', '_')}"
            named = f"{', '.join(member.words for member in alike[:-1])} and {alike[-1].words}"
            words = f"shared branch of the {BRANCHING[point.field]} to {named}"
            yield SharedPoint(name, point.field, words, point.rate * BRANCH_SHARE, alike)


def _positions(row: ClassRow, powertrain: Powertrain, local: Local) -> Iterator[Component]:
    axes = [_axis(name, powertrain) for name in row.per]
    for chosen in product(*axes):
        place: dict[str, Any] = {"b": 1, "bb": ""}
        for values in chosen:
            place |= values
        if "cylinder" in row.per:
            bank = bank_of(powertrain, place["n"])
            place |= {"b": bank, "bb": f"_b{bank}" if bank > 1 else ""}
        yield _component(row, place, local, has_bank=bool({"bank", "cylinder"} & set(row.per)))


def _axis(name: str, powertrain: Powertrain) -> list[dict[str, Any]]:
    if name == "bank":
        return [{"b": b, "bb": f"_b{b}" if b > 1 else ""} for b in range(1, powertrain.banks + 1)]
    if name == "cylinder":
        return [{"n": n, "L": ascii_uppercase[n - 1], "cylinders": (n,)} for n in range(1, powertrain.cylinders + 1)]
    if name == "sensor":
        return [{"s": 1}, {"s": 2}]
    if name == "cam":
        return [{"cam": cam, "A": "A" if cam == "intake" else "B"} for cam in powertrain.cams]
    if name == "pair":
        pairs: list[dict[str, Any]] = []
        for n in range(1, powertrain.cylinders + 1):
            other = companion(powertrain, n)
            if other is not None and other > n:
                letter = ascii_uppercase[len(pairs)]
                pairs.append({"pair": f"{n} and {other}", "L": letter, "cylinders": (n, other)})
        return pairs
    return [{"L": ascii_uppercase[index]} for index in range(SHIFT_SOLENOIDS)]


def _component(row: ClassRow, place: dict[str, Any], local: Local, *, has_bank: bool) -> Component:
    if row.per == ("bank", "sensor"):
        suffix = f"_b{place['b']}s{place['s']}"
    else:
        suffix = "".join(_SUFFIX[axis] for axis in row.per)
    own = {name: getattr(row, name) for name in WIRING_FIELDS}
    # a list: one code may stand under two names of the same part
    codes = dict(pair for name in row.codes for pair in local.index.of_component(_filled(name, place)))
    name = row.id + _filled(suffix, place)
    codes |= {code.number: code.kind for code in local.codes if code.part == name}
    return Component(
        id=name,
        words=_filled(row.words, place),
        row=row,
        codes=tuple(sorted(codes.items())),
        bank=place["b"] if has_bank else 0,
        cylinders=place.get("cylinders", ()),
        sensor=place.get("s", 0),
        cam=place.get("cam", ""),
        points=tuple((name, _filled(value, place)) for name, value in own.items() if value),
    )


def _filled(text: str, place: dict[str, Any]) -> str:
    for key, value in place.items():
        text = text.replace(f"{{{key}}}", str(value))
    return text
