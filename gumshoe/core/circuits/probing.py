"""Readings at a circuit: what each fault would show, what is left after those taken, and where to put the leads next.

A reading's tolerance is the instrument's and the supply's variation. Bayes over fault states, the unknown size of a
fault summed out; the next probe is the one that tells most about which fault it is, in bits per minute (Shannon 1948),
among those that the circuit can take.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import combinations

import numpy as np

from gumshoe.core.circuits.faults import Fault, Model
from gumshoe.core.circuits.netlist import GROUND, Circuit, Setting
from gumshoe.core.circuits.solver import Floats, lamp_voltage, meter

SUPPLY_SHARE = 0.02
METER_V = 0.06
OHM_SHARE, OHM_LEAST = 0.04, 0.4
MOST_OHM = 2e7
LAMP_V = 0.6
CANNOT_BE = 1e-5
"""Chance of a reading that no fault explains: a lead slipped, a wrong pin (common practice)."""
EXCLUDED = 0.002
BRIGHT_V, DIM_V = 9.0, 3.0
"""A 12 V test lamp looks bright from about three quarters of its voltage on and dark below a quarter."""
LAMP_WORDS = {"dark": 1.0, "dim": 6.0, "bright": 12.0}
BINS = 48
PLUG_MINUTES = 2.0
SUPPLY_OFF_MINUTES = 4.0
"""To take the battery off before an ohmmeter goes on, and to put it back."""


class Instrument(StrEnum):
    """What the leads are on."""

    METER = "meter"
    LAMP = "test lamp"
    OHM = "ohmmeter"


@dataclass(frozen=True)
class Probe:
    """Where the leads go and how the circuit stands. ``plus`` and ``minus`` are nodes."""

    instrument: Instrument
    plus: str
    minus: str
    setting: Setting

    @property
    def unit(self) -> str:
        return "Ω" if self.instrument is Instrument.OHM else "V"


@dataclass(frozen=True)
class Reading:
    """A probe and what it showed: volts or ohms (volts across it for the lamp)."""

    probe: Probe
    value: float


@dataclass(frozen=True)
class Left:
    """One fault with its probability after the readings."""

    fault: Fault
    probability: float


@dataclass(frozen=True)
class Proposal:
    """A probe worth making: bits about which fault it is, minutes, and what the likely faults would show there."""

    probe: Probe
    words: str
    bits: float
    minutes: float
    shows: tuple[tuple[Fault, float, float], ...]
    """(fault, lowest, highest reading over its sizes) for the faults that are left."""


def predicted(model: Model, probe: Probe) -> Floats:
    """What every variant shows at a probe; a duty command gives the mean of its phases."""
    if probe.instrument is Instrument.OHM:
        solved = model.solved(Setting(0.0, probe.setting.unplugged, powered=False), driven=False)
        ohms: Floats = np.minimum(solved.inner_ohm(probe.plus, probe.minus), MOST_OHM)
        return ohms
    total = np.zeros(len(model.owner))
    duty = probe.setting.command
    for driven, share in ((True, duty), (False, 1.0 - duty)):
        if share > 0.0:
            solved = model.solved(probe.setting, driven=driven)
            read = meter if probe.instrument is Instrument.METER else lamp_voltage
            total = total + share * read(solved, probe.plus, probe.minus)
    return total


def spread(probe: Probe, values: Floats) -> Floats:
    """Standard deviation of a reading around what was predicted."""
    if probe.instrument is Instrument.OHM:
        return OHM_SHARE * np.abs(values) + OHM_LEAST
    least = METER_V if probe.instrument is Instrument.METER else LAMP_V
    return SUPPLY_SHARE * np.abs(values) + least


def likelihood(model: Model, reading: Reading) -> Floats:
    """How likely each variant makes a reading; never quite nothing."""
    values = predicted(model, reading.probe)
    sigma = spread(reading.probe, values)
    density = np.exp(-0.5 * ((reading.value - values) / sigma) ** 2)
    result: Floats = np.maximum(density, CANNOT_BE)
    return result


def weights_after(model: Model, readings: Iterable[Reading]) -> Floats:
    """Probability of each variant after the readings."""
    log = np.log(model.prior)
    for reading in readings:
        log = log + np.log(likelihood(model, reading))
    raised = np.exp(log - log.max())
    result: Floats = raised / raised.sum()
    return result


def left(model: Model, readings: Iterable[Reading]) -> tuple[Left, ...]:
    """Every fault with its probability, the likeliest first."""
    by_fault = np.bincount(model.owner, weights_after(model, readings), len(model.faults))
    rows = [Left(fault, float(by_fault[index])) for index, fault in enumerate(model.faults)]
    return tuple(sorted(rows, key=lambda row: (-row.probability, row.fault.id)))


def contradiction(model: Model, readings: Sequence[Reading]) -> Reading | None:
    """The least believable reading, when no single fault explains them all; None while one does."""
    together = np.ones(len(model.owner))
    for reading in readings:
        together = np.minimum(together, likelihood(model, reading))
    if not readings or float(together.max()) > 10.0 * CANNOT_BE:
        return None

    def best_without(one: Reading) -> float:
        rest = [reading for reading in readings if reading is not one]
        least = np.ones(len(model.owner))
        for reading in rest:
            least = np.minimum(least, likelihood(model, reading))
        return float(least.max())

    return max(readings, key=best_without)


def probes(circuit: Circuit) -> tuple[Probe, ...]:
    """Every probe that this circuit can take: the lamp only where it may load, the ohmmeter only without supply."""
    nodes = {place.node: place for place in circuit.places if not place.behind}
    pulled: list[frozenset[str]] = [frozenset(), *(frozenset({name}) for name in circuit.connectors)]
    commands = (0.0, 1.0) if circuit.commanded else (0.0,)
    found = []
    for unplugged in pulled:
        for command in commands:
            setting = Setting(command, unplugged)
            for node, place in nodes.items():
                found.append(Probe(Instrument.METER, node, GROUND, setting))
                if place.takes_lamp:
                    found.append(Probe(Instrument.LAMP, node, GROUND, setting))
        if unplugged:
            for plus, minus in _pairs(circuit):
                for command in commands:
                    found.append(Probe(Instrument.LAMP, plus, minus, Setting(command, unplugged)))
                found.append(Probe(Instrument.OHM, plus, minus, Setting(0.0, unplugged, powered=False)))
            for connector in unplugged:
                pins = [place.node for place in circuit.places if place.behind == connector]
                stands = Setting(0.0, unplugged, powered=False)
                found += [Probe(Instrument.OHM, a, b, stands) for a, b in combinations(pins, 2)]
        for node in nodes:
            found.append(Probe(Instrument.OHM, node, GROUND, Setting(0.0, unplugged, powered=False)))
    return tuple(found)


def _pairs(circuit: Circuit) -> list[tuple[str, str]]:
    """Two terminals of one plug: where a lamp takes the part's place."""
    return list(combinations([place.node for place in circuit.places if place.takes_lamp], 2))


