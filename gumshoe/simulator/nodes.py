"""One state of a circuit solved, by node voltages: the stand-in's own way, which shares nothing with the reasoning's.

Kirchhoff's current law at every node; a source is its voltage behind its own resistance. What switches by voltages of
its own (a relay, an output) settles round by round; a filament takes the resistance of the voltage across it
(I ∝ V^0.55 and a cold resistance of some hundredths, common practice for incandescent lamps).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gumshoe.core.circuits.netlist import GROUND, OPEN_OHM, PULLED_OHM, Circuit, Element, Kind

Floats = NDArray[np.float64]

NOWHERE_SIEMENS = 1e-15
"""What holds a node that hangs on nothing."""
JUMPER_OHM = 0.03
SETTLE_ROUNDS, GLOW_ROUNDS = 6, 60
COLD, GLOWS = 0.08, 0.45
"""A cold filament's resistance against the hot one's, and the power of the voltage that its resistance grows with."""


@dataclass(frozen=True)
class State:
    """How a circuit stands: whether what is commanded is on, plugs off, whether the supply is there, jumpers; the one
    member of a shared point that is commanded ``alone``."""

    driven: bool = False
    unplugged: frozenset[str] = frozenset()
    powered: bool = True
    jumpers: frozenset[tuple[str, str]] = frozenset()
    alone: str = ""


class Nodes:
    """A circuit in one state, with whatever else is connected to it (``beside``), solved."""

    def __init__(self, circuit: Circuit, state: State, beside: Iterable[Element] = ()) -> None:
        self.circuit = circuit
        jumps = [Element(f"jumper {a} {b}", Kind.WIRE, a, b, "jumper", JUMPER_OHM) for a, b in sorted(state.jumpers)]
        self.elements = (*circuit.elements, *jumps, *beside)
        ends = dict.fromkeys(node for item in self.elements for node in (item.a, item.b))
        self._place = {node: place for place, node in enumerate(node for node in ends if node != GROUND)}
        self._ohms = [self._standing(item, state) for item in self.elements]
        self._powered = state.powered
        self._volts: Floats = np.zeros(len(self._place))
        self._settle()

    def between(self, plus: str, minus: str) -> float:
        """Volts from ``minus`` to ``plus``."""
        return self._at(plus) - self._at(minus)

    def amperes(self, element: str) -> float:
        """The current through an element that is no source, whichever way."""
        index = next(index for index, item in enumerate(self.elements) if item.id == element)
        item = self.elements[index]
        return abs(self.between(item.a, item.b)) / self._ohms[index]

    def inner_ohm(self, plus: str, minus: str) -> float:
        """Resistance seen between two nodes, everything staying as it stands."""
        pushed = np.zeros(len(self._place))
        for node, amperes in ((plus, 1.0), (minus, -1.0)):
            if node != GROUND:
                pushed[self._place[node]] += amperes
        rise = np.linalg.solve(self._siemens(), pushed)
        at = {node: float(rise[place]) for node, place in self._place.items()} | {GROUND: 0.0}
        return at[plus] - at[minus]

    # -- inside -------------------------------------------------------------------------------------------

    def _standing(self, item: Element, state: State) -> float:
        """Ohms of an element in this state, everything that it needs being there."""
        if item.connector in state.unplugged:
            return PULLED_OHM
        if item.kind is Kind.SUPPLY and not state.powered:
            return OPEN_OHM
        if item.id in self.circuit.commanded:
            others = state.alone and self.circuit.drives.get(item.id) != state.alone
            if others or not state.driven:
                return item.off_ohm
        return item.volts**2 / item.watts if item.kind is Kind.LAMP else item.ohm

    def _settle(self) -> None:
        """Switch what switches by itself until it stands; what chatters stays off."""
        switched = [index for index, item in enumerate(self.elements) if item.needs]
        asked = [self._ohms[index] for index in switched]
        on = [True] * len(switched)
        for turn in range(2 * SETTLE_ROUNDS):
            self._solve()
            held = [self._is_held(self.elements[index]) for index in switched]
            if held == on:
                return
            on = [now and (was or turn < SETTLE_ROUNDS) for now, was in zip(held, on, strict=True)]
            for index, ohm, stands in zip(switched, asked, on, strict=True):
                self._ohms[index] = ohm if stands else max(ohm, self.elements[index].off_ohm)
        self._solve()

    def _is_held(self, item: Element) -> bool:
        return all(self.between(need.plus, need.minus) >= need.volts for need in item.needs)

    def _solve(self) -> None:
        """Node voltages as it stands, filaments at the resistance that fits them."""
        lamps = [index for index, item in enumerate(self.elements) if item.kind is Kind.LAMP]
        pushed = np.zeros(len(self._place))
        for item, ohm in zip(self.elements, self._ohms, strict=True):
            if item.kind is Kind.SUPPLY and self._powered:
                for node, sign in ((item.a, 1.0), (item.b, -1.0)):
                    if node != GROUND:
                        pushed[self._place[node]] += sign * item.volts / ohm
        for _ in range(GLOW_ROUNDS if lamps else 1):
            self._volts = np.asarray(np.linalg.solve(self._siemens(), pushed), dtype=np.float64)
            moved = 0.0
            for index in lamps:
                item = self.elements[index]
                hot = item.volts**2 / item.watts
                share = max((abs(self.between(item.a, item.b)) / item.volts) ** GLOWS, COLD)
                wanted = (self._ohms[index] * hot * share) ** 0.5  # half way, in the logarithm: it does not swing
                moved = max(moved, abs(wanted / self._ohms[index] - 1.0))
                self._ohms[index] = wanted
            if moved < 1e-7:
                return

    def _siemens(self) -> Floats:
        count = len(self._place)
        found = np.eye(count) * NOWHERE_SIEMENS
        for item, ohm in zip(self.elements, self._ohms, strict=True):
            a, b = self._place.get(item.a), self._place.get(item.b)
            for place in (a, b):
                if place is not None:
                    found[place, place] += 1.0 / ohm
            if a is not None and b is not None:
                found[a, b] -= 1.0 / ohm
                found[b, a] -= 1.0 / ohm
        return found

    def _at(self, node: str) -> float:
        return 0.0 if node == GROUND else float(self._volts[self._place[node]])
