"""The circuits of this powertrain's components, from ``circuits.toml``."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cache
from pathlib import Path

from gumshoe.core.circuits.netlist import Circuit, Element, Place
from gumshoe.core.errors import BadInput, DataError
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.tables import load_table


@dataclass(frozen=True)
class CircuitTemplate:
    """A circuit as it stands in the table; ``{c}`` in its words stands for the component."""

    type: str
    words: str
    element: tuple[Element, ...]
    place: tuple[Place, ...]
    commanded: str = ""
    connectors: dict[str, str] = field(default_factory=dict)
    stands: tuple[str, str] = ("key on, not commanded", "commanded on")


@dataclass(frozen=True)
class CircuitsFile:
    circuit: tuple[CircuitTemplate, ...]


@cache
def templates() -> dict[str, CircuitTemplate]:
    """Every circuit by the electrical type it is for. Raises DataError naming file and line, or what does not fit."""
    path = Path(__file__).parent / "circuits.toml"
    found = {row.type: row for row in load_table(path, CircuitsFile).circuit}
    for row in found.values():
        try:
            drawn(row, row.type, "the part")
        except DataError as error:
            raise DataError(f"{path.name}: {error.what}") from error
    return found


def drawn(template: CircuitTemplate, name: str, words: str) -> Circuit:
    """The circuit of one component."""

    def fill(text: str) -> str:
        return text.replace("{c}", words)

    return Circuit(
        name,
        fill(template.words),
        tuple(replace(item, words=fill(item.words)) for item in template.element),
        tuple(replace(item, words=fill(item.words)) for item in template.place),
        template.commanded,
        {key: fill(value) for key, value in template.connectors.items()},
        template.stands,
    )


def circuit_for(knowledge: Knowledge, component: str) -> Circuit:
    """The circuit of a component. Raises BadInput when there is no such component, or none is known for its type."""
    found = knowledge.components.get(component)
    if found is None:
        raise BadInput(
            f"This powertrain has no component “{component[:40]}”.",
            remedies=("write its id as it stands on the Powertrain page",),
        )
    template = templates().get(found.row.circuit)
    if template is None:
        raise BadInput(
            f"No circuit is known for {found.words} ({found.row.circuit or 'a mechanical part'}).",
            remedies=(f"circuits there are for: {', '.join(sorted(templates()))}",),
        )
    return drawn(template, component, found.words)
