"""What can be wrong in a circuit: one fault in one element, each with the sizes it can have.

The faults follow from the kinds of the elements. Shorts need a path that a sound circuit has not: every wire gets two
latent ones, to ground and to the battery. Relative rates: common practice, no source (contacts and plugs first, the
control unit's own driver last).
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from gumshoe.core.circuits.loops import Bools, Floats, Ints, Net
from gumshoe.core.circuits.netlist import GROUND, OPEN_OHM, PULLED_OHM, Circuit, Element, Kind, Setting
from gumshoe.core.circuits.solver import Bench, Solved, resistances

STEP = 2.05
"""Two neighbouring sizes of a fault differ by some such factor; between them they are integrated over."""
MOST_RESISTANCE_OHM, LEAST_RESISTANCE_OHM = 20_000.0, 1.0
"""A bad contact where no load draws on it; more is an open place."""
DROPS = 60.0
"""The least bad contact has that share of the heaviest load's resistance: some 0.2 V at 12 V (common practice)."""
LEAST_SHORT_OHM, MOST_SHORT_OHM = 0.05, 2_000.0
LEAKS = 10.0
"""The weakest leak at a signal has so many times the highest resistance that feeds or loads it."""
WEAK = (2.5, 4.0, 6.5, 10.0, 16.0, 25.0, 40.0)
"""How much more inner resistance a worn or cold and empty battery has (common practice)."""
SKEWS = (0.25, 0.4, 0.6, 1.6, 2.5, 4.0)
LOAD_SHORTS = (0.02, 0.04, 0.08, 0.16, 0.3)
BROKEN_OHM = (3e7, 8e7, 2.2e8, 6e8, 1.6e9, 4e9)
"""What a broken place still passes through dirt and varnish: half of them enough for a meter to see."""
WORN_OHM = (5e3, 1.6e4, 5e4, 1.6e5, 5e5, 1.6e6, 5e6, OPEN_OHM)
"""What a worn spot of a track has under its wiper."""
SENSOR_SHORTS = (0.5, 1.5, 5.0, 15.0)
RATES = {
    Kind.SUPPLY: 1.0,
    Kind.FUSE: 1.0,
    Kind.WIRE: 1.0,
    Kind.CONTACT: 2.5,
    Kind.SPLICE: 0.8,
    Kind.GROUND_POINT: 1.2,
    Kind.SWITCH: 2.0,
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
SOUND_RATE = 3.0
"""Rate of a circuit in which nothing is wrong: what one measures is most often sound (common practice)."""
PART_INSIDE = 1.5
"""Rate of what sits inside the part (its input, its output): below its load, above the control unit's own."""
RELAY = 5.0
"""Rate of a relay's contact: it switches the load's current, and burns (common practice)."""
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
class _Stand:
    """A circuit in one setting: ohms of the sound one's elements, of each variant's own, which of the governed elements
    have their needs (a bit each), and every variant solved."""

    sound: Floats
    ohm: Floats
    met: Ints
    solved: Solved


@dataclass(frozen=True)
class FaultModel:
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
        any_wire = next(column for column, item in enumerate(self.wired.elements) if item.kind in PATHS)
        return np.array([self._place.get(fault.element, any_wire) for fault in self.faults])[self.owner]

    def solved(self, setting: Setting, *, driven: bool) -> Solved:
        """Every variant solved in one phase of the command; kept."""
        return self._stand(setting, driven).solved

    def states(self, setting: Setting, *, driven: bool) -> Floats:
        """Ohms of every element in every variant (variants, elements), relays and outputs as their voltages say."""
        stand = self._stand(setting, driven)
        found = self._grounds(np.tile(stand.sound, (len(stand.met), 1)), stand.met)
        found[np.arange(len(self.column)), self.column] = stand.ohm
        return found

    def ohms_of(self, element: str, setting: Setting, *, driven: bool) -> Floats:
        """Ohms of one element in every variant."""
        stand, column = self._stand(setting, driven), self._place[element]
        found = np.full(len(self.column), stand.sound[column])
        if column in self._governed:
            place = self._governed.index(column)
            found = np.where(stand.met >> place & 1, found, np.maximum(self._off_ohms[place], found))
        result: Floats = np.where(self.column == column, stand.ohm, found)
        return result

    def _ohm(self, sound: Floats, setting: Setting) -> Floats:
        """What the changed element of each variant has, ``sound`` being the ohms of all elements."""
        ohms = np.where(self._relative, self._sizes * sound[self.column], self._sizes)
        pulled = np.zeros(len(sound), dtype=np.bool_)
        for name in setting.unplugged:  # what is pulled apart is open, whatever its contact is like
            pulled[list(self.wired.in_plug[name])] = True
        result: Floats = np.where(pulled[self.column], PULLED_OHM, ohms)
        return result

    def prepare(self, stands: Iterable[tuple[Setting, bool]]) -> None:
        """Solve every variant in several settings, each with the command off or on, at once: much less work than one
        after the other."""
        by_jumpers: dict[frozenset[tuple[str, str]], dict[object, tuple[Setting, bool]]] = {}
        for setting, driven in stands:
            key = _key(setting, driven)
            if key not in self._kept:
                by_jumpers.setdefault(setting.jumpers, {})[key] = setting, driven
        for some in by_jumpers.values():
            self._kept.update(zip(some, self._settled(list(some.values())), strict=True))

    def _stand(self, setting: Setting, driven: bool) -> _Stand:
        self.prepare([(setting, driven)])
        return self._kept[_key(setting, driven)]

    def _settled(self, stands: list[tuple[Setting, bool]]) -> list[_Stand]:
        """Every variant solved, with what switches by its needs as it settles: first as in the sound circuit, for most
        variants stand alike, then those again in which a need fails. All settings have the same jumpers."""
        sound = np.array([resistances(self.wired, setting, driven) for setting, driven in stands])
        closed = np.array([self._ohm(row, setting) for row, (setting, _) in zip(sound, stands, strict=True)])
        codes = 1 << len(self._governed)
        net = Net(self.wired, stands[0][0].jumpers)
        bench = Bench(net, np.array([setting.powered for setting, _ in stands]), sound, self.column, closed, codes)
        met = np.full(closed.shape, codes - 1)
        every = np.arange(closed.size).reshape(closed.shape)
        for _ in range(ROUNDS if self._governed else 0):
            now = self._put(bench, sound, closed, met, every[:, 0])
            if np.array_equal(now, met[:, 0]):
                break
            met[:] = now[:, None]
        which, turn, stands_now = every.reshape(-1), 0, met.reshape(-1)
        while len(which):
            now = self._put(bench, sound, closed, met, which)
            if turn >= ROUNDS:  # what cannot settle stays off
                now &= stands_now[which]
            changed = now != stands_now[which]
            stands_now[which] = now
            which, turn = which[changed], turn + 1
        ohm = self._switched(closed, met, self._own)
        return [_Stand(*each) for each in zip(sound, ohm, met, bench.lit(), strict=True)]

    def _put(self, bench: Bench, sound: Floats, closed: Floats, met: Ints, which: Ints) -> Ints:
        """Solve some variants with relays and outputs as ``met`` says; which needs stand then: a bit for each of what
        is governed."""
        codes = 1 << len(self._governed)
        keys = which // met.shape[1] * codes + met.reshape(-1)[which]
        new = bench.unknown(keys)
        if len(new):
            bench.add(new, self._grounds(sound[new // codes], new % codes))
        stand = met.reshape(-1)[which]
        bench.put(which, keys, self._switched(closed.reshape(-1)[which], stand, self._own[which % met.shape[1]]))
        if not self._governed:
            return np.zeros(len(which), dtype=np.int64)
        plus, minus, least, first = self._needs
        begin, end = (np.array([bench.net.index[node] for node in side]) for side in (plus, minus))
        enough = bench.between(begin, end, which) >= least
        result: Ints = (1 << np.arange(len(first))) @ np.logical_and.reduceat(enough, first, axis=0)
        return result

    def _switched(self, ohm: Floats, met: Ints, own: Ints) -> Floats:
        """What the changed element of a variant has as its needs stand: a burnt contact that is not held shut is
        open."""
        lacks = (own >= 0) & ((met >> np.maximum(own, 0) & 1) == 0)
        if not lacks.any():
            return ohm
        result: Floats = np.where(lacks, np.maximum(ohm, self._off_ohms[own]), ohm)
        return result

    @cached_property
    def _own(self) -> Ints:
        """Of every variant that is a bad contact in something governed, its place among what is governed; else −1."""
        by_fault = [
            self._governed.index(self._place[fault.element])
            if fault.mode == "resistance" and self._place.get(fault.element) in self._governed
            else -1
            for fault in self.faults
        ]
        return np.array(by_fault)[self.owner]

    def _grounds(self, sound: Floats, met: Ints) -> Floats:
        """Ohms of every element but for any fault (states, elements); what lacks a need is off."""
        grounds = sound.copy()
        governed = list(self._governed)
        on = sound[:, governed]
        stands = (met[:, None] >> np.arange(len(governed))) & 1
        grounds[:, governed] = np.where(stands, on, np.maximum(self._off_ohms, on))
        return grounds

    @cached_property
    def _off_ohms(self) -> Floats:
        return np.array([self.wired.elements[column].off_ohm for column in self._governed])

    @cached_property
    def _needs(self) -> tuple[list[str], list[str], Floats, Ints]:
        """The needs of all that is governed: nodes, least volts (needs, 1), and where each one's begin."""
        needs = [self.wired.elements[column].needs for column in self._governed]
        flat = [need for some in needs for need in some]
        first = np.cumsum([0, *(len(some) for some in needs[:-1])])
        least = np.array([[need.volts] for need in flat])
        return [need.plus for need in flat], [need.minus for need in flat], least, first

    @cached_property
    def _place(self) -> dict[str, int]:
        return {item.id: column for column, item in enumerate(self.wired.elements)}

    @cached_property
    def _sizes(self) -> Floats:
        return np.concatenate([np.array(fault.ohms) for fault in self.faults])

    @cached_property
    def _relative(self) -> Bools:
        """Whether a variant's size is a multiple of what its element has; so is the sound circuit, of one."""
        return np.array([fault.relative or not fault.element for fault in self.faults])[self.owner]

    @cached_property
    def _governed(self) -> tuple[int, ...]:
        return tuple(column for column, item in enumerate(self.wired.elements) if item.needs)

    @cached_property
    def shown(self) -> dict[object, Floats]:
        """What every variant shows at the probes asked for so far."""
        return {}

    @cached_property
    def beside(self) -> dict[str, object]:
        """What is computed from the model and kept with it."""
        return {}

    @cached_property
    def _kept(self) -> dict[object, _Stand]:
        return {}


def _key(setting: Setting, driven: bool) -> object:
    return setting.unplugged, setting.powered, setting.jumpers, driven, setting.alone if driven else ""


def model(circuit: Circuit) -> FaultModel:
    """Everything that can be wrong in a circuit, the sound one first."""
    found = [Fault("none", "nothing wrong in this circuit", "", (1.0,), SOUND_RATE)]
    loads = [item.ohm for item in circuit.elements if item.kind is Kind.LOAD]
    least = min([LEAST_RESISTANCE_OHM, *(ohm / DROPS for ohm in loads)])
    bad = _sizes(least, MOST_RESISTANCE_OHM)
    signals = [item.ohm for item in circuit.elements if item.kind in (Kind.PULL, Kind.SENSOR)]
    shorts = _sizes(LEAST_SHORT_OHM, max([MOST_SHORT_OHM, *(LEAKS * ohm for ohm in signals)]))
    for item in circuit.elements:
        found += _of(item, bad)
    for item in circuit.elements:
        if item.kind is Kind.WIRE:
            ground, feed = f"{item.words} shorted to ground", f"{item.words} shorted to a feed"
            found += [
                Fault(f"short_ground:{item.id}", ground, f"to_ground:{item.id}", shorts, 0.7, item.of),
                Fault(f"short_feed:{item.id}", feed, f"to_feed:{item.id}", shorts, 0.3, item.of),
            ]
    return FaultModel(circuit, tuple(found))


def _sizes(least: float, most: float) -> tuple[float, ...]:
    """Sizes from the least to the most, in even steps of the logarithm."""
    count = 1 + round(math.log(most / least) / math.log(STEP))
    return tuple(np.geomspace(least, most, count).tolist())


def _of(item: Element, bad: tuple[float, ...]) -> list[Fault]:
    """What can be wrong in an element; ``bad``: sizes of a bad contact in this circuit."""
    rate = RATES.get(item.kind, 0.0)
    of = item.of

    def fault(mode: str, words: str, ohms: tuple[float, ...], share: float = 1.0, relative: bool = False) -> Fault:
        return Fault(f"{mode}:{item.id}", words, item.id, ohms, rate * share, of, relative)

    if item.kind is Kind.SUPPLY:
        weak = fault("weak", f"{item.words} weak: it breaks down under load", WEAK, relative=True)
        return [replace(weak, rate=RATES[Kind.DRIVER]) if of == "unit" else weak] if of else []
    if item.kind is Kind.FUSE:
        return [fault("open", f"{item.words} blown or out", (OPEN_OHM,))]
    if item.kind in PATHS:
        return [
            fault("open", f"{item.words} open", BROKEN_OHM),
            fault("resistance", f"resistance in {item.words}", bad, 0.6),
        ]
    if item.kind in (Kind.DRIVER, Kind.SWITCH):
        of = of or "unit"
        rate = RELAY if item.kind is Kind.SWITCH and item.needs else PART_INSIDE if of == "part" else rate
        found = [
            fault("stuck_off", f"{item.words} does not switch on", (OPEN_OHM,)),
            fault("stuck_on", f"{item.words} does not switch off", (item.ohm,)),
        ]
        if item.kind is Kind.SWITCH:  # what a hand commands: a multiple of what it has closed, for open it stays open
            burnt = bad if item.needs else tuple(ohm / item.ohm for ohm in bad)
            words = f"resistance in {item.words} (burnt)"
            found.append(fault("resistance", words, burnt, relative=not item.needs))
        return found
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
            fault("shorted", f"{item.words} shorted inside", SENSOR_SHORTS, 0.3),
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
