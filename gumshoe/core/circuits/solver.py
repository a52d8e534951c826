"""Node voltages of a circuit for many variants at once, and what an instrument reads between two nodes.

Nodal analysis (Ho, Ruehli & Brennan, IEEE Trans. Circuits and Systems 22(6), 1975, in its plain form: every source has
an inner resistance, so no branch currents are unknown). All variants of a circuit share their topology and differ in
conductances only: one stacked inverse solves them together. An instrument is a one-port on the Thévenin equivalent of
its leads, so that no probe needs a solution of its own: exact for the meter, a scalar equation for the lamp.

A filament's resistance grows with its voltage: I ∝ V^0.55 (common practice for incandescent lamps), down to its cold
resistance.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gumshoe.core.circuits.netlist import GROUND, OPEN_OHM, Circuit, Element, Kind, Setting

Floats = NDArray[np.float64]

GMIN = 1e-12
"""Conductance of every node to ground (S), so that a node cut off from everything still has a voltage."""
JUMPER_OHM = 0.03
METER_OHM = 10e6
FILAMENT_POWER = 0.55
COLD_SHARE = 0.08
"""Cold resistance of a filament against that at its rated voltage (common practice: a tenth and less)."""
LAMP_ROUNDS = 40
ROOT_ROUNDS = 60


def filament_ohm(volts: Floats, rated_v: float, rated_w: float) -> Floats:
    """Resistance of a filament at a voltage across it."""
    hot = rated_v * rated_v / rated_w
    share = np.maximum((np.abs(volts) / rated_v) ** (1.0 - FILAMENT_POWER), COLD_SHARE)
    result: Floats = hot * share
    return result


@dataclass(frozen=True)
class Solved:
    """Variants solved: ``volts`` (variants, nodes), ``inverse`` (variants, nodes, nodes) of the nodal matrix."""

    circuit: Circuit
    index: dict[str, int]
    volts: Floats
    inverse: Floats

    def open_voltage(self, plus: str, minus: str) -> Floats:
        """Voltage between two nodes with nothing connected."""
        return self._of(plus) - self._of(minus)

    def inner_ohm(self, plus: str, minus: str) -> Floats:
        """Thévenin resistance between two nodes."""
        p, m = self.index.get(plus), self.index.get(minus)
        total = np.zeros(len(self.volts))
        if p is not None:
            total = total + self.inverse[:, p, p]
        if m is not None:
            total = total + self.inverse[:, m, m]
        if p is not None and m is not None:
            total = total - 2.0 * self.inverse[:, p, m]
        return np.maximum(total, 0.0)

    def _of(self, node: str) -> Floats:
        place = self.index.get(node)
        return np.zeros(len(self.volts)) if place is None else self.volts[:, place]


def resistances(circuit: Circuit, setting: Setting, driven: bool) -> Floats:
    """Ohms of every element as the circuit stands, nothing being wrong; ``driven``: the command's own phase."""
    found = []
    for item in circuit.elements:
        ohm = item.ohm
        if item.kind is Kind.LAMP:
            ohm = item.volts * item.volts / item.watts
        if item.off_ohm and item.id == circuit.commanded and not driven:
            ohm = item.off_ohm
        if item.connector and item.connector in setting.unplugged:
            ohm = OPEN_OHM
        found.append(ohm)
    return np.array(found)


def solve(circuit: Circuit, ohms: Floats, setting: Setting) -> Solved:
    """Solve every variant: ``ohms`` (variants, elements), as from ``resistances`` with what is wrong put in."""
    index = {node: place for place, node in enumerate(circuit.nodes)}
    size, elements = len(index), circuit.elements
    incidence = np.zeros((size, len(elements) + len(setting.jumpers)))
    for column, (a, b) in enumerate([(item.a, item.b) for item in elements] + sorted(setting.jumpers)):
        if a in index:
            incidence[index[a], column] += 1.0
        if b in index:
            incidence[index[b], column] -= 1.0
    conductance = 1.0 / ohms
    if setting.jumpers:
        extra = np.full((len(ohms), len(setting.jumpers)), 1.0 / JUMPER_OHM)
        conductance = np.hstack([conductance, extra])
    lamps = [column for column, item in enumerate(elements) if item.kind is Kind.LAMP]
    supplies = [(column, item) for column, item in enumerate(elements) if item.kind is Kind.SUPPLY]
    volts, inverse = _linear(incidence, conductance, supplies, setting)
    nominal = ohms[:, lamps] if lamps else None
    for _ in range(LAMP_ROUNDS if lamps else 0):
        assert nominal is not None
        changed = 0.0
        for place, column in enumerate(lamps):
            item = elements[column]
            across = np.abs(volts @ incidence[:, column])
            law = filament_ohm(across, item.volts, item.watts)
            # A variant in which the lamp itself is wrong keeps the resistance it was given.
            own = np.isclose(nominal[:, place], item.volts**2 / item.watts)
            wanted = np.where(own, 1.0 / law, 1.0 / nominal[:, place])
            step = 0.5 * (wanted - conductance[:, column])
            conductance[:, column] += step
            changed = max(changed, float(np.max(np.abs(step) / conductance[:, column])))
        volts, inverse = _linear(incidence, conductance, supplies, setting)
        if changed < 1e-9:
            break
    return Solved(circuit, index, volts, inverse)


def _linear(
    incidence: Floats, conductance: Floats, supplies: list[tuple[int, Element]], setting: Setting
) -> tuple[Floats, Floats]:
    if not setting.powered:  # the supply is taken off: an ohmmeter's own voltage is the only one
        conductance = conductance.copy()
        for column, _ in supplies:
            conductance[:, column] = 1.0 / OPEN_OHM
    matrix = np.einsum("ne,ke,me->knm", incidence, conductance, incidence, optimize=True)
    size = incidence.shape[0]
    matrix[:, np.arange(size), np.arange(size)] += GMIN
    inverse = np.linalg.inv(matrix)
    injected = np.zeros((len(conductance), size))
    if setting.powered:
        for column, item in supplies:
            injected += item.volts * conductance[:, column : column + 1] * incidence[:, column][None, :]
    return np.einsum("knm,km->kn", inverse, injected), inverse


def meter(solved: Solved, plus: str, minus: str = GROUND, ohm: float = METER_OHM) -> Floats:
    """What a voltmeter shows between two nodes: its own resistance is in the circuit."""
    inner = solved.inner_ohm(plus, minus)
    result: Floats = solved.open_voltage(plus, minus) * ohm / (ohm + inner)
    return result


def lamp_voltage(solved: Solved, plus: str, minus: str, rated_v: float = 12.0, rated_w: float = 4.0) -> Floats:
    """Voltage across a test lamp between two nodes: v = v₀ − R·I(v), by halving (I grows with v: there is one root)."""
    open_v, inner = np.abs(solved.open_voltage(plus, minus)), solved.inner_ohm(plus, minus)
    low, high = np.zeros_like(open_v), open_v.copy()
    for _ in range(ROOT_ROUNDS):
        middle = 0.5 * (low + high)
        above = middle + inner * middle / filament_ohm(middle, rated_v, rated_w) > open_v
        high, low = np.where(above, middle, high), np.where(above, low, middle)
    result: Floats = 0.5 * (low + high)
    return result