def minutes_of(circuit: Circuit, probe: Probe) -> float:
    """Minutes for a probe: the farther of its places, the plug, the battery where an ohmmeter goes on the harness."""
    reach = {place.node: place.minutes for place in circuit.places}
    extra = PLUG_MINUTES * bool(probe.setting.unplugged)
    behind = {place.node for place in circuit.places if place.behind}
    if probe.instrument is Instrument.OHM and not {probe.plus, probe.minus} <= behind:
        extra += SUPPLY_OFF_MINUTES
    return max(reach.get(probe.plus, 0.0), reach.get(probe.minus, 0.0)) + extra


def words_of(circuit: Circuit, probe: Probe) -> str:
    """A probe in words."""
    named = {place.node: place.words for place in circuit.places} | {GROUND: "battery negative"}
    if probe.instrument is Instrument.OHM:
        stands = "supply off"
    elif not circuit.commanded:
        stands = "key on"
    else:
        off, on = circuit.stands
        duty = probe.setting.command
        stands = off if duty <= 0.0 else (on if duty >= 1.0 else f"{on}, {100.0 * duty:.0f} % of the time")
    pulled = "; ".join(f"{circuit.connectors[name]} off" for name in sorted(probe.setting.unplugged))
    where = f"{probe.instrument}: {named[probe.plus]} to {named[probe.minus]}"
    return f"{where}, {stands}" + (f", {pulled}" if pulled else "")


