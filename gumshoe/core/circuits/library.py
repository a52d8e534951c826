"""The circuits of this powertrain's components and of the points they share."""

from __future__ import annotations

from dataclasses import replace

from gumshoe.core.circuits.netlist import Circuit
from gumshoe.core.circuits.templates import Member, Template, drawn, templates
from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.parts import Component, SharedPoint

REACH = 0.15
"""Share of a part's own repair minutes that it takes to reach its plug with a lead (common practice)."""
LEAST_MINUTES = 2.0


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
