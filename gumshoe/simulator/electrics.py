"""A stand-in's wires: every wired part with its circuit, and what a fault in it does, solved node by node.

A part whose circuit is whole needs no solving: it works, and its pin shows what its sensor says. Where something is
open, shorted, bad or unplugged, the circuit of that part is solved with it (``core.circuits``), and from the voltages
follow whether the part still works, whether it works unasked, what the control unit's pin sees, and what its own
circuit monitor can tell: load missing, pin held low, pin held high. Nothing here knows a list of suspects.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cache, lru_cache

import numpy as np

from gumshoe.core.circuits.netlist import GROUND, Circuit, Kind
from gumshoe.core.circuits.templates import drawn, templates
from gumshoe.simulator.models import CarModel
from gumshoe.simulator.nodes import Nodes, State
from gumshoe.simulator.parts import SPOTS, Parts
from gumshoe.simulator.wires import ANALOG, PULSED, Wired, wired_parts, with_wrong, wrong_in

MOVES_SHARE = 0.5
"""A load does its work from this share of its usual current."""
OPEN_FROM_OHM = 1e5
"""What a driver's diagnosis takes for no load (common practice)."""
STIFF_OHM = 1e3
"""What holds a pin high less stiffly than this is no short (common practice)."""
OVER_SHARE, UNDER_SHARE = 5.0, 0.2
LOW_V, HIGH_V = 0.2, 4.85
SWING_V = 2.0
FIRES_WHEN_BROKEN = frozenset({"smart coil"})
"""What does its work when its current is broken off: held on it does none."""
CELL_V = (0.1, 0.8)
FEED_V = 5.5
PLACES = 33
GAP = (0.28, 0.34)
"""Where on a track a worn spot lies (share of its travel)."""


Curve = Callable[[float], float]


@dataclass(frozen=True)
class Stand:
    """How a disturbed circuit stands. ``works``, ``sticks``: whether the part does its work when asked, and unasked;
    ``verdict``: what the control unit's output stage or pulse input tells: ``open``, ``low``, ``high`` or nothing.
    ``curve``: the pin's volts of an analog sensor from what it has (ohms of a thermistor, else its share of travel)."""

    works: bool
    sticks: bool
    verdict: str = ""
    curve: Curve | None = None


@dataclass
class Electrics:
    """The wires of one car. ``look`` brings it up to date with the car's condition."""

    model: CarModel
    disturbed: dict[str, Stand] = field(default_factory=dict)
    dead: frozenset[str] = frozenset()
    """Parts that do not work, whatever is commanded."""
    stuck_on: frozenset[str] = frozenset()
    """Loads that work unasked."""
    _seen: object = ()

    @property
    def parts(self) -> dict[str, Wired]:
        return wired_parts(self.model.key)

    def look(self, parts: Parts) -> None:
        """Solve again what has changed."""
        if not (parts.unplugged or parts.open_points or parts.wired or parts.apart or parts.acting):
            if self._seen:
                self._seen, self.disturbed, self.dead, self.stuck_on = (), {}, frozenset(), frozenset()
            return
        key = (
            frozenset(parts.unplugged),
            tuple(parts.open_points),
            tuple(parts.wired.items()),
            frozenset(parts.apart),
            frozenset(parts.acting),
        )
        if key != self._seen:
            self._seen = key
            self._solve(parts)

    def acts(self, name: str, command: float) -> float:
        """What a load does of its command: all of it, nothing, or everything unasked."""
        if name in self.stuck_on:
            return 1.0
        return 0.0 if name in self.dead else command

    def obeys(self, name: str) -> bool:
        """Whether a load follows its command."""
        return name not in self.dead and name not in self.stuck_on

    def volts(self, name: str, nominal: float, has: float) -> float:
        """A sensor's pin: ``nominal`` volts while its circuit is whole; else by what the sensor ``has``."""
        stand = self.disturbed.get(name)
        return nominal if stand is None or stand.curve is None else stand.curve(has)

    # -- inside -------------------------------------------------------------------------------------------

    def _solve(self, parts: Parts) -> None:
        off = parts.unplugged | parts.apart
        plugs = {wired.plug for name in off if (wired := self.parts.get(name))}
        found = {}
        for name, wired in self.parts.items():
            wrong = dict(wrong_in(parts, wired.name, wired.circuit))
            apart = name in off or wired.plug in plugs
            if wrong or apart:
                found[name] = stand_of(wired.kind, wired.track, tuple(sorted(wrong.items())), apart)
        self.disturbed = found
        # What is unplugged does not work, wired here or not (a part the drawing does not name).
        self.dead = frozenset(name for name, one in found.items() if not one.works) | (off - set(self.parts))
        self.stuck_on = frozenset(name for name, one in found.items() if one.sticks)


