"""The circuit's diagram as the page draws it: places and plugs as links that move a lead or pull a plug."""

from __future__ import annotations

from dataclasses import dataclass, replace
from textwrap import wrap
from typing import Any

from gumshoe.core.circuits import GROUND, Circuit, FaultModel, Instrument, Probe, Setting
from gumshoe.core.circuits.instruments import commands, predicted
from gumshoe.core.circuits.netlist import Kind
from gumshoe.core.maps.circuit import COLUMN, Box, Rail, WireRun, draw
from gumshoe.core.maps.strip import value_words
from gumshoe.web.bench.stand import Stand

LABEL_CHARACTERS, NARROW_CHARACTERS, IN_HOUSING = 21, 16, 3
WIDE = 700.0
"""A diagram wider than this stands above the rest instead of beside it."""
GLYPHS = {
    Kind.WIRE: "wire",
    Kind.CONTACT: "contact",
    Kind.FUSE: "fuse",
    Kind.SPLICE: "splice",
    Kind.GROUND_POINT: "wire",
    Kind.SWITCH: "switch",
    Kind.DRIVER: "driver",
    Kind.LOAD: "load",
    Kind.LAMP: "lamp",
    Kind.PULL: "resistor",
    Kind.SENSOR: "sensor",
    Kind.INPUT: "input",
    Kind.TRACK: "sensor",
    Kind.TERMINATOR: "resistor",
    Kind.SUPPLY: "supply",
}


@dataclass(frozen=True)
class DrawnRun:
    """An element with its symbol, its label in lines, and the link that pulls its plug."""

    run: WireRun
    glyph: str
    lines: tuple[str, ...]
    off: bool
    closed: bool
    href: str
    says: str

    @property
    def label_x(self) -> float:
        """Labels stand clear of the symbol, and of its housing where it has one."""
        return self.run.x + (36.0 if self.run.inside else 18.0)


@dataclass(frozen=True)
class DrawnRail:
    """A node with the lead that is on it, what the sound circuit shows there, and the link that puts a lead there."""

    rail: Rail
    lead: str
    good: str
    href: str
    says: str
    name: str


@dataclass(frozen=True)
class Picture:
    """Everything the diagram's template needs."""

    width: float
    height: float
    runs: tuple[DrawnRun, ...]
    rails: tuple[DrawnRail, ...]
    boxes: tuple[Box, ...]
    wide: bool


def picture(model: FaultModel, stand: Stand) -> Picture:
    """The diagram of a circuit as it stands."""
    circuit = model.circuit
    drawing = draw(circuit)
    letters = LABEL_CHARACTERS if drawing.column >= COLUMN else NARROW_CHARACTERS
    runs = tuple(_run(circuit, run, stand, letters) for run in drawing.runs)
    rails = tuple(_rail(model, rail, stand) for rail in drawing.rails)
    return Picture(drawing.width, drawing.height, runs, rails, drawing.boxes, drawing.width > WIDE)


def controls(circuit: Circuit, stand: Stand) -> dict[str, Any]:
    """The choices beside the diagram, each with its link: instrument, command, plugs, leads by name."""
    return {
        "instruments": [
            (
                str(item),
                replace(stand, instrument=item, plus=_first(circuit, item, stand)).query,
                item is stand.instrument,
            )
            for item in Instrument
            if item is not Instrument.HEARD or any(e.heard for e in circuit.elements)
        ],
        "commands": [
            (
                _command_words(circuit, share),
                replace(stand, command=share, alone="").query,
                share == stand.command and not stand.alone,
            )
            for share in (commands(circuit) if circuit.commanded else ())
        ],
        "alone": [
            (circuit.members[key], replace(stand, command=1.0, alone=key).query, key == stand.alone)
            for key in dict.fromkeys(circuit.drives.values())
        ],
        "plugs": [
            (words, stand.toggled(key).query, key in stand.unplugged) for key, words in circuit.connectors.items()
        ],
        "places": [(p.node, p.words + ("" if not p.behind else " (plug off)")) for p in circuit.places],
        "targets": _targets(circuit, stand.instrument),
        "leads": stand.instrument.has_leads,
        "moves_plus": replace(stand, moves="plus").query,
        "moves_minus": replace(stand, moves="minus").query,
        "minus_ground": replace(stand, minus=GROUND).query,
        "ground": GROUND,
    }


def _command_words(circuit: Circuit, command: float) -> str:
    if circuit.duty:
        return f"commanded {100.0 * command:.0f} %"
    return circuit.stands[1] if command else circuit.stands[0]


def _targets(circuit: Circuit, instrument: Instrument) -> list[tuple[str, str]]:
    """What is listened to or looked at, for the instruments without leads."""
    if instrument is Instrument.HEARD:
        return [(item.id, item.words) for item in circuit.elements if item.heard]
    if instrument is Instrument.LOOK:
        return list(circuit.connectors.items())
    return []


def _first(circuit: Circuit, instrument: Instrument, stand: Stand) -> str:
    """Where the first lead goes when the instrument is changed: where it is, unless it cannot be there."""
    targets = [name for name, _ in _targets(circuit, instrument)]
    if targets:
        return targets[0]
    places = [place.node for place in circuit.places if not place.behind]
    return stand.plus if stand.plus in [place.node for place in circuit.places] else places[0]


def _run(circuit: Circuit, run: WireRun, stand: Stand, letters: int) -> DrawnRun:
    item = run.element
    off = bool(item.connector) and item.connector in stand.unplugged
    href = f"?{stand.toggled(item.connector).query}" if item.connector else ""
    says = f"{'Plug in' if off else 'Take off'}: {circuit.connectors[item.connector]}" if item.connector else ""
    closed = item.id not in circuit.commanded or (stand.command > 0.0 and item.id in circuit.driven(stand.alone))
    pin = f"pin {item.pin}" + (f", {item.colour}" if item.colour else "") if item.pin else ""
    lines = tuple(wrap(item.words, letters - IN_HOUSING * bool(run.inside), max_lines=3, placeholder=" …")) + (
        (pin,) if pin else ()
    )
    return DrawnRun(run, GLYPHS[item.kind], lines, off, closed, href, says)


def _rail(model: FaultModel, rail: Rail, stand: Stand) -> DrawnRail:
    place = rail.place
    lead = {stand.plus: "+", stand.minus: "−"}.get(rail.node, "")
    if not stand.instrument.has_leads:
        lead = ""
    name = "battery +" if rail.node == "battery" else ""
    if place is None or (place.behind and place.behind not in stand.unplugged):
        return DrawnRail(rail, lead, "", "", "", name)
    setting = Setting(stand.command, stand.unplugged, jumpers=stand.jumpers, alone=stand.alone)
    probe = Probe(Instrument.METER, rail.node, GROUND, setting)
    good = "" if stand.instrument is Instrument.OHM else value_words(probe, float(predicted(model, probe)[0]))
    which = "red (+)" if stand.moves == "plus" else "black (−)"
    says = f"Put the {which} lead on {place.words}"
    moved = replace(stand, instrument=stand.instrument if stand.instrument.has_leads else Instrument.METER)
    return DrawnRail(rail, lead, good, f"?{moved.with_lead(rail.node).query}", says, name)
