"""The circuits of this powertrain's components and of the points they share, from ``circuits.toml``."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cache
from pathlib import Path

from gumshoe.core.circuits.netlist import Circuit, Element, Need, Place
from gumshoe.core.errors import BadInput, DataError
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.parts import Component, SharedPoint
from gumshoe.core.knowledge.tables import load_table

FILE = Path(__file__).parent / "circuits.toml"
REACH = 0.15
"""Share of a part's own repair minutes that it takes to reach its plug with a lead (common practice)."""
LEAST_MINUTES = 2.0


@dataclass(frozen=True)
class BlockRow:
    """A run of elements and places that many circuits share."""

    id: str
    elements: tuple[Element, ...] = ()
    places: tuple[Place, ...] = ()
    connectors: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class EachRow:
    """What a shared circuit has once for every member; ``{m}`` is the member's key, ``{mc}`` its words."""

    elements: tuple[Element, ...]
    places: tuple[Place, ...]
    connectors: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Template:
    """A circuit as it stands in the file: blocks by name, its own elements, what it has for every member (``most``)."""

    id: str
    words: str
    use: tuple[str, ...] = ()
    without: tuple[str, ...] = ()
    elements: tuple[Element, ...] = ()
    places: tuple[Place, ...] = ()
    commanded: tuple[str, ...] = ()
    connectors: dict[str, str] = field(default_factory=dict)
    stands: tuple[str, str] = ("key on, not commanded", "commanded on")
    duty: bool = False
    drops: tuple[tuple[str, str], ...] = ()
    each: EachRow | None = None
    most: int = 6


@dataclass(frozen=True)
class CircuitsFile:
    """``circuits.toml``."""

    block: tuple[BlockRow, ...]
    circuit: tuple[Template, ...]


@dataclass(frozen=True)
class Member:
    """One part on a shared point: its key in node names, its words, the minutes to reach its plug, and the kinds of
    places that it has not (a pulse sensor's signal says nothing of its feed)."""

    key: str
    words: str
    minutes: float = 3.0
    lacks: tuple[str, ...] = ()


SOME = (Member("one", "the first part"), Member("two", "the second part"), Member("three", "the third part"))
"""Members to draw a shared circuit with when nothing is known of a vehicle."""


@cache
def templates() -> dict[str, Template]:
    """Every circuit by its id. Raises DataError naming the file and what does not fit."""
    loaded = load_table(FILE, CircuitsFile)
    blocks = {row.id: row for row in loaded.block}
    found = {}
    for row in loaded.circuit:
        for name in row.use:
            if name not in blocks:
                raise DataError(f"{FILE.name}: {row.id}: there is no block “{name}”.")
        used = [blocks[name] for name in row.use]
        found[row.id] = replace(
            row,
            connectors={key: words for b in used for key, words in b.connectors.items()} | row.connectors,
            elements=tuple(e for b in used for e in b.elements if e.id not in row.without) + row.elements,
            places=tuple(place for b in used for place in b.places) + row.places,
        )
        drawn(found[row.id], row.id, "the part", SOME)  # raises when something in it does not fit
    return found


def drawn(template: Template, name: str, words: str, members: tuple[Member, ...] = SOME) -> Circuit:
    """The circuit of one component, or of a shared point with its members."""

    def fill(text: str, member: Member | None = None) -> str:
        if member:
            text = text.replace("{mc}", member.words).replace("{m}", member.key)
        return text.replace("{c}", words)

    elements = [_filled(item, fill) for item in template.elements]
    places = [replace(item, words=fill(item.words)) for item in template.places]
    connectors = {key: fill(value) for key, value in template.connectors.items()}
    hanging = members[: template.most] if template.each else ()
    for member in hanging:
        assert template.each

        def own(text: str, member: Member = member) -> str:
            return fill(text, member)

        mine = [_filled(item, own) for item in template.each.elements]
        elements += [item if item.of else replace(item, of=f"wiring of {member.key}") for item in mine]
        places += [
            replace(item, node=own(item.node), words=own(item.words), behind=own(item.behind), minutes=member.minutes)
            for item in template.each.places
            if item.node.removesuffix("_{m}") not in member.lacks
        ]
        connectors |= {own(key): own(value) for key, value in template.each.connectors.items()}
    commanded = [own for item in template.commanded for own in _for_each(item, hanging)]
    return Circuit(
        id=name,
        words=fill(template.words),
        elements=tuple(elements),
        places=tuple(places),
        commanded=tuple(commanded),
        connectors=connectors,
        stands=template.stands,
        duty=template.duty,
        drops=template.drops,
        members={member.key: member.words for member in hanging},
    )


