"""The circuits of this powertrain's components, from ``circuits.toml``."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path

from gumshoe.core.circuits.netlist import Circuit
from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.tables import load_table


@dataclass(frozen=True)
class CircuitsFile:
    """``circuits.toml``: each circuit under the electrical type it is for, ``{c}`` in its words for the component."""

    circuit: tuple[Circuit, ...]


@cache
def templates() -> dict[str, Circuit]:
    """Every circuit by the electrical type it is for. Raises DataError naming the file and what does not fit."""
    return {row.id: row for row in load_table(Path(__file__).parent / "circuits.toml", CircuitsFile).circuit}


def drawn(template: Circuit, name: str, words: str) -> Circuit:
    """The circuit of one component."""

    def fill(text: str) -> str:
        return text.replace("{c}", words)

    return replace(
        template,
        id=name,
        words=fill(template.words),
        elements=tuple(replace(item, words=fill(item.words)) for item in template.elements),
        places=tuple(replace(item, words=fill(item.words)) for item in template.places),
        connectors={key: fill(value) for key, value in template.connectors.items()},
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
