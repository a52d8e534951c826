"""Node voltages of a circuit for many variants at once, and what an instrument reads between two nodes.

A variant differs from a solved state by a rank-one change in which nothing cancels (Sherman & Morrison, Annals of
Mathematical Statistics 21(1), 1950): one small inverse serves every fault and size. An instrument is a one-port on the
Thévenin equivalent of its leads, so that no probe needs a solution of its own: exact for the meter, a scalar equation
for the lamp.

A filament's resistance grows with its voltage: I ∝ V^0.55 (common practice for incandescent lamps), down to its cold
resistance.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from gumshoe.core.circuits.loops import Bools, Floats, Ints, Net, States
from gumshoe.core.circuits.netlist import GROUND, PULLED_OHM, Circuit, Element, Kind, Setting
from gumshoe.core.errors import DataError

METER_OHM = 10e6
AMMETER_OHM = 0.05
NOTHING_OHM = 1e15
"""What a path that is not there has, where another variant has it."""
FILAMENT_POWER = 0.55
COLD_SHARE = 0.08
"""Cold resistance of a filament against that at its rated voltage (common practice: a tenth and less)."""
LEAST_MULTIPLE = 1e-9
LIT_SHARES = 1.0 / (1.0 + np.geomspace(LEAST_MULTIPLE, 1e4, 4000))
"""Shares of the open voltage that a lit filament can have across it …"""
LOG_MULTIPLES = np.log((1.0 - LIT_SHARES) / LIT_SHARES**FILAMENT_POWER)
"""… and for each the source's resistance against the filament's at the open voltage (logarithm)."""


def filament_ohm(volts: Floats, rated_v: float, rated_w: float) -> Floats:
    """Resistance of a filament at a voltage across it."""
    hot = rated_v * rated_v / rated_w
    share = np.maximum((np.abs(volts) / rated_v) ** (1.0 - FILAMENT_POWER), COLD_SHARE)
    result: Floats = hot * share
    return result


@dataclass(frozen=True)
class Change:
    """One change of every variant: ``share`` (variants) times the outer square of its column of ``reach`` (…, nodes,
    ways) is taken off the ohms of its state, and ``share · across`` times that column off its volts. ``place``
    (variants): where that column begins in ``reach``. ``across`` (variants): amperes through the element or volts
    between the nodes that the change is made at."""

    reach: Floats
    place: Ints
    share: Floats
    across: Floats

    def at(self, node: Ints | int) -> Floats:
        """The reach at a node, in every variant; at several (nodes, 1): a row for each."""
        result: Floats = self.reach.take(self.place + node * self.reach.shape[-1])
        return result


@dataclass(frozen=True)
class Solved:
    """Variants solved: ``volts`` (states, nodes) and ``ohms`` (states, nodes, nodes: volts at one node for an ampere
    into another) of the states, which state each variant is in (``group``), and how it differs from it. Ground is the
    last node."""

    circuit: Circuit
    index: dict[str, int]
    state_volts: Floats
    state_ohms: Floats
    group: Ints
    changes: tuple[Change, ...]

    @property
    def volts(self) -> Floats:
        """Voltage of every node but ground in every variant (variants, nodes)."""
        return np.stack([self._of(node) for node in self.circuit.nodes], axis=1)

    def open_voltage(self, plus: str, minus: str) -> Floats:
        """Voltage between two nodes with nothing connected."""
        return self._of(plus) if minus == GROUND else self._of(plus) - self._of(minus)

    def inner_ohm(self, plus: str, minus: str) -> Floats:
        """Thévenin resistance between two nodes."""
        key = plus, minus
        if key not in self._inner:
            p, m = self.index[plus], self.index[minus]
            ohms = self.state_ohms
            found = (ohms[:, p, p] + ohms[:, m, m] - 2.0 * ohms[:, p, m]).take(self.group)
            for change in self.changes:
                found -= change.share * (change.at(p) - change.at(m)) ** 2
            self._inner[key] = np.maximum(found, 0.0)
        return self._inner[key]

    def with_conductance(self, a: str, b: str, siemens: Floats) -> Solved:
        """Every variant with a conductance of its own (variants) between two nodes as well."""
        p, m = self.index[a], self.index[b]
        every, ohms = np.arange(len(self.index))[:, None], self.state_ohms
        reach = (ohms[:, :, p] - ohms[:, :, m]).T.take(self.group, axis=1)
        for change in self.changes:
            reach -= change.share * (change.at(p) - change.at(m)) * change.at(every)
        share = siemens / (1.0 + siemens * self.inner_ohm(a, b))
        added = Change(reach, np.arange(len(share)), share, self.open_voltage(a, b))
        return replace(self, changes=(*self.changes, added))

    def _of(self, node: str) -> Floats:
        if node not in self._volts:
            place = self.index[node]
            found = self.state_volts[:, place].take(self.group)
            for change in self.changes:
                found -= change.share * change.across * change.at(place)
            self._volts[node] = found
        return self._volts[node]

    @cached_property
    def _volts(self) -> dict[str, Floats]:
        return {}

    @cached_property
    def _inner(self) -> dict[tuple[str, str], Floats]:
        return {}


def resistances(circuit: Circuit, setting: Setting, driven: bool) -> Floats:
    """Ohms of every element as the circuit stands, nothing being wrong and every need fulfilled; ``driven``: the
    command's own phase. A latent path is infinite."""
    found = np.array([_rated_ohm(item) for item in circuit.elements])
    on = circuit.driven(setting.alone) if driven else frozenset()
    for place, item in enumerate(circuit.elements):
        if item.id in circuit.commanded and item.id not in on:
            found[place] = item.off_ohm
    for name in setting.unplugged:
        found[list(circuit.in_plug[name])] = PULLED_OHM
    return found


