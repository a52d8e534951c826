"""Node voltages of a circuit for many variants at once, and what an instrument reads between two nodes.

Nodal analysis (Ho, Ruehli & Brennan, IEEE Trans. Circuits and Systems 22(6), 1975, in its plain form: every source has
an inner resistance, so no branch currents are unknown). All variants of a circuit share their topology and differ in
conductances only, mostly in a single one. An instrument is a one-port on the Thévenin equivalent of
its leads, so that no probe needs a solution of its own: exact for the meter, a scalar equation for the lamp.

A filament's resistance grows with its voltage: I ∝ V^0.55 (common practice for incandescent lamps), down to its cold
resistance.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gumshoe.core.circuits.netlist import GROUND, OPEN_OHM, Circuit, Kind, Setting

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]

GMIN = 1e-12
"""Conductance of every node to ground (S), so that a node cut off from everything still has a voltage."""
JUMPER_OHM = 0.03
METER_OHM = 10e6
AMMETER_OHM = 0.05
FILAMENT_POWER = 0.55
COLD_SHARE = 0.08
"""Cold resistance of a filament against that at its rated voltage (common practice: a tenth and less)."""
LAMP_ROUNDS = 40
NEWTON_ROUNDS = 30


def filament_ohm(volts: Floats, rated_v: float, rated_w: float) -> Floats:
    """Resistance of a filament at a voltage across it."""
    hot = rated_v * rated_v / rated_w
    share = np.maximum((np.abs(volts) / rated_v) ** (1.0 - FILAMENT_POWER), COLD_SHARE)
    result: Floats = hot * share
    return result


@dataclass(frozen=True)
class Solved:
    """Variants solved. Variant k is ``bases[group[k]]`` (groups, nodes, nodes: inverses of nodal matrices) with one
    conductance added between two nodes: ``share[k]`` times the outer square of ``reach[pair[k]]`` is taken off.
    ``volts`` (variants, nodes)."""

    circuit: Circuit
    index: dict[str, int]
    volts: Floats
    bases: Floats
    group: Ints
    reach: Floats
    pair: Ints
    share: Floats

    def open_voltage(self, plus: str, minus: str) -> Floats:
        """Voltage between two nodes with nothing connected."""
        return self._of(plus) - self._of(minus)

    def inner_ohm(self, plus: str, minus: str) -> Floats:
        """Thévenin resistance between two nodes."""
        p, m = self.index.get(plus), self.index.get(minus)
        base, reach = np.zeros(len(self.bases)), np.zeros(len(self.reach))
        if p is not None:
            base, reach = base + self.bases[:, p, p], reach + self.reach[:, p]
        if m is not None:
            base, reach = base + self.bases[:, m, m], reach - self.reach[:, m]
        if p is not None and m is not None:
            base = base - 2.0 * self.bases[:, p, m]
        return np.maximum(base[self.group] - self.share * reach[self.pair] ** 2, 0.0)

    def _of(self, node: str) -> Floats:
        place = self.index.get(node)
        return np.zeros(len(self.volts)) if place is None else self.volts[:, place]


def resistances(circuit: Circuit, setting: Setting, driven: bool) -> Floats:
    """Ohms of every element as the circuit stands, nothing being wrong and every need fulfilled; ``driven``: the
    command's own phase. A latent path is infinite."""
    found = []
    for item in circuit.elements:
        ohm = item.ohm
        if item.kind is Kind.LAMP:
            ohm = item.volts * item.volts / item.watts
        if item.kind is Kind.LATENT:
            ohm = np.inf
        if item.id in circuit.commanded and not driven:
            ohm = item.off_ohm
        if item.connector and item.connector in setting.unplugged:
            ohm = OPEN_OHM
        found.append(ohm)
    return np.array(found)


def solve(circuit: Circuit, ohms: Floats, setting: Setting) -> Solved:
    """Solve every variant on its own: ``ohms`` (variants, elements), as from ``resistances`` with what is wrong put in.
    Filaments in the circuit follow their law."""
    index, incidence = _shape(circuit, setting)
    elements = circuit.elements
    conductance = _with_jumpers(1.0 / ohms, setting)
    lamps = [column for column, item in enumerate(elements) if item.kind is Kind.LAMP]
    bases, volts = _linear(circuit, incidence, conductance, setting)
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
            step = 0.7 * (wanted - conductance[:, column])
            conductance[:, column] += step
            changed = max(changed, float(np.max(np.abs(step) / conductance[:, column])))
        bases, volts = _linear(circuit, incidence, conductance, setting)
        if changed < 1e-8:
            break
    count = len(ohms)
    everyone = np.arange(count)
    none = np.zeros((1, len(index)))
    return Solved(circuit, index, volts, bases, everyone, none, np.zeros(count, dtype=np.int64), np.zeros(count))


