"""Circuits as ``circuits.toml`` has them: how each electrical type is wired, drawn for a part or a shared point."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cache
from pathlib import Path

from gumshoe.core.circuits.netlist import Circuit, Element, Need, Place
from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.knowledge.values import Block, Count, Row, Words

FILE = Path(__file__).parent / "circuits.toml"


@dataclass(frozen=True)
class BlockRow(Row):
    """A run of elements and places that many circuits share."""

    id: str
    elements: tuple[Element, ...] = ()
    places: tuple[Place, ...] = ()
    connectors: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class EachRow(Row):
    """What a shared circuit has once for every member; ``{m}`` is the member's key, ``{mc}`` its words."""

    elements: tuple[Element, ...]
    places: tuple[Place, ...]
    connectors: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Template(Row):
    """A circuit as it stands in the file: blocks by name, its own elements, what it has for every member (``most``)."""

    id: str
    words: Words
    use: tuple[Block, ...] = ()
    without: tuple[str, ...] = ()
    elements: tuple[Element, ...] = ()
    places: tuple[Place, ...] = ()
    commanded: tuple[str, ...] = ()
    connectors: dict[str, str] = field(default_factory=dict)
    stands: tuple[str, str] = ("key on, not commanded", "commanded on")
    duty: bool = False
    drops: tuple[tuple[str, str], ...] = ()
    each: EachRow | None = None
    most: Count = 6


@dataclass(frozen=True)
class CircuitsFile(Row):
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
    """Every circuit by its id. Raises DataError with file and line."""
    file = load_table(FILE, CircuitsFile)
    return {row.id: whole(row, file.block) for row in file.circuit}


def whole(row: Template, blocks: tuple[BlockRow, ...]) -> Template:
    """The template with what its blocks bring."""
    used = [block for name in row.use for block in blocks if block.id == name]
    return replace(
        row,
        connectors={key: words for b in used for key, words in b.connectors.items()} | row.connectors,
        elements=tuple(e for b in used for e in b.elements if e.id not in row.without) + row.elements,
        places=tuple(place for b in used for place in b.places) + row.places,
    )


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
    plug_of: dict[str, str] = {}
    for member in hanging:
        assert template.each

        def own(text: str, member: Member = member) -> str:
            return fill(text, member)

        mine = [_filled(item, own) for item in template.each.elements]
        elements += [item if item.of else replace(item, of=f"wiring of {member.key}") for item in mine]
        places += [
            replace(
                item,
                node=own(item.node),
                words=own(item.words),
                behind=own(item.behind),
                minutes=member.minutes,
                member=member.key,
            )
            for item in template.each.places
            if item.node.removesuffix("_{m}") not in member.lacks
        ]
        plugs = {own(key): own(value) for key, value in template.each.connectors.items()}
        connectors |= plugs
        plug_of |= dict.fromkeys(plugs, member.key)
    commanded = dict(own for item in template.commanded for own in _for_each(item, hanging))
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
        plug_of=plug_of,
        drives={name: key for name, key in commanded.items() if key},
    )


# -- inside -----------------------------------------------------------------------------------------------


def _for_each(text: str, members: tuple[Member, ...]) -> list[tuple[str, str]]:
    """An element's id for every member, with the member's key; of the circuit's own, with none."""
    return [(text.replace("{m}", member.key), member.key) for member in members] if "{m}" in text else [(text, "")]


def _filled(item: Element, fill: Callable[[str], str]) -> Element:
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
