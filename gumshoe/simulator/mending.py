"""How a stand-in's parts are mended: a part put back to its nominal condition, or its plug and wires in order."""

from __future__ import annotations

from collections.abc import Iterable
from copy import deepcopy
from dataclasses import fields, replace

from gumshoe.core.powertrain.component import ComponentRef
from gumshoe.simulator.defects import Defect, part_defects
from gumshoe.simulator.models import CarModel, kind_of_point
from gumshoe.simulator.parts import INSIDE, Parts, healthy
from gumshoe.simulator.wires import HOUSED_IN, OWN_POINTS

WIRES = ("unplugged", "wired", "loose", "moods", "apart", "acting", "silent")
"""What is kept of wires: mended element by element below."""
SETS = {"spark_plugs": "spark_plug", "injectors": "injector"}
"""What is renewed or cleaned as a set, and the kind of its members."""
BUS, BOTH_ENDS = "bus_bus", 2
OUTPUTS = frozenset({"driver", "high_side"})
"""Elements of a circuit that sit in the control unit."""
DRIVEN_BY = {"glow_plug": "glow_module"}
"""Which unit drives a kind of part, where it is not the engine's."""

OPENS = frozenset({"renew", "mend"})
"""Work after which what was broken inside the part is whole."""
REPLUGS = OPENS | {"refit", "clean"}
HEATED = ("oxygen_sensor", "oxygen_heater")


def mend(parts: Parts, component: str, model: CarModel, work: str = "renew") -> bool:
    """Put a component back to its nominal condition, as far as this work does: what is worn is not cured by setting it,
    nor what is dirty by learning it anew. True when that changed anything.

    A part that is taken out is also plugged in again; what is broken inside goes with the part.
    """
    before = repr(parts)
    nominal = healthy(model)
    own = [
        defect
        for defect in part_defects(model)
        if component == defect.component or ComponentRef.parse(defect.component).kind == SETS.get(component)
    ]
    left = [defect for defect in own if work not in defect.by and _is_there(defect, parts)]
    for defect in own:
        if work not in defect.by:
            continue
        trial = healthy(model)
        defect.apply(trial)
        for item in fields(Parts):
            if item.name in WIRES:
                continue
            good, bad = getattr(nominal, item.name), getattr(trial, item.name)
            if good == bad:
                continue
            if isinstance(good, list):
                for index, (a, b) in enumerate(zip(good, bad, strict=True)):
                    if a != b:
                        getattr(parts, item.name)[index] = a
            elif isinstance(good, dict):
                getattr(parts, item.name).pop(component, None)
            elif isinstance(good, set):
                getattr(parts, item.name).discard(component)
            else:
                setattr(parts, item.name, good)
    for defect in left:  # of two in one quantity (a chain stretched, or a tooth out) the other was taken away with it
        defect.apply(parts)
    for name in [name for name, (element, _) in parts.wired.items() if element in OUTPUTS]:
        if work == "renew" and component == DRIVEN_BY.get(ComponentRef.parse(name).kind, "engine_module"):
            del parts.wired[name]
    for name in _housed_with(component) if work in REPLUGS else ():
        parts.unplugged.discard(name)
        parts.loose.discard(name)
        for held in (parts.wired, parts.moods) if work in OPENS else ():
            if held.get(name, ("",))[0].rpartition(":")[2] in INSIDE:
                del held[name]
    return repr(parts) != before


def _is_there(defect: Defect, parts: Parts) -> bool:
    """Whether the parts have this very fault: it would change nothing."""
    trial = deepcopy(parts)
    defect.apply(trial)
    return repr(trial) == repr(parts)


def mend_wiring(parts: Parts, component: str) -> None:
    """Put a component's plug on and its circuit in order: who mends wires renews what he finds open, as the step says.
    Whatever else is worn in the part stays, and a dead output stage, which sits in the control unit. The terminators
    belong to the bus wires."""
    if component == BUS:
        parts.terminators = BOTH_ENDS
    part, path = OWN_POINTS.get(component, ("", frozenset()))
    if parts.wired.get(part, ("",))[0].rpartition(":")[2] in path:
        del parts.wired[part]
    for name in _housed_with(component):
        parts.unplugged.discard(name)
        parts.loose.discard(name)
        parts.silent.discard(name)
        parts.moods.pop(name, None)
        if parts.wired.get(name, ("",))[0] not in OUTPUTS:
            parts.wired.pop(name, None)


def reached_with(component: str, reached: Iterable[str]) -> tuple[str, ...]:
    """What a repair of wires puts in order: with a plug all that is in it; a fuse, a reference, a ground or the bus
    wires are mended by themselves, and whoever hangs on them keeps what is wrong in its own circuit."""
    return (component,) if component == BUS or kind_of_point(component) else (component, *reached)


def _housed_with(component: str) -> tuple[str, ...]:
    """A sensor and its heater are one part, and so are two tracks."""
    part = ComponentRef.parse(component)
    if part.kind in HEATED:
        return tuple(str(replace(part, kind=kind)) for kind in HEATED)
    if component == "throttle_body":
        return "throttle_sensor", "throttle_sensor_b", "throttle_motor"
    first = HOUSED_IN.get(component, component)
    return first, *(track for track, home in HOUSED_IN.items() if home == first)