# -- solving ----------------------------------------------------------------------------------------------


@lru_cache(maxsize=4096)
def stand_of(kind: str, track: int, wrong: tuple[tuple[str, float], ...], apart: bool) -> Stand:
    """A circuit of that kind with what is wrong in it, its part's plug on or off."""
    circuit = with_wrong(_plain(kind), (item for item in wrong if item[0] not in SPOTS))
    if kind in ANALOG:
        return Stand(works=True, sticks=False, curve=_curve(kind, track, circuit, dict(wrong), apart))
    if kind == "oxygen sensor":
        return _cell(circuit, apart)
    off, on = _solved(circuit, apart, driven=False), _solved(circuit, apart, driven=True)
    if kind in PULSED:
        return _pulses(off, on)
    return _load(kind, off, on)


@cache
def _plain(kind: str) -> Circuit:
    return drawn(templates()[kind], kind, kind)


@cache
def _sound(kind: str, driven: bool) -> Nodes:
    return _solved(_plain(kind), apart=False, driven=driven)


def _solved(circuit: Circuit, apart: bool, *, driven: bool = False) -> Nodes:
    """One state of a circuit; relays and outputs as their voltages say."""
    plug = frozenset({"part"} if apart and "part" in circuit.connectors else ())
    return Nodes(circuit, State(driven, plug))


def _between(solved: Nodes, plus: str, minus: str) -> float:
    return solved.between(plus, minus)


def _load(kind: str, off: Nodes, on: Nodes) -> Stand:
    verdict = _driver_verdict(kind, off, on)
    output = next((item for item in on.circuit.elements if item.id == "output"), None)
    if output:  # it tells that it works; the control unit waits for that
        needs = _plain(kind).element("output").needs
        works, sticks = (all(_between(s, n.plus, n.minus) >= n.volts for n in needs) for s in (on, off))
        if not verdict and _between(off, "unit_in", "unit_ground") - _between(on, "unit_in", "unit_ground") < SWING_V:
            verdict = "open"
        if kind in FIRES_WHEN_BROKEN:
            return Stand(works and not sticks, False, verdict)
        return Stand(works, sticks and works, verdict)
    part = [item.id for item in _plain(kind).elements if item.heard][-1]
    usual = _amps(_sound(kind, True), part, kind)
    works, sticks = (usual * 4.0 > _amps(s, part, kind) >= MOVES_SHARE * usual for s in (on, off))
    return Stand(works, sticks, verdict)


def _amps(solved: Nodes, element: str, kind: str) -> float:
    """Amperes through what does the work; of a filament by its usual ohms."""
    item = solved.circuit.element(element)
    ohm = item.volts**2 / item.watts if item.kind is Kind.LAMP else item.ohm
    usual = _plain(kind).element(element)
    if item.kind is not Kind.LAMP and item.ohm < 0.2 * usual.ohm:
        return 0.0  # shorted inside: the current does no work
    return abs(_between(solved, item.a, item.b)) / ohm


def _driver_verdict(kind: str, off: Nodes, on: Nodes) -> str:
    """What an output stage sees of its load: no current, a pin held low or high (common practice)."""
    name = _plain(kind).commanded[0]
    driver = on.circuit.element(name)
    low_side = driver.b == "unit_ground"
    pin, ground = (driver.a, driver.b) if low_side else (driver.b, GROUND)
    amps = _through(on, name)
    usual = _through(_sound(kind, True), name)
    rest, usual_rest = _between(off, pin, ground), _between(_sound(kind, False), pin, ground)
    if low_side:
        if rest < 0.5 * usual_rest:
            return "open" if off.inner_ohm(pin, ground) > OPEN_FROM_OHM else "low"
        if amps > OVER_SHARE * usual:
            return "high"
    else:
        if rest > 0.5 * _between(off, driver.a, ground) and off.inner_ohm(pin, ground) < STIFF_OHM:
            return "high"
        if amps > OVER_SHARE * usual:
            return "low"
    return "open" if amps < UNDER_SHARE * usual else ""


def _through(solved: Nodes, name: str) -> float:
    item = solved.circuit.element(name)
    return abs(_between(solved, item.a, item.b)) / item.ohm


