"""What can be wrong in a circuit: one fault in one element, each with the sizes it can have.

The faults follow from the kinds of the elements. Shorts need a path that a sound circuit has not: every wire gets two
latent ones, to ground and to the battery. Relative rates: common practice, no source (contacts and plugs first, the
control unit's own driver last).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from gumshoe.core.circuits.netlist import GROUND, OPEN_OHM, Circuit, Element, Kind, Setting
from gumshoe.core.circuits.solver import Bench, Bools, Floats, Ints, Solved, resistances

SIZES = 12
RESISTANCE_OHM = tuple(np.geomspace(1.0, 20_000.0, SIZES).tolist())
"""Sizes a bad contact can have."""
SHORT_OHM = tuple(np.geomspace(0.05, 2_000.0, SIZES).tolist())
SKEWS = (0.25, 0.4, 0.6, 1.6, 2.5, 4.0)
LOAD_SHORTS = (0.02, 0.1, 0.25)
BROKEN_OHM = (5e7, OPEN_OHM, OPEN_OHM)
"""What a broken place still passes through dirt and varnish: two in three are clean breaks."""
WORN_OHM = (5_000.0, 50_000.0, 500_000.0, OPEN_OHM)
"""What a worn spot of a track has under its wiper."""
RATES = {
    Kind.FUSE: 1.0,
    Kind.WIRE: 1.0,
    Kind.CONTACT: 2.5,
    Kind.SPLICE: 0.8,
    Kind.GROUND_POINT: 1.2,
    Kind.SWITCH: 0.8,
    Kind.DRIVER: 0.3,
    Kind.LOAD: 3.0,
    Kind.SENSOR: 3.0,
    Kind.LAMP: 1.0,
    Kind.PULL: 0.2,
    Kind.INPUT: 0.1,
    Kind.TRACK: 2.0,
    Kind.TERMINATOR: 0.6,
    Kind.LATENT: 0.7,
}
PART_INSIDE = 1.5
"""Rate of what sits inside the part (its input, its output): below its load, above the control unit's own."""
ROUNDS = 2
"""Rounds in which relays and outputs may still switch on; what chatters after that is off."""
PATHS = {Kind.WIRE, Kind.CONTACT, Kind.SPLICE, Kind.GROUND_POINT, Kind.FUSE}


@dataclass(frozen=True)
class Fault:
    """One fault state: the element it sits in (or the latent path of a short), its words, and the ohms it can take,
    whatever is commanded; ``relative``: as multiples of what it has when sound. ``of``: as in Element. The sound
    circuit is the fault named ``none``."""

    id: str
    words: str
    element: str
    ohms: tuple[float, ...]
    rate: float
    of: str = ""
    relative: bool = False

    @property
    def mode(self) -> str:
        """``open``, ``resistance``, ``short_ground``, ``short_feed``, ``stuck_on`` …: what the id begins with."""
        return self.id.partition(":")[0]


