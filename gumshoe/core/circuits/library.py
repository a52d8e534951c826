"""The circuits of this powertrain's components and of the points they share."""

from __future__ import annotations

import math
from dataclasses import replace

from gumshoe.core.circuits.netlist import Circuit, Kind
from gumshoe.core.circuits.templates import Member, Template, drawn, templates
from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.parts import Component, SharedPoint

REACH = 0.15
"""Share of a part's own repair minutes that it takes to reach its plug with a lead (common practice)."""
LEAST_MINUTES = 2.0
LOAD = "load"
"""The element of a circuit that is the part itself, as its resistance is told; of a member with its key."""
RANGE_OF = 3.2
"""Standard deviations of the logarithm from the least to the most that a sound part has: nine in ten lie between."""


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
        return _with_pins(_with_ohms(drawn(template, name, component.words), knowledge), knowledge, component)
    point = knowledge.points.get(name)
    if point is None:
        raise BadInput(
            f"This powertrain has no component “{name[:40]}”.",
            remedies=("write its id as it stands on the Powertrain page",),
        )
    found, members = _shared(point)
    if found is None:
        raise BadInput(f"No circuit is known for {point.words}.", remedies=("measure at one of the parts on it",))
    return _with_ohms(drawn(found, name, point.words, members), knowledge)


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


def sound_ohms(component: Component, features: frozenset[str]) -> tuple[float, float] | None:
    """Between what a sound part of this kind has on this powertrain; None where its kind does not tell."""
    row = component.row
    by_feature = next((span for feature, span in row.ohms_where.items() if feature in features), None)
    return by_feature or ((row.ohms[0], row.ohms[1]) if row.ohms else None)


def _with_ohms(circuit: Circuit, knowledge: Knowledge) -> Circuit:
    """The loads of a circuit with what sound ones of their kind have: the middle of the range, how far they differ."""
    features, elements = knowledge.powertrain.features, []
    for item in circuit.elements:
        owner = circuit.id if item.id == LOAD else item.id.removeprefix(f"{LOAD}_")
        component = knowledge.components.get(owner) if item.kind is Kind.LOAD and item.id.startswith(LOAD) else None
        span = sound_ohms(component, features) if component else None
        if span:
            low, high = span
            item = replace(item, ohm=math.sqrt(low * high), sound=math.log(high / low) / RANGE_OF)
        elements.append(item)
    return replace(circuit, elements=tuple(elements))


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