def _rated_ohm(item: Element) -> float:
    if item.kind is Kind.LATENT:
        return np.inf
    return item.volts * item.volts / item.watts if item.kind is Kind.LAMP else item.ohm


def solve(circuit: Circuit, ohms: Floats, setting: Setting) -> Solved:
    """Solve every variant on its own: ``ohms`` (variants, elements), infinite for what is not there; filaments as they
    are given."""
    net = Net(circuit, setting.jumpers)
    every = net.columns(np.minimum(ohms, NOTHING_OHM), np.full(len(ohms), setting.powered))
    usual = np.where(every.max(axis=0) < NOTHING_OHM, np.median(every, axis=0), NOTHING_OHM)
    there = every.min(axis=0) < NOTHING_OHM  # in some variant
    up, through = (rows[None, :, there] for rows in net.loops(np.where(there, usual, np.inf)))
    states = States(up, through, every[:, there], np.tile(net.emf[there] * setting.powered, (len(ohms), 1)))
    return Solved(circuit, net.index, states.volts, states.ohms, np.arange(len(ohms)), ())


class Bench:
    """A circuit in some settings, for variants that differ from a state in one element each: one inverse a state,
    however many faults and sizes.

    A state is a setting with a code (what is switched on in it), solved once. A variant that has more resistance than
    its state adds it to the loops through its element; one that has less, or a path that the state has not, adds
    conductance between two nodes. Neither takes anything away, so nothing cancels. A filament is first left dark, then
    put in as the one-port it is. Variants of all settings are numbered through, one setting after the other.
    """

    def __init__(self, net: Net, powered: Bools, sound: Floats, changed: Ints, ohm: Floats, codes: int) -> None:
        """``powered`` (settings); ``sound`` (settings, elements): as the circuit mostly stands; ``changed`` (variants):
        the column of the element that each variant changes; ``ohm`` (settings, variants): what it has; ``codes``: how
        many there are.

        Raises DataError for a circuit with two filaments.
        """
        items = net.circuit.elements
        lamps = [column for column, item in enumerate(items) if item.kind is Kind.LAMP]
        if len(lamps) > 1:
            raise DataError(f"{net.circuit.id}: two lamps in one circuit cannot be solved.")
        self._lamp = lamps[0] if lamps else -1
        self.net, self._powered, self._codes = net, powered, codes
        self._changed, self._ohm = np.tile(changed, len(ohm)), ohm.reshape(-1).copy()
        rows = self._columns(sound, powered)
        self._there = np.flatnonzero(np.isfinite(rows[0]))
        loops = [net.loops(row) for row in rows]
        self._up = np.array([up[:, self._there] for up, _ in loops])
        self._through = np.array([through[:, self._there] for _, through in loops])
        # Ways to change a state: resistance added to a column that is there, or conductance past one that may fall.
        most = np.maximum(rows[:, : len(items)], [item.off_ohm for item in items])
        self._beside = np.unique(changed[(ohm < most[:, changed]).any(axis=0)])
        self._ways = len(self._there) + len(self._beside)
        self._series, self._past = np.full(rows.shape[1], -1), np.full(rows.shape[1], -1)
        self._series[self._there] = np.arange(len(self._there))
        self._past[self._beside] = np.arange(len(self._there), self._ways)
        nodes = len(net.index)
        self._state = np.full(len(sound) * codes, -1)
        self._stood, self._volts = np.zeros((0, rows.shape[1])), np.zeros((0, nodes))
        self._ohms, self._reach = np.zeros((0, nodes, nodes)), np.zeros((0, nodes, self._ways))
        self._seen, self._across = np.zeros((0, self._ways)), np.zeros((0, self._ways))
        self._group, self._way = (np.zeros(ohm.size, dtype=np.int64) for _ in range(2))
        self._share = np.zeros(ohm.size)

    def add(self, keys: Ints, states: Floats) -> None:
        """Solve some states that are not known: ``keys`` (setting · codes + code), and their ohms (keys, elements)."""
        setting = keys // self._codes
        ohms = self._columns(states, self._powered[setting])
        emf = self.net.emf[self._there] * self._powered[setting][:, None]
        solved = States(self._up[setting], self._through[setting], ohms[:, self._there], emf)
        begin, end, every = self.net.begin[self._beside], self.net.end[self._beside], np.arange(len(self._beside))
        past = solved.ohms[:, :, begin] - solved.ohms[:, :, end]
        loop = past[:, begin, every] - past[:, end, every]
        stand = solved.volts[:, begin] - solved.volts[:, end]
        self._state[keys] = len(self._stood) + np.arange(len(keys))
        self._stood = np.concatenate([self._stood, ohms])
        self._volts = np.concatenate([self._volts, solved.volts])
        self._ohms = np.concatenate([self._ohms, solved.ohms])
        self._reach = np.concatenate([self._reach, np.concatenate([solved.reach, past], axis=2)])
        self._seen = np.concatenate([self._seen, np.concatenate([solved.siemens, loop], axis=1)])
        self._across = np.concatenate([self._across, np.concatenate([solved.amperes, stand], axis=1)])

    def unknown(self, keys: Ints) -> Ints:
        """Those states that are still to be solved."""
        return np.unique(keys[self._state[keys] < 0])

    def put(self, which: Ints, keys: Ints, ohm: Floats) -> None:
        """Solve some variants, each in its state, with what its element has there."""
        state, changed = self._state[keys], self._changed[which]
        self._ohm[which] = ohm
        stood = self._stood[state, changed]
        more = ohm >= stood
        way = np.where(more, self._series[changed], self._past[changed])
        added = np.where(more, ohm - stood, 1.0 / ohm - 1.0 / stood)
        added[changed == self._lamp] = 0.0
        self._group[which], self._way[which] = state, way
        self._share[which] = np.where(more, -added, added) / (1.0 + added * self._seen[state, way])

    def between(self, plus: Ints, minus: Ints, which: Ints) -> Floats:
        """Voltages between pairs of nodes in some variants (pairs, variants), a filament of the circuit's own dark."""
        state, way = self._group[which], self._way[which]
        reach = (self._reach[:, plus] - self._reach[:, minus]).swapaxes(0, 1).reshape(len(plus), -1)
        change = reach.take(state * self._ways + way, axis=1) * (self._share[which] * self._across[state, way])
        result: Floats = (self._volts[:, plus] - self._volts[:, minus]).T.take(state, axis=1) - change
        return result

    def lit(self) -> list[Solved]:
        """All variants as they were put last, setting by setting; with the filament in the circuit, at the voltage that
        stands across it."""
        place = self._group * (len(self.net.index) * self._ways) + self._way
        across = self._across[self._group, self._way]
        found = []
        for first in range(0, len(self._ohm), len(self._ohm) // len(self._powered)):
            own = slice(first, first + len(self._ohm) // len(self._powered))
            change = Change(self._reach, place[own], self._share[own], across[own])
            solved = Solved(self.net.circuit, self.net.index, self._volts, self._ohms, self._group[own], (change,))
            found.append(solved if self._lamp < 0 else self._with_filament(solved, own))
        return found

    def _with_filament(self, solved: Solved, own: slice) -> Solved:
        item = self.net.circuit.elements[self._lamp]
        across = lamp_voltage(solved, item.a, item.b, item.volts, item.watts)
        hot = filament_ohm(across, item.volts, item.watts)
        ohms = np.where(self._changed[own] == self._lamp, self._ohm[own], hot)
        return solved.with_conductance(item.a, item.b, 1.0 / ohms)

    def _columns(self, ohms: Floats, powered: Bools) -> Floats:
        found = self.net.columns(ohms, powered)
        if self._lamp >= 0:
            found[:, self._lamp] = NOTHING_OHM
        return found


def meter(solved: Solved, plus: str, minus: str = GROUND, ohm: float = METER_OHM) -> Floats:
    """What a voltmeter shows between two nodes: its own resistance is in the circuit."""
    inner = solved.inner_ohm(plus, minus)
    result: Floats = solved.open_voltage(plus, minus) * ohm / (ohm + inner)
    return result


def lamp_voltage(solved: Solved, plus: str, minus: str, rated_v: float = 12.0, rated_w: float = 4.0) -> Floats:
    """Voltage across a test lamp between two nodes: the root of v + R·I(v) = v₀.

    Cold, that is a divider. Hot, with v = w·v₀ and A the source's resistance as a multiple of the filament's at v₀, it
    is w + A·w^0.55 = 1: one curve for every lamp and source, read off a table, then one step of Newton's.
    """
    open_v, inner = np.abs(solved.open_voltage(plus, minus)), solved.inner_ohm(plus, minus)
    hot = rated_v * rated_v / rated_w
    cold = COLD_SHARE * hot
    knee = rated_v * COLD_SHARE ** (1.0 / (1.0 - FILAMENT_POWER))
    dim: Floats = open_v * cold / (cold + inner)
    lit = np.flatnonzero(dim > knee)
    volts, inner = open_v[lit], inner[lit]
    multiple = np.log(np.maximum(inner / hot, LEAST_MULTIPLE)) - (1.0 - FILAMENT_POWER) * np.log(volts / rated_v)
    found = volts * np.interp(multiple, LOG_MULTIPLES, LIT_SHARES)
    current = rated_v / hot * (found / rated_v) ** FILAMENT_POWER
    found += (volts - found - inner * current) / (1.0 + inner * FILAMENT_POWER * current / found)
    dim[lit] = found
    return dim


def ammeter(solved: Solved, plus: str, minus: str) -> Floats:
    """Amperes through an ammeter (or a jumper with a meter) between two nodes."""
    result: Floats = solved.open_voltage(plus, minus) / (solved.inner_ohm(plus, minus) + AMMETER_OHM)
    return result
