"""Readings at a circuit: what each fault would show, what is left after those taken, and where to put the leads next.

Bayes over fault states; the size of a fault, the supply and what sound parts may have are integrated out (``sitting``).
The next probe is the one that tells most about which fault it is, in bits per minute (Shannon 1948),
among those that the circuit can take.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from gumshoe.core.circuits.faults import Fault, FaultModel
from gumshoe.core.circuits.instruments import (
    CANNOT_BE,
    LOOK_WORDS,
    looked_likelihood,
    minutes_of,
    normal_cdf,
    predicted,
    probes,
    spread,
    sweep,
    words_of,
)
from gumshoe.core.circuits.loops import Floats
from gumshoe.core.circuits.netlist import Instrument, Probe
from gumshoe.core.circuits.sitting import ProbeReading, sitting, unknowns_of

EXCLUDED = 0.002
BINS = 48
WEIGHTLESS = 1e-7
"""A variant below this adds nothing to the information of a probe."""
LEAST_BITS = 0.01
"""A probe that tells less is not worth the walk."""


@dataclass(frozen=True)
class Left:
    """One fault with its probability after the readings."""

    fault: Fault
    probability: float


@dataclass(frozen=True)
class Shows:
    """What a fault that is left would show at a probe: lowest and highest reading over its sizes."""

    fault: Fault
    probability: float
    lowest: float
    highest: float


@dataclass(frozen=True)
class Proposal:
    """A probe worth making: bits about which fault it is, minutes, and what the likely faults would show there."""

    probe: Probe
    words: str
    bits: float
    minutes: float
    shows: tuple[Shows, ...]

    @property
    def tells(self) -> bool:
        """Whether it tells anything worth the walk."""
        return self.bits >= LEAST_BITS


def fits(model: FaultModel, readings: Sequence[ProbeReading]) -> Floats:
    """How likely each variant makes each reading, those before it being known (readings, variants)."""
    return sitting(model, readings).fits


def weights_after(model: FaultModel, readings: Sequence[ProbeReading]) -> Floats:
    """Probability of each variant after the readings."""
    return sitting(model, readings).weights


def expected(model: FaultModel, readings: Sequence[ProbeReading], probe: Probe) -> Floats:
    """What each variant would show at a probe, on the supply that the readings tell of."""
    unknowns, made = unknowns_of(model), sitting(model, readings)
    result: Floats = predicted(model, probe) + (made.supply_v - unknowns.nominal_v) * unknowns.by_supply(probe)
    return result


def sound_range(model: FaultModel, readings: Sequence[ProbeReading], probe: Probe) -> tuple[float, float]:
    """Lowest and highest that a sound circuit would show there, on that supply."""
    return unknowns_of(model).sound_range(probe, sitting(model, readings).supply_v)


def left(model: FaultModel, readings: Sequence[ProbeReading]) -> tuple[Left, ...]:
    """Every fault with its probability, the likeliest first."""
    by_fault = np.bincount(model.owner, weights_after(model, readings), len(model.faults))
    rows = [Left(fault, float(by_fault[index])) for index, fault in enumerate(model.faults)]
    return tuple(sorted(rows, key=lambda row: (-row.probability, row.fault.id)))


def contradiction(model: FaultModel, readings: Sequence[ProbeReading]) -> ProbeReading | None:
    """The least believable reading, when no single fault explains them all; None while one does."""
    if not readings or _explained(model, readings) > 10.0 * CANNOT_BE:
        return None
    return max(readings, key=lambda one: _explained(model, [row for row in readings if row is not one]))


def _explained(model: FaultModel, readings: Sequence[ProbeReading]) -> float:
    """How likely the least likely reading is under the fault that explains them best."""
    return float(fits(model, readings).min(axis=0).max()) if readings else 1.0


def propose(model: FaultModel, readings: Sequence[ProbeReading], most: int = 6) -> tuple[Proposal, ...]:
    """The next probes by bits per minute, with what the faults that are left would show."""
    weights = weights_after(model, readings)
    made = {reading.probe for reading in readings}
    rows = []
    asked = [probe for probe in probes(model.circuit) if probe not in made]
    for probe, values in zip(asked, sweep(model, asked), strict=True):
        bits = information(model, weights, probe, values)
        minutes = minutes_of(model.circuit, probe)
        rows.append((bits / minutes, bits, minutes, probe))
    rows.sort(key=lambda row: -row[0])
    return tuple(
        Proposal(
            probe,
            words_of(model.circuit, probe),
            bits,
            minutes,
            shown_at(model, weights, expected(model, readings, probe)),
        )
        for _, bits, minutes, probe in rows[:most]
    )


def shown_at(model: FaultModel, weights: Floats, values: Floats) -> tuple[Shows, ...]:
    """What the faults that are left show at a probe (``values`` of its variants), the likeliest first; sizes that the
    readings have already excluded show nothing any more."""
    by_fault = np.bincount(model.owner, weights, len(model.faults))
    found = []
    for index in np.argsort(-by_fault, kind="stable"):
        if by_fault[index] <= EXCLUDED:
            break
        own = (model.owner == index) & (weights > EXCLUDED * weights[model.owner == index].max())
        shown = values[own]
        found.append(Shows(model.faults[index], float(by_fault[index]), float(shown.min()), float(shown.max())))
    return tuple(found)


def information(model: FaultModel, weights: Floats, probe: Probe, values: Floats) -> float:
    """Mutual information, in bits, between the fault and the reading of a probe."""
    live = np.flatnonzero(weights > WEIGHTLESS)
    weights, values, owner = weights[live], values[live], model.owner[live]
    starts = np.flatnonzero(np.r_[True, owner[1:] != owner[:-1]])
    if probe.instrument is Instrument.LOOK:
        seen = np.stack([looked_likelihood(values, value) for value in LOOK_WORDS.values()], axis=1)
        return _mutual(np.add.reduceat(weights[:, None] * seen, starts, axis=0))
    sigma = spread(probe, values)
    scaled = values
    if probe.instrument is Instrument.OHM:
        scaled = np.log10(np.maximum(values, 0.05))
        sigma = np.maximum(sigma / np.maximum(values, 0.05) / math.log(10.0), 0.02)
    lowest, highest = float(scaled.min()), float(scaled.max())
    if highest - lowest < 0.5 * float(sigma.min()):
        return 0.0  # everything that is left shows the same here
    edges = np.linspace(lowest - 0.5, highest + 0.5, BINS + 1)
    below = normal_cdf((edges[None, :] - scaled[:, None]) / sigma[:, None])
    inside = weights[:, None] * np.diff(below, axis=1)
    return _mutual(np.add.reduceat(inside, starts, axis=0))


def _mutual(joint: Floats) -> float:
    """Mutual information of a joint distribution (faults, readings), in bits."""
    total = float(joint.sum())
    if total <= 0.0:
        return 0.0
    joint /= total
    return max(_entropy(joint.sum(axis=0)) + _entropy(joint.sum(axis=1)) - _entropy(joint), 0.0)


def _entropy(shares: Floats) -> float:
    """Entropy in bits."""
    held = shares[shares > 1e-300]
    return float(-(held * np.log2(held)).sum())


@dataclass(frozen=True)
class Group:
    """Faults that no further probe of this circuit tells apart."""

    faults: tuple[Fault, ...]
    probability: float


def groups(model: FaultModel, readings: Sequence[ProbeReading], least: float = 0.01) -> tuple[Group, ...]:
    """The faults that are left, those that every probe shows alike (at their likeliest size) put together; first the
    group of the likeliest fault, whatever the others add up to."""
    weights = weights_after(model, readings)
    by_fault = np.bincount(model.owner, weights, len(model.faults))
    kept = [int(index) for index in np.argsort(-by_fault) if by_fault[index] >= least]
    variant = {i: int(np.flatnonzero(model.owner == i)[np.argmax(weights[model.owner == i])]) for i in kept}
    every = probes(model.circuit)
    columns = list(variant.values())
    shown = np.array([values[columns] for values in sweep(model, every)])
    sigma = np.array([spread(probe, row) for probe, row in zip(every, shown, strict=True)])
    at = {index: place for place, index in enumerate(variant)}

    def alike(one: int, other: int) -> bool:
        a, b = at[one], at[other]
        return bool(np.all(np.abs(shown[:, a] - shown[:, b]) <= 2.0 * sigma[:, a]))

    found: list[list[int]] = []
    for index in kept:
        home = next((row for row in found if alike(row[0], index)), None)
        if home is None:
            found.append([index])
        else:
            home.append(index)
    return tuple(Group(tuple(model.faults[i] for i in row), float(by_fault[row].sum())) for row in found)
