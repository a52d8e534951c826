"""What is wired in a stand-in (``wires.toml``): each part with its drawing, what can be wrong in it, and the circuit as
it really is."""

from __future__ import annotations

import tomllib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path

from pydantic import TypeAdapter

from gumshoe.core.circuits.netlist import GROUND, OPEN_OHM, Circuit, Element, Kind
from gumshoe.core.circuits.templates import drawn, templates
from gumshoe.simulator.models import CarModel, kind_of_point, models
from gumshoe.simulator.parts import Parts

TO_GROUND, TO_FEED = "to_ground:", "to_feed:"
"""How a path that should not be there is named: from the far end of a wire."""
SHORT_OHM = 0.1
BAD_CONTACT_OHM = {"load": 60.0, "sensor": 4_000.0}
"""What a fretted terminal has (common practice: it leaves a load a quarter of its current, and moves a signal)."""
PATHS = {Kind.WIRE, Kind.CONTACT, Kind.FUSE, Kind.SPLICE, Kind.GROUND_POINT}
ANALOG = {"thermistor", "reference sensor", "pulled down sensor", "two tracks"}
PULSED = {"hall sensor", "pulled up sensor"}
HOUSED_IN = {"throttle_sensor_b": "throttle_sensor", "pedal_sensor_b": "pedal_sensor"}
"""The second track of a part, and the part."""
OWN_POINTS = {"low_reference_pedal": ("pedal_sensor", frozenset({"low_contact", "low_wire", "unit_low_contact"}))}
"""A point that only the tracks of one part hang on: the part, and the elements of its own circuit that it is."""
SHARED = {"feed", "ground", "reference", "low_reference"}


@dataclass(frozen=True)
class Row:
    """A part of ``wires.toml``."""

    name: str
    circuit: str
    codes: dict[str, str]
    per: str = ""
    needs: str = ""
    plug: str = ""
    track: int = 0


@dataclass(frozen=True)
class Wired:
    """One wired part of a car: its circuit, its codes by what is wrong, its plug (its own name, or one it shares)."""

    name: str
    kind: str
    circuit: Circuit
    codes: dict[str, str]
    plug: str
    track: int = 0

    @property
    def sensor(self) -> bool:
        return self.kind in ANALOG | PULSED | {"oxygen sensor"}

    @property
    def holder(self) -> str:
        """The part under whose name a fault in this circuit is kept: two tracks are one circuit."""
        return HOUSED_IN.get(self.name, self.name)


def wrong_in(parts: Parts, name: str, circuit: Circuit) -> Iterator[tuple[str, float]]:
    """What is wrong in a circuit: elements (or paths that should not be there) and the ohms they have."""
    names = {item.id for item in circuit.elements}
    keys = {HOUSED_IN.get(name, name), name, *circuit.members}
    heater = name.replace("oxygen_sensor", "oxygen_heater") if "cell" in names else ""
    acting = {key: (element, ohm) for key, (element, ohm, _) in parts.moods.items() if key in parts.acting}
    for component, (element, ohm) in [*parts.wired.items(), *acting.items()]:
        path, _, inner = element.rpartition(":")
        path += ":" if path else ""
        if component == heater:
            inner = "heater" if inner == "load" else inner
        elif component in circuit.members:
            inner = f"{inner}_{component}"
        elif component not in keys:
            continue
        if inner in names:
            yield path + inner, ohm
    for point, members in parts.open_points.items():
        if point == name or name in members or set(members) & set(circuit.members):
            broken = next(
                (e for e in circuit.elements if e.of == kind_of_point(point) and e.kind is not Kind.CONTACT), None
            )
            if broken:
                yield broken.id, OPEN_OHM


def with_wrong(circuit: Circuit, wrong: Iterable[tuple[str, float]]) -> Circuit:
    """The circuit as it really is."""
    changed, added = {}, []
    source = next((item.a for item in circuit.elements if item.kind is Kind.SUPPLY and item.b == GROUND), "")
    for name, ohm in wrong:
        path, _, element = name.rpartition(":")
        if path:
            end = circuit.element(element).b
            away = GROUND if path + ":" == TO_GROUND else source
            added.append(Element(f"{path} {element}", Kind.WIRE, end, away, "a path that should not be there", ohm))
        else:
            changed[element] = ohm
    return replace(circuit, elements=(*(_changed(item, changed) for item in circuit.elements), *added))


