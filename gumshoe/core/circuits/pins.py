"""The pin table of a vehicle: what goes where from each part's plug to the control unit's, from its platform file."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from gumshoe.core.circuits.library import circuit_for
from gumshoe.core.circuits.netlist import Circuit, Kind
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.parts import PinRow


@dataclass(frozen=True)
class PinLine:
    """One wire: what it is, its pin at the part and at the control unit (empty where it does not go there), its
    colour."""

    words: str
    at_part: str
    at_unit: str
    colour: str


@dataclass(frozen=True)
class Plug:
    """The wires of one part."""

    component: str
    words: str
    lines: tuple[PinLine, ...]


def pin_table(knowledge: Knowledge) -> tuple[Plug, ...]:
    """Every part whose pins the platform file gives, in the file's order; none for a vehicle nothing is known of."""
    of: dict[str, dict[str, PinRow]] = {}
    for row in knowledge.pins:
        of.setdefault(row.component, {})[row.terminal] = row
    return tuple(
        Plug(name, knowledge.components[name].words, tuple(_lines(circuit_for(knowledge, name), rows)))
        for name, rows in of.items()
    )


def _lines(circuit: Circuit, rows: dict[str, PinRow]) -> Iterator[PinLine]:
    words = {place.node: place.words for place in circuit.places}
    other = {
        a: b for item in circuit.elements if item.kind is Kind.WIRE for a, b in ((item.a, item.b), (item.b, item.a))
    }
    told = set()
    for terminal, row in rows.items():
        if terminal in told:
            continue
        far = rows.get(other.get(terminal, ""))
        near_is_unit = terminal in circuit.at_unit
        if far and (far.terminal in circuit.at_unit) == near_is_unit:
            far = None  # a wire between two plugs of the part, such as a relay's and its load's
        if far:
            told.add(far.terminal)
        part, unit = (far, row) if near_is_unit else (row, far)
        name = words.get(part.terminal if part else terminal, terminal.replace("_", " "))
        yield PinLine(
            name.removesuffix(" of the plug").removesuffix(" of the socket"),
            part.number if part else "",
            unit.number if unit else "",
            (part or row).colour,
        )