def _pulses(off: Nodes, on: Nodes) -> Stand:
    high, low = (_between(s, "unit_pin", "unit_ground") for s in (off, on))
    if high - low >= SWING_V and low < 1.5 and high > 3.0:
        return Stand(works=True, sticks=False)
    # A pin that rests at its own pull-up only lacks pulses; above that something feeds it.
    return Stand(works=False, sticks=False, verdict="low" if high < 1.5 else "high" if low > FEED_V else "open")


def _cell(circuit: Circuit, apart: bool) -> Stand:
    """An oxygen sensor's cell, lean and rich: whether the control unit sees the difference."""
    seen = []
    for volts in CELL_V:
        elements = tuple(replace(e, volts=volts) if e.id == "cell" else e for e in circuit.elements)
        seen.append(_between(_solved(replace(circuit, elements=elements), apart), "unit_in", "unit_ground"))
    if seen[1] - seen[0] > 0.4 * (CELL_V[1] - CELL_V[0]) and seen[1] < 1.2:
        return Stand(works=True, sticks=False)
    mean = sum(seen) / 2.0
    return Stand(works=False, sticks=False, verdict="high" if mean > 1.2 else "low" if mean < 0.15 else "open")


def _curve(kind: str, track: int, circuit: Circuit, wrong: dict[str, float], apart: bool) -> Curve:
    """Pin volts over what the sensor has."""
    if kind == "thermistor":
        return _over_ohms(circuit, apart, "sensor" in wrong)
    tail = f"_{track}" if track else ""
    pin, spot = (f"unit_{track}" if track else "unit_pin"), wrong.get(f"spot{tail}", 0.0)
    upper, lower = circuit.element(f"upper{tail}"), circuit.element(f"lower{tail}")
    whole = sum(_plain(kind).element(name).ohm for name in (f"upper{tail}", f"lower{tail}"))
    shares = np.linspace(0.002, 0.998, PLACES)
    volts = []
    for share in shares:
        ohms = {upper.id: whole * (1.0 - share), lower.id: whole * share}
        if spot and GAP[0] <= (1.0 - share if track == 2 else share) <= GAP[1]:
            ohms[f"spot{tail}"] = spot
        ohms = {name: ohm for name, ohm in ohms.items() if name not in wrong or name in SPOTS}
        solved = _solved(with_wrong(circuit, ohms.items()), apart)
        volts.append(_between(solved, pin, "unit_ground"))
    known, told = [float(share) for share in shares], volts

    def at(has: float) -> float:
        place = min(max(bisect_right(known, has), 1), len(known) - 1)
        part = (has - known[place - 1]) / (known[place] - known[place - 1])
        return told[place - 1] + min(max(part, 0.0), 1.0) * (told[place] - told[place - 1])

    return at


def _over_ohms(circuit: Circuit, apart: bool, broken: bool) -> Curve:
    """One resistance in a linear circuit: its voltage is a fraction of two straight lines in the ohms (bilinear
    theorem); three solutions give it."""

    def pin(ohm: float) -> float:
        return _between(_solved(with_wrong(circuit, [("sensor", ohm)]), apart), "unit_pin", "unit_ground")

    if broken:
        fixed = _between(_solved(circuit, apart), "unit_pin", "unit_ground")
        return lambda _has: fixed
    least, most, middle = pin(1e-3), pin(1e9), pin(2000.0)
    if abs(most - least) < 1e-6:
        return lambda _has: least
    knee = 2000.0 * (most - middle) / max(middle - least, 1e-9)
    return lambda has: (least * knee + most * has) / (knee + has)


# -- starting ---------------------------------------------------------------------------------------------

RATED_OHM, TIRED_OHM = 0.012, 0.035
"""A battery's own resistance, and how much of it a worn one has more (common practice)."""


@lru_cache(maxsize=512)
def _cranked(health: float, strap_ohm: float) -> tuple[float, float]:
    own = RATED_OHM + TIRED_OHM * (1.0 - health)
    circuit = with_wrong(_plain("starting"), [("engine_strap", strap_ohm), ("engine_wire", strap_ohm)])
    battery = circuit.element("battery")
    elements = tuple(replace(item, ohm=own) if item is battery else item for item in circuit.elements)
    solved = _solved(replace(circuit, elements=elements), apart=False, driven=True)
    return _between(solved, "starter_plus", "engine"), _between(solved, "battery", GROUND)


def cranking(health: float, strap_ohm: float) -> tuple[float, float]:
    """While the starter turns: its share of the usual voltage, and the volts left at the battery."""
    share, volts = _cranked(round(health, 2), strap_ohm)
    return share / _cranked(1.0, 0.001)[0], volts
