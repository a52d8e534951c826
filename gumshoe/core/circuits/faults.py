"""What can be wrong in a circuit: one fault in one element, each with the sizes it can have.

The faults follow from the kinds of the elements. Shorts need a path that a sound circuit has not: every wire gets two
latent ones, to ground and to the battery. Relative rates: common practice, no source (contacts and plugs first, the
control unit's own driver last).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from gumshoe.core.circuits.netlist import GROUND, OPEN_OHM, Circuit, Element, Kind, Setting
from gumshoe.core.circuits.solver import Floats, Solved, resistances, solve

Ints = NDArray[np.int64]
LATENT_OHM = 1e12
SIZES = 12
RESISTANCE_OHM = tuple(np.geomspace(1.0, 20_000.0, SIZES).tolist())
"""Sizes a bad contact can have."""
SHORT_OHM = tuple(np.geomspace(0.05, 2_000.0, SIZES).tolist())
SKEWS = (0.25, 0.4, 0.6, 1.6, 2.5, 4.0)
LOAD_SHORTS = (0.02, 0.1, 0.25)
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
}
PATHS = {Kind.WIRE, Kind.CONTACT, Kind.SPLICE, Kind.GROUND_POINT, Kind.FUSE}


@dataclass(frozen=True)
class Fault:
    """One fault state: the element it sits in (or the latent path of a short), its words, and the ohms it can take,
    whatever is commanded. The sound circuit is the fault named ``none``."""

    id: str
    words: str
    element: str
    ohms: tuple[float, ...]
    rate: float


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

    def solved(self, setting: Setting, *, driven: bool) -> Solved:
        """Every variant solved in one phase of the command; kept."""
        key = (setting.unplugged, setting.powered, setting.jumpers, driven)
        if key not in self._kept:
            sound = resistances(self.wired, setting, driven)
            ohms = np.tile(sound, (len(self.owner), 1))
            place = {item.id: column for column, item in enumerate(self.wired.elements)}
            row = 0
            for fault in self.faults:
                for ohm in fault.ohms:
                    if fault.element:
                        column = place[fault.element]
                        pulled = self.wired.elements[column].connector in setting.unplugged
                        # What is pulled apart is open, whatever its contact is like; pulling cures no other fault.
                        ohms[row, column] = OPEN_OHM if pulled else ohm
                    row += 1
            self._kept[key] = solve(self.wired, ohms, setting)
        return self._kept[key]

    @cached_property
    def _kept(self) -> dict[object, Solved]:
        return {}


def model(circuit: Circuit) -> Model:
    """Everything that can be wrong in a circuit, the sound one first."""
    found = [Fault("none", "nothing wrong in this circuit", "", (1.0,), 1.5)]
    for item in circuit.elements:
        found += _of(item)
    for item in circuit.elements:
        if item.kind is Kind.WIRE:
            found += [
                Fault(
                    f"short_ground:{item.id}", f"{item.words} shorted to ground", f"to_ground:{item.id}", SHORT_OHM, 0.7
                ),
                Fault(f"short_feed:{item.id}", f"{item.words} shorted to a feed", f"to_feed:{item.id}", SHORT_OHM, 0.3),
            ]
    return Model(circuit, tuple(found))


def _of(item: Element) -> list[Fault]:
    rate = RATES.get(item.kind, 0.0)
    if item.kind is Kind.SUPPLY:
        return []
    if item.kind is Kind.FUSE:
        return [Fault(f"open:{item.id}", f"{item.words} blown or out", item.id, (OPEN_OHM,), rate)]
    if item.kind in PATHS:
        return [
            Fault(f"open:{item.id}", f"{item.words} open", item.id, (OPEN_OHM,), rate),
            Fault(f"resistance:{item.id}", f"resistance in {item.words}", item.id, RESISTANCE_OHM, rate * 0.6),
        ]
    if item.kind in (Kind.DRIVER, Kind.SWITCH):
        return [
            Fault(f"stuck_off:{item.id}", f"{item.words} does not switch on", item.id, (OPEN_OHM,), rate),
            Fault(f"stuck_on:{item.id}", f"{item.words} does not switch off", item.id, (item.ohm,), rate),
        ]
    if item.kind is Kind.LOAD:
        shorts = tuple(item.ohm * share for share in LOAD_SHORTS)
        return [
            Fault(f"open:{item.id}", f"{item.words} open inside", item.id, (OPEN_OHM,), rate),
            Fault(f"shorted:{item.id}", f"{item.words} shorted inside", item.id, shorts, rate * 0.3),
        ]
    if item.kind is Kind.SENSOR:
        skewed = tuple(item.ohm * share for share in SKEWS)
        return [
            Fault(f"open:{item.id}", f"{item.words} open inside", item.id, (OPEN_OHM,), rate),
            Fault(f"shorted:{item.id}", f"{item.words} shorted inside", item.id, (0.5, 5.0), rate * 0.3),
            Fault(f"skewed:{item.id}", f"{item.words} off its curve", item.id, skewed, rate),
        ]
    if item.kind is Kind.LAMP:
        return [Fault(f"open:{item.id}", f"{item.words} burnt out", item.id, (OPEN_OHM,), rate)]
    return [Fault(f"open:{item.id}", f"{item.words} failed", item.id, (OPEN_OHM,), rate)]


def _latent(circuit: Circuit) -> list[Element]:
    """The paths that shorts would take: from the far end of every wire."""
    battery = next((item.a for item in circuit.elements if item.kind is Kind.SUPPLY), "")
    found = []
    for item in circuit.elements:
        if item.kind is Kind.WIRE:
            found.append(Element(f"to_ground:{item.id}", Kind.PULL, item.b, GROUND, item.words, LATENT_OHM))
            found.append(Element(f"to_feed:{item.id}", Kind.PULL, battery or item.b, item.b, item.words, LATENT_OHM))
    return found