def circuit_for(knowledge: Knowledge, name: str) -> Circuit:
    """The circuit of a component, or of a point that several share. Raises BadInput when there is no such thing, or no
    circuit is known for its type."""
    component = knowledge.components.get(name)
    if component:
        template = templates().get(_kind(component))
        if template is None:
            raise BadInput(
                f"No circuit is known for {component.words} ({component.row.circuit or 'a mechanical part'}).",
                remedies=("choose a part with wires of its own",),
            )
        return _with_pins(drawn(template, name, component.words), knowledge, component)
    point = knowledge.points.get(name)
    if point is None:
        raise BadInput(
            f"This powertrain has no component “{name[:40]}”.",
            remedies=("write its id as it stands on the Powertrain page",),
        )
    found, members = _shared(point)
    if found is None:
        raise BadInput(f"No circuit is known for {point.words}.", remedies=("measure at one of the parts on it",))
    return drawn(found, name, point.words, members)


def circuits_of(knowledge: Knowledge) -> dict[str, str]:
    """Every component and shared point that has a circuit, with its words."""
    found = {item.id: item.words for item in knowledge.components.values() if _kind(item) in templates()}
    for point in knowledge.points.values():
        if _shared(point)[0] is not None:
            found[point.id] = point.words
    return found


# -- inside -----------------------------------------------------------------------------------------------


def _shared(point: SharedPoint) -> tuple[Template | None, tuple[Member, ...]]:
    """The circuit of a shared point and the members that fit it: those of the commonest sort on it."""
    if point.field == "bus":
        return templates()["bus"], ()
    if point.field in ("reference", "low_reference"):
        fitting = [item for item in point.members if item.row.circuit in ("reference sensor", "hall sensor")]
        return (templates()["reference"] if len(fitting) > 1 else None), tuple(map(_member, fitting))
    kinds = [_kind(item) for item in point.members]
    for kind in sorted(set(kinds), key=kinds.count, reverse=True):
        # A ring of coils is one circuit, whether one comes to it by its feed or by its ground.
        name = "ground of smart coil" if kind == "smart coil" else f"{point.field} of {kind}"
        template = templates().get(name)
        if template and kinds.count(kind) > 1:
            return template, tuple(_member(item) for item in point.members if _kind(item) == kind)
    return None, ()


def _kind(item: Component) -> str:
    return item.row.netlist or item.row.circuit


def _member(item: Component) -> Member:
    lacks = ("signal",) if item.row.circuit == "hall sensor" else ()
    return Member(item.id, item.words, max(LEAST_MINUTES, round(REACH * item.row.minutes)), lacks)


def _for_each(text: str, members: tuple[Member, ...]) -> list[str]:
    return [text.replace("{m}", member.key) for member in members] if "{m}" in text else [text]


def _filled(item: Element, fill) -> Element:  # type: ignore[no-untyped-def]
    return replace(
        item,
        id=fill(item.id),
        a=fill(item.a),
        b=fill(item.b),
        words=fill(item.words),
        connector=fill(item.connector),
        of=fill(item.of),
        needs=tuple(Need(fill(need.plus), fill(need.minus), need.volts) for need in item.needs),
    )


def _with_pins(circuit: Circuit, knowledge: Knowledge, component: Component) -> Circuit:
    """Pin numbers and colours, where the platform gives them: by the harness side of each terminal."""
    pins = {row.terminal: row for row in knowledge.pins if row.component == component.id}
    if not pins:
        return circuit
    elements = []
    for item in circuit.elements:
        row = pins.get(item.a) or pins.get(item.b)
        inside = bool(row and item.connector and row.terminal in (item.a, item.b))
        elements.append(replace(item, pin=row.number, colour=row.colour) if row and inside else item)
    return replace(circuit, elements=tuple(elements))