@dataclass(frozen=True)
class Model:
    """A circuit with everything that can be wrong in it, as variants: one row a fault and size."""

    circuit: Circuit
    faults: tuple[Fault, ...]

    @cached_property
    def wired(self) -> Circuit:
        """The circuit with the latent paths of its shorts."""
        return replace(self.circuit, elements=(*self.circuit.elements, *_latent(self.circuit)))

    @cached_property
    def owner(self) -> Ints:
        """Which fault each variant belongs to."""
        return np.repeat(np.arange(len(self.faults)), [len(fault.ohms) for fault in self.faults])

    @cached_property
    def prior(self) -> Floats:
        """Probability of each variant before any reading; the sizes of a fault are equally likely."""
        rates = np.array([fault.rate for fault in self.faults])
        shares = np.concatenate([np.full(len(f.ohms), f.rate / len(f.ohms)) for f in self.faults])
        result: Floats = shares / rates.sum()
        return result

    @cached_property
    def column(self) -> Ints:
        """Which element each variant changes (for the sound circuit one of its wires, to what it is)."""
        place = {item.id: column for column, item in enumerate(self.wired.elements)}
        any_wire = next(column for column, item in enumerate(self.wired.elements) if item.kind in PATHS)
        return np.array([place.get(fault.element, any_wire) for fault in self.faults])[self.owner]

    @cached_property
    def _latent(self) -> Bools:
        return np.array([item.kind is Kind.LATENT for item in self.wired.elements])

    def ohm(self, sound: Floats, setting: Setting) -> Floats:
        """What the changed element of each variant has, ``sound`` being the ohms of all elements."""
        sizes = np.concatenate([np.array(fault.ohms) for fault in self.faults])
        relative = np.array([fault.relative for fault in self.faults])[self.owner]
        named = np.array([bool(fault.element) for fault in self.faults])[self.owner]
        ohms = np.where(relative, sizes * sound[self.column], sizes)
        ohms = np.where(named, ohms, sound[self.column])
        # What is pulled apart is open, whatever its contact is like; pulling cures no other fault.
        pulled = np.array([item.connector in setting.unplugged for item in self.wired.elements])
        result: Floats = np.where(pulled[self.column], OPEN_OHM, ohms)
        return result

    def solved(self, setting: Setting, *, driven: bool) -> Solved:
        """Every variant solved in one phase of the command; kept."""
        return self._solved(setting, driven)[0]

    def states(self, setting: Setting, *, driven: bool) -> Floats:
        """Ohms of every element in every variant (variants, elements), relays and outputs as their voltages say."""
        sound = resistances(self.wired, setting, driven)
        found = self._grounds(sound, self._solved(setting, driven)[1])
        found[np.arange(len(self.column)), self.column] = self.ohm(sound, setting)
        return found

    def _solved(self, setting: Setting, driven: bool) -> tuple[Solved, Bools]:
        key = (setting.unplugged, setting.powered, setting.jumpers, driven)
        if key not in self._kept:
            self._kept[key] = self._solve(setting, driven)
        return self._kept[key]

    def _solve(self, setting: Setting, driven: bool) -> tuple[Solved, Bools]:
        """Every variant solved, and which of what switches by its needs stands."""
        sound = resistances(self.wired, setting, driven)
        ohm = self.ohm(sound, setting)
        bench = Bench(self.wired, setting, self.column, ohm)
        met = np.ones((len(ohm), len(self._governed)), dtype=np.bool_)
        first = np.zeros(1, dtype=np.int64)
        for _ in range(ROUNDS if self._governed else 0):  # begin as the sound circuit stands: most variants stand alike
            self._put(bench, sound, met, first)
            now = np.tile(self._met(bench.solved())[:1], (len(ohm), 1))
            if np.array_equal(now, met):
                break
            met = now
        which, turn = np.arange(len(ohm)), 0
        while len(which):
            self._put(bench, sound, met, which)
            now = self._met(bench.solved())
            if turn >= ROUNDS:  # what cannot settle stays off
                now = now & met
            which, met, turn = np.flatnonzero((now != met).any(axis=1)), now, turn + 1
        return bench.lit(self._grounds(sound, met)), met

    def _put(self, bench: Bench, sound: Floats, met: Bools, which: Ints) -> None:
        """Solve some variants with relays and outputs as ``met`` says. Variants share a state when the same element is
        out of it and the same relays and outputs stand; latent paths are out of every state: all of them share one."""
        column, stands = self.column[which], met[which]
        out = np.where(self._latent[column], -1, column)
        code = out * (1 << met.shape[1]) + stands @ (1 << np.arange(met.shape[1]))
        codes, first, group = np.unique(code, return_index=True, return_inverse=True)
        states = self._grounds(sound, stands[first])
        states[np.arange(len(first)), column[first]] = np.inf
        bench.put(which, codes.tolist(), states, group.reshape(-1))

    @cached_property
    def _governed(self) -> tuple[int, ...]:
        return tuple(column for column, item in enumerate(self.wired.elements) if item.needs)

    def _grounds(self, sound: Floats, met: Bools) -> Floats:
        """Ohms of every element in every variant but for its fault; what lacks a need is off."""
        grounds = np.tile(sound, (len(met), 1))
        for place, column in enumerate(self._governed):
            off = self.wired.elements[column].off_ohm
            grounds[:, column] = np.where(met[:, place], grounds[:, column], np.maximum(off, sound[column]))
        return grounds

    def _met(self, solved: Solved) -> Bools:
        met = np.ones((len(solved.volts), len(self._governed)), dtype=np.bool_)
        for place, column in enumerate(self._governed):
            for need in self.wired.elements[column].needs:
                met[:, place] &= solved.open_voltage(need.plus, need.minus) >= need.volts
        return met

    @cached_property
    def shown(self) -> dict[object, Floats]:
        """What every variant shows at the probes asked for so far."""
        return {}

    @cached_property
    def _kept(self) -> dict[object, tuple[Solved, Bools]]:
        return {}


