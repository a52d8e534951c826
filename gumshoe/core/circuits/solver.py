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
from gumshoe.core.errors import DataError

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
    """Solve every variant on its own: ``ohms`` (variants, elements), filaments as they are given."""
    index, incidence = _shape(circuit, setting)
    bases, volts = _linear(circuit, incidence, _with_jumpers(1.0 / ohms, setting), setting)
    count = len(ohms)
    none = np.zeros((1, len(index)))
    everyone = np.arange(count)
    return Solved(circuit, index, volts, bases, everyone, none, np.zeros(count, dtype=np.int64), np.zeros(count))


class Bench:
    """A circuit in one setting, for variants that differ from a ground state in one element each (Sherman & Morrison,
    Annals of Mathematical Statistics 21(1), 1950): one inverse for each state, however many sizes.

    A state is solved once and kept under its code. It lacks the elements that its variants change, so that conductance
    is only ever added and nothing cancels. A filament in the circuit is solved as the one-port it is, then put in.
    """

    def __init__(self, circuit: Circuit, setting: Setting, changed: Ints, ohm: Floats) -> None:
        """``changed``: the column of the element that each variant changes; ``ohm``: what it has.

        Raises DataError for a circuit with two filaments.
        """
        self.circuit, self.setting, self.changed, self.ohm = circuit, setting, changed, ohm
        self.index, self.incidence = _shape(circuit, setting)
        size = len(self.index)
        self._state: dict[int, int] = {}
        self._bases, self._base_volts = np.zeros((0, size, size)), np.zeros((0, size))
        self._port: dict[int, int] = {}
        self._reach, self._loop, self._between = np.zeros((0, size)), np.zeros(0), np.zeros(0)
        self._group, self._pair = np.zeros(len(ohm), dtype=np.int64), np.zeros(len(ohm), dtype=np.int64)
        self._share, self._volts = np.zeros(len(ohm)), np.zeros((len(ohm), size))
        lamps = [column for column, item in enumerate(circuit.elements) if item.kind is Kind.LAMP]
        if len(lamps) > 1:
            raise DataError(f"{circuit.id}: two lamps in one circuit cannot be solved.")
        self._lamp = lamps[0] if lamps else None

    def put(self, which: Ints, codes: list[int], states: Floats, group: Ints) -> None:
        """Solve some variants. ``states`` (codes, elements): ohms of each ground state, infinite where its variants
        change it; ``group``: each variant's state."""
        states = states.copy()
        if self._lamp is not None:  # dark at first
            states[:, self._lamp] = np.inf
        self._add_states(codes, states)
        rows = np.array([self._state[code] for code in codes])[group]
        keys = rows * len(self.circuit.elements) + self.changed[which]
        self._add_ports(np.unique(keys))
        pair = np.array([self._port[key] for key in keys.tolist()])
        added = 1.0 / self.ohm[which]
        if self._lamp is not None:
            added = np.where(self.changed[which] == self._lamp, 0.0, added)
        share = added / (1.0 + added * self._loop[pair])
        self._group[which], self._pair[which], self._share[which] = rows, pair, share
        self._volts[which] = self._base_volts[rows] - (share * self._between[pair])[:, None] * self._reach[pair]

    def solved(self) -> Solved:
        """The variants as they were put last (without a filament of the circuit's own: see ``lit``)."""
        return Solved(
            self.circuit, self.index, self._volts, self._bases, self._group, self._reach, self._pair, self._share
        )

    def lit(self, grounds: Floats) -> Solved:
        """With the filament in the circuit: its voltage from what was solved without it, then every variant on its own.
        ``grounds`` (variants, elements)."""
        if self._lamp is None:
            return self.solved()
        item = self.circuit.elements[self._lamp]
        across = lamp_voltage(self.solved(), item.a, item.b, item.volts, item.watts)
        ohms = grounds.copy()
        ohms[:, self._lamp] = filament_ohm(across, item.volts, item.watts)
        ohms[np.arange(len(ohms)), self.changed] = self.ohm
        return solve(self.circuit, ohms, self.setting)

    def _add_states(self, codes: list[int], states: Floats) -> None:
        new = [place for place, code in enumerate(codes) if code not in self._state]
        if not new:
            return
        conductance = _with_jumpers(1.0 / states[new], self.setting)
        bases, volts = _linear(self.circuit, self.incidence, conductance, self.setting)
        for place in new:
            self._state[codes[place]] = len(self._state)
        self._bases = np.concatenate([self._bases, bases])
        self._base_volts = np.concatenate([self._base_volts, volts])

    def _add_ports(self, keys: Ints) -> None:
        new = [key for key in keys.tolist() if key not in self._port]
        if not new:
            return
        of, column = np.divmod(np.array(new), len(self.circuit.elements))
        across = self.incidence[:, column].T
        reach = np.einsum("knm,km->kn", self._bases[of], across)
        for key in new:
            self._port[key] = len(self._port)
        self._reach = np.concatenate([self._reach, reach])
        self._loop = np.concatenate([self._loop, np.einsum("kn,kn->k", reach, across)])
        self._between = np.concatenate([self._between, np.einsum("kn,kn->k", self._base_volts[of], across)])


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