def solve_changed(
    circuit: Circuit, states: Floats, group: Ints, changed: Ints, ohm: Floats, setting: Setting
) -> Solved:
    """Solve variants that differ from a ground state in one element each (Sherman & Morrison, Annals of Mathematical
    Statistics 21(1), 1950): one inverse for each state, however many sizes.

    ``states`` (groups, elements): ohms of a ground state *without* the elements that its variants change (infinite), so
    that conductance is only ever added and nothing cancels. ``group``: each variant's state; ``changed``: the column of
    its element; ``ohm``: what that has.
    """
    index, incidence = _shape(circuit, setting)
    pairs, pair = np.unique(np.stack([group, changed], axis=1), axis=0, return_inverse=True)
    pair = np.asarray(pair).reshape(-1)
    bases, volts = _linear(circuit, incidence, _with_jumpers(1.0 / states, setting), setting)
    across = incidence[:, pairs[:, 1]].T
    reach = np.einsum("knm,km->kn", bases[pairs[:, 0]], across)
    loop = np.einsum("kn,kn->k", reach, across)
    between = np.einsum("kn,kn->k", volts[pairs[:, 0]], across)
    added = 1.0 / ohm
    share = added / (1.0 + added * loop[pair])
    shifted = volts[group] - (share * between[pair])[:, None] * reach[pair]
    return Solved(circuit, index, shifted, bases, group, reach, pair, share)


def _shape(circuit: Circuit, setting: Setting) -> tuple[dict[str, int], Floats]:
    """Row of each node, and which elements (then jumpers) begin (+1) and end (−1) at it."""
    index = {node: place for place, node in enumerate(circuit.nodes)}
    incidence = np.zeros((len(index), len(circuit.elements) + len(setting.jumpers)))
    ends = [(item.a, item.b) for item in circuit.elements] + sorted(setting.jumpers)
    for column, (a, b) in enumerate(ends):
        if a in index:
            incidence[index[a], column] += 1.0
        if b in index:
            incidence[index[b], column] -= 1.0
    return index, incidence


def _with_jumpers(conductance: Floats, setting: Setting) -> Floats:
    extra = np.full((len(conductance), len(setting.jumpers)), 1.0 / JUMPER_OHM)
    return np.hstack([conductance, extra])


def _linear(circuit: Circuit, incidence: Floats, conductance: Floats, setting: Setting) -> tuple[Floats, Floats]:
    """(inverses of the nodal matrices, node voltages)."""
    supplies = [(column, item) for column, item in enumerate(circuit.elements) if item.kind is Kind.SUPPLY]
    if not setting.powered:  # the supply is taken off: an ohmmeter's own voltage is the only one
        conductance = conductance.copy()
        for column, _ in supplies:
            conductance[:, column] = 1.0 / OPEN_OHM
    size = incidence.shape[0]
    matrix = (conductance[:, None, :] * incidence[None, :, :]) @ incidence.T
    matrix[:, np.arange(size), np.arange(size)] += GMIN
    inverse: Floats = np.asarray(np.linalg.inv(matrix), dtype=np.float64)
    injected = np.zeros((len(conductance), size))
    if setting.powered:
        for column, item in supplies:
            injected += item.volts * conductance[:, column : column + 1] * incidence[:, column][None, :]
    volts: Floats = np.einsum("knm,km->kn", inverse, injected)
    return inverse, volts


def meter(solved: Solved, plus: str, minus: str = GROUND, ohm: float = METER_OHM) -> Floats:
    """What a voltmeter shows between two nodes: its own resistance is in the circuit."""
    inner = solved.inner_ohm(plus, minus)
    result: Floats = solved.open_voltage(plus, minus) * ohm / (ohm + inner)
    return result


def lamp_voltage(solved: Solved, plus: str, minus: str, rated_v: float = 12.0, rated_w: float = 4.0) -> Floats:
    """Voltage across a test lamp between two nodes: the root of v + R·I(v) = v₀.

    Newton from the cold filament's solution: I(v) is concave, so every step stays below the root and comes nearer.
    """
    open_v, inner = np.abs(solved.open_voltage(plus, minus)), solved.inner_ohm(plus, minus)
    hot = rated_v * rated_v / rated_w
    cold = COLD_SHARE * hot
    knee = rated_v * COLD_SHARE ** (1.0 / (1.0 - FILAMENT_POWER))
    volts: Floats = open_v * cold / (cold + inner)
    for _ in range(NEWTON_ROUNDS):
        warm = np.maximum(volts, knee)
        current = np.where(volts > knee, rated_v / hot * (warm / rated_v) ** FILAMENT_POWER, volts / cold)
        slope = np.where(volts > knee, FILAMENT_POWER * current / warm, 1.0 / cold)
        step = (open_v - volts - inner * current) / (1.0 + inner * slope)
        volts = volts + step
        if float(np.max(np.abs(step))) < 1e-9:
            break
    return volts


def ammeter(solved: Solved, plus: str, minus: str) -> Floats:
    """Amperes through an ammeter (or a jumper with a meter) between two nodes."""
    result: Floats = solved.open_voltage(plus, minus) / (solved.inner_ohm(plus, minus) + AMMETER_OHM)
    return result