def propose(model: Model, readings: Sequence[Reading], most: int = 6) -> tuple[Proposal, ...]:
    """The next probes by bits per minute, with what the faults that are left would show."""
    weights = weights_after(model, readings)
    made = {reading.probe for reading in readings}
    rows = []
    for probe in probes(model.circuit):
        if probe in made:
            continue
        values = predicted(model, probe)
        bits = information(model, weights, probe, values)
        minutes = minutes_of(model.circuit, probe)
        rows.append((bits / minutes, bits, minutes, probe, values))
    rows.sort(key=lambda row: -row[0])
    by_fault = np.bincount(model.owner, weights, len(model.faults))
    likely = [index for index in np.argsort(-by_fault) if by_fault[index] > EXCLUDED]
    found = []
    for _, bits, minutes, probe, values in rows[:most]:
        shows = []
        for index in likely:
            # Sizes that the readings have already excluded show nothing any more.
            own = (model.owner == index) & (weights > EXCLUDED * weights[model.owner == index].max())
            shows.append((model.faults[index], float(values[own].min()), float(values[own].max())))
        found.append(Proposal(probe, words_of(model.circuit, probe), bits, minutes, tuple(shows)))
    return tuple(found)


def information(model: Model, weights: Floats, probe: Probe, values: Floats) -> float:
    """Mutual information, in bits, between the fault and the reading of a probe."""
    scaled = np.log10(np.maximum(values, 0.05)) if probe.instrument is Instrument.OHM else values
    sigma = spread(probe, values)
    if probe.instrument is Instrument.OHM:
        sigma = np.maximum(sigma / np.maximum(values, 0.05) / math.log(10.0), 0.02)
    edges = np.linspace(float(scaled.min()) - 0.5, float(scaled.max()) + 0.5, BINS + 1)
    below = _normal_cdf((edges[None, :] - scaled[:, None]) / sigma[:, None])
    inside = np.diff(below, axis=1)
    joint = np.zeros((len(model.faults), BINS))
    np.add.at(joint, model.owner, weights[:, None] * inside)
    total = joint.sum()
    if total <= 0.0:
        return 0.0
    joint /= total
    by_fault, by_bin = joint.sum(axis=1, keepdims=True), joint.sum(axis=0, keepdims=True)
    outer = by_fault * by_bin
    held = joint > 1e-300
    return max(float((joint[held] * np.log2(joint[held] / outer[held])).sum()), 0.0)


def _normal_cdf(z: Floats) -> Floats:
    """Standard normal distribution function to three places (tanh form: Page, Applied Statistics 26(1), 1977)."""
    result: Floats = 0.5 * (1.0 + np.tanh(math.sqrt(2.0 / math.pi) * (z + 0.044715 * z**3)))
    return result


@dataclass(frozen=True)
class Group:
    """Faults that no further probe of this circuit tells apart."""

    faults: tuple[Fault, ...]
    probability: float


def groups(model: Model, readings: Sequence[Reading], least: float = 0.01) -> tuple[Group, ...]:
    """The faults that are left, those that every probe shows alike (at their likeliest size) put together."""
    weights = weights_after(model, readings)
    by_fault = np.bincount(model.owner, weights, len(model.faults))
    kept = [int(index) for index in np.argsort(-by_fault) if by_fault[index] >= least]
    variant = {i: int(np.flatnonzero(model.owner == i)[np.argmax(weights[model.owner == i])]) for i in kept}
    table = [(probe, predicted(model, probe)) for probe in probes(model.circuit)]

    def alike(one: int, other: int) -> bool:
        a, b = variant[one], variant[other]
        return all(abs(v[a] - v[b]) <= 2.0 * float(spread(p, v[[a]])[0]) for p, v in table)

    found: list[list[int]] = []
    for index in kept:
        home = next((row for row in found if alike(row[0], index)), None)
        if home is None:
            found.append([index])
        else:
            home.append(index)
    return tuple(Group(tuple(model.faults[i] for i in row), float(by_fault[row].sum())) for row in found)