def model(circuit: Circuit) -> Model:
    """Everything that can be wrong in a circuit, the sound one first."""
    found = [Fault("none", "nothing wrong in this circuit", "", (1.0,), 1.5)]
    for item in circuit.elements:
        found += _of(item)
    for item in circuit.elements:
        if item.kind is Kind.WIRE:
            ground, feed = f"{item.words} shorted to ground", f"{item.words} shorted to a feed"
            found += [
                Fault(f"short_ground:{item.id}", ground, f"to_ground:{item.id}", SHORT_OHM, 0.7, item.of),
                Fault(f"short_feed:{item.id}", feed, f"to_feed:{item.id}", SHORT_OHM, 0.3, item.of),
            ]
    return Model(circuit, tuple(found))


def _of(item: Element) -> list[Fault]:
    rate = RATES.get(item.kind, 0.0)
    of = item.of

    def fault(mode: str, words: str, ohms: tuple[float, ...], share: float = 1.0, relative: bool = False) -> Fault:
        return Fault(f"{mode}:{item.id}", words, item.id, ohms, rate * share, of, relative)

    if item.kind is Kind.SUPPLY:
        return []
    if item.kind is Kind.FUSE:
        return [fault("open", f"{item.words} blown or out", (OPEN_OHM,))]
    if item.kind in PATHS:
        resistance = tuple(ohm * min(1.0, item.ohm / 0.02) for ohm in RESISTANCE_OHM)
        return [
            fault("open", f"{item.words} open", BROKEN_OHM),
            fault("resistance", f"resistance in {item.words}", resistance, 0.6),
        ]
    if item.kind in (Kind.DRIVER, Kind.SWITCH):
        of = of or "unit"
        rate = PART_INSIDE if of == "part" else rate
        return [
            fault("stuck_off", f"{item.words} does not switch on", (OPEN_OHM,)),
            fault("stuck_on", f"{item.words} does not switch off", (item.ohm,)),
        ]
    if item.kind is Kind.LOAD:
        of = of or "part"
        return [
            fault("open", f"{item.words} open inside", BROKEN_OHM),
            fault("shorted", f"{item.words} shorted inside", LOAD_SHORTS, 0.3, relative=True),
        ]
    if item.kind is Kind.SENSOR:
        of = of or "part"
        return [
            fault("open", f"{item.words} open inside", (OPEN_OHM,)),
            fault("shorted", f"{item.words} shorted inside", (0.5, 5.0), 0.3),
            fault("skewed", f"{item.words} off its curve", SKEWS, relative=True),
        ]
    if item.kind is Kind.TRACK:
        return [fault("worn", f"worn spot under the {item.words}", WORN_OHM)]
    if item.kind is Kind.LATENT:
        return [fault("there", item.words, item.sizes)]
    words = {Kind.LAMP: "burnt out", Kind.TERMINATOR: "missing or open"}.get(item.kind, "failed")
    of = of or ("part" if item.kind is Kind.LAMP else "unit")
    rate = PART_INSIDE if of == "part" and item.kind is Kind.INPUT else rate
    return [fault("open", f"{item.words} {words}", (OPEN_OHM,))]


def _latent(circuit: Circuit) -> list[Element]:
    """The paths that shorts would take: from the far end of every wire."""
    battery = next((item.a for item in circuit.elements if item.kind is Kind.SUPPLY and item.b == GROUND), "")
    found = []
    for item in circuit.elements:
        if item.kind is Kind.WIRE:
            found.append(Element(f"to_ground:{item.id}", Kind.LATENT, item.b, GROUND, item.words))
            found.append(Element(f"to_feed:{item.id}", Kind.LATENT, battery or item.b, item.b, item.words))
    return found
