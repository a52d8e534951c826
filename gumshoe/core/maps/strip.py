"""What each fault that is left would show at a probe, on one scale: so that one sees which reading would decide."""

from __future__ import annotations

import math
from dataclasses import dataclass

from gumshoe.core.circuits.instruments import MOST_OHM, SHINES
from gumshoe.core.circuits.netlist import Instrument, Probe
from gumshoe.core.circuits.probing import Shows

WIDTH, LEFT, RIGHT = 640.0, 10.0, 18.0
ROW, TOP = 30.0, 26.0
MOST_ROWS = 9
LEAST_MARK = 8.0
OHM_FROM = 0.1
WORTH_A_RANGE = 0.05
"""What sound parts make of a reading is told as a range from this share on."""


@dataclass(frozen=True)
class StripRow:
    """One fault (or several that show the same): a mark from ``x`` on, ``width`` wide; lowest and highest in words."""

    words: str
    probability: float
    x: float
    width: float
    y: float
    shown: str
    good: bool


@dataclass(frozen=True)
class Strip:
    """Scale, the good reading's place and its words, and the rows, the likeliest first."""

    width: float
    height: float
    ticks: tuple[tuple[float, str], ...]
    good_x: float
    good: str
    rows: tuple[StripRow, ...]
    more: int


def strip(probe: Probe, good: float, shows: tuple[Shows, ...], sound: tuple[float, float] | None = None) -> Strip:
    """Lay the readings out. Faults with the same mark share a row. ``sound``: the range in which sound parts read,
    told where it is worth telling."""
    words = SHINES.get(probe.instrument)
    lowest, highest = sound or (good, good)
    if not probe.instrument.measures or highest - lowest <= WORTH_A_RANGE * abs(highest):
        lowest = highest = good
    values = [lowest, highest, *(v for row in shows for v in (row.lowest, row.highest))]
    if probe.instrument is Instrument.OHM:
        low, high = math.log10(OHM_FROM), math.log10(MOST_OHM)
    elif words:
        low, high = min(words.values()), max(words.values())
    else:
        low, high = min(0.0, *values), max(_round_up(max(values)), 0.5)

    def place(value: float) -> float:
        scaled = math.log10(max(value, OHM_FROM)) if probe.instrument is Instrument.OHM else value
        share = min(max((scaled - low) / (high - low), 0.0), 1.0)
        return LEFT + (WIDTH - LEFT - RIGHT) * share

    together: dict[tuple[int, int], list[Shows]] = {}
    for row in shows:
        together.setdefault((round(place(row.lowest) / 4.0), round(place(row.highest) / 4.0)), []).append(row)
    rows: list[StripRow] = []
    for members in together.values():
        first = members[0]
        y = TOP + ROW * (len(rows) + 0.5)
        start, end = place(first.lowest), place(first.highest)
        wide = max(end - start, LEAST_MARK)
        centred = start if end - start >= LEAST_MARK else (start + end - LEAST_MARK) / 2.0
        rows.append(
            StripRow(
                ", or ".join(row.fault.words for row in members),
                sum(row.probability for row in members),
                centred,
                wide,
                y,
                between(probe, first.lowest, first.highest),
                any(not row.fault.element for row in members),
            )
        )
    shown = rows[:MOST_ROWS]
    return Strip(
        WIDTH,
        TOP + ROW * max(len(shown), 1) + 8.0,
        tuple((place(value), text) for value, text in _ticks(probe, low, high)),
        place(good),
        between(probe, lowest, highest),
        tuple(shown),
        len(rows) - len(shown),
    )


def value_words(probe: Probe, value: float) -> str:
    """A reading as one says it: 12.4 V, bright, over range."""
    words = SHINES.get(probe.instrument)
    if words:
        return min(words, key=lambda word: abs(words[word] - value))
    if probe.instrument is Instrument.OHM:
        if value >= MOST_OHM:
            return "over range"
        return f"{value / 1000.0:.3g} kΩ" if value >= 1000.0 else f"{value:.3g} Ω"
    if probe.unit == "V" and abs(value) < 0.1:
        return f"{round(1000.0 * value) or 0:d} mV"
    return f"{value:.2f} {probe.unit}" if abs(value) < 100.0 else f"{value:.0f} {probe.unit}"


def between(probe: Probe, lowest: float, highest: float) -> str:
    """A range of readings in words."""
    low, high = value_words(probe, lowest), value_words(probe, highest)
    return low if low == high else f"{low} to {high}"


def _ticks(probe: Probe, low: float, high: float) -> list[tuple[float, str]]:
    words = SHINES.get(probe.instrument)
    if words:
        return [(value, word) for word, value in words.items()]
    if probe.instrument is Instrument.OHM:
        powers = range(math.ceil(low), math.floor(high) + 1)
        return [(10.0**p, f"{10.0**p / 1000.0:g} kΩ" if p >= 3 else f"{10.0**p:g} Ω") for p in powers]
    step = high / 4.0
    return [(step * n, f"{step * n:g} {probe.unit}") for n in range(5)]


def _round_up(value: float) -> float:
    for most in (0.5, 1.0, 2.0, 4.0, 6.0, 8.0, 14.0, 16.0, 20.0, 40.0, 100.0, 200.0, 400.0, 1000.0):
        if value <= most:
            return most
    return value