def _changed(item: Element, ohms: dict[str, float]) -> Element:
    """An element as it really is; a burnt-out filament hardly takes anything."""
    if item.id not in ohms:
        return item
    if item.kind is Kind.LAMP:
        return replace(item, kind=Kind.INPUT, ohm=ohms[item.id], volts=0.0, watts=0.0)
    return replace(item, ohm=ohms[item.id], off_ohm=ohms[item.id] if item.off_ohm else 0.0)


def faults_in(wired: Wired, on_points: Iterable[str]) -> Iterator[tuple[str, str, float]]:
    """Everything that can be wrong in a part's wires: element, what, ohms; what hangs on a shared point of the car
    (``on_points``: which kinds of points hold it) is not the part's own."""
    held = set(on_points)
    contact = BAD_CONTACT_OHM["sensor" if wired.sensor or wired.kind == "smart coil" else "load"]
    for item in wired.circuit.elements:
        if (item.of in SHARED and item.of in held) or _of_other_track(wired, item):
            continue
        if item.kind in PATHS:
            yield item.id, "open", OPEN_OHM
            if item.kind is Kind.WIRE:
                yield TO_GROUND + item.id, "to ground", SHORT_OHM
                yield TO_FEED + item.id, "to a feed", SHORT_OHM
            elif item.kind is Kind.CONTACT:
                yield item.id, "bad contact", contact
        elif item.kind in (Kind.LOAD, Kind.SENSOR):
            yield item.id, "open", OPEN_OHM
            yield item.id, "shorted", item.ohm * 0.02
        elif item.kind in (Kind.DRIVER, Kind.SWITCH) and not item.needs:
            yield item.id, "stuck off", OPEN_OHM
            yield item.id, "stuck on", item.ohm
        elif item.kind is Kind.TRACK:
            yield item.id, "worn spot", OPEN_OHM
        elif item.kind is Kind.LAMP:
            yield item.id, "open", OPEN_OHM


def _of_other_track(wired: Wired, item: Element) -> bool:
    """Whether an element is told of at the circuit's other track (its shared wires at the first)."""
    own = item.id.rpartition("_")[2]
    return wired.track > 0 and (own != str(wired.track) if own in ("1", "2") else wired.track == 2)


@cache
def _rows() -> tuple[Row, ...]:
    raw = tomllib.loads(Path(__file__).with_name("wires.toml").read_text(encoding="utf-8"))
    return tuple(TypeAdapter(list[Row]).validate_python(raw["part"]))


@cache
def wired_parts(kind: str) -> dict[str, Wired]:
    """Every wired part of a kind of car, by name."""
    model = models()[kind]
    found = {}
    for row in _rows():
        if row.needs and not getattr(model, row.needs):
            continue
        for place in _places(row, model):
            name = _named(row.name, row.per, place)
            codes = {key: _numbered(code, place) for key, code in row.codes.items()}
            plug = _named(row.plug, row.per, place) or name
            circuit = drawn(templates()[row.circuit], name, name.replace("_", " "))
            found[name] = Wired(name, row.circuit, circuit, codes, plug, row.track)
    return found


def _places(row: Row, model: CarModel) -> range:
    count = {"cylinder": model.cylinders, "bank": len(model.banks)}.get(row.per, 1)
    return range(1, count + 1)


def _named(text: str, per: str, place: int) -> str:
    tail = f"_b{place}" if per == "bank" and place > 1 else ""
    return text.replace("{n}", str(place)).replace("{bb}", tail).replace("{b}", str(place))


def _numbered(code: str, place: int) -> str:
    """``P0201+1``: so many further on for each place beyond the first, counted in decimal digits."""
    start, _, step = code.partition("+")
    return f"{start[0]}{int(start[1:]) + int(step or 0) * (place - 1):04d}"
