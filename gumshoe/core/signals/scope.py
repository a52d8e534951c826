"""Oscilloscope traces: levels, edges, duty and frequency measured; drop-outs found; CSV read.

Levels are the two ends of the values' distribution, an edge is a crossing of their middle with a tenth of the swing as
hysteresis (IEEE Std 181: reference levels at 10, 50 and 90 %; in its plain form). Drop-outs stand out from the median
of the whole by many median absolute deviations, so that the drop-outs themselves do not set the scale.
"""

from __future__ import annotations

import csv
import io
import re
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gumshoe.core.errors import BadInput
from gumshoe.core.signals.tables import PER_SECOND, text_of

Floats = NDArray[np.float64]
HYSTERESIS = 0.1
LEAST_SWING = 0.2
"""A swing below this (V) is no pulse: noise on a steady line."""
ENDS = (2.0, 98.0)
"""Percentiles that are taken as the lower and the upper level of a trace that does not pulse."""
GAP_MAD, GAP_SHARE = 8.0, 0.15
"""A drop-out is so many median absolute deviations, and at least that share of the level, away from it."""
MOST_SAMPLES, MOST_CHANNELS = 2_000_000, 16
MOST_BYTES = 64_000_000
UNITS_V = {"v": 1.0, "mv": 1e-3, "kv": 1e3, "a": 1.0, "ma": 1e-3, "%": 1.0}


@dataclass(frozen=True)
class Trace:
    """One channel: ``times`` in s, rising; ``values`` in ``unit``."""

    name: str
    times: Floats
    values: Floats
    unit: str = "V"


@dataclass(frozen=True)
class Pulse:
    """What a trace measures: levels and mean in its unit; edges (s) up and down; duty (share of time low, as a ground
    side switched load is commanded, and high); frequency in Hz. Without pulses the duties and frequency are None."""

    low: float
    high: float
    mean: float
    ups: Floats
    downs: Floats
    duty_high: float | None
    frequency: float | None
    rise_s: float | None

    @property
    def duty_low(self) -> float | None:
        """Share of time at the low level: the command of a ground-side switched load."""
        return None if self.duty_high is None else 1.0 - self.duty_high


@dataclass(frozen=True)
class DropOut:
    """A stretch in which a steady signal was gone: from, to (s) and how far it went."""

    start: float
    end: float
    deepest: float


def measure(trace: Trace) -> Pulse:
    """Measure a trace. Raises BadInput when it has fewer than ten samples."""
    values, times = trace.values, trace.times
    if len(values) < 10:
        raise BadInput("The trace has fewer than ten samples.", remedies=("record longer",))
    low, high = _levels(values)
    mean = float(np.trapezoid(values, times) / (times[-1] - times[0]))
    swing = high - low
    none = np.zeros(0)
    if swing < LEAST_SWING:
        return Pulse(low, high, mean, none, none, None, None, None)
    middle = (low + high) / 2.0
    ups, downs = _edges(times, values, middle, HYSTERESIS * swing)
    if len(ups) < 2 or not len(downs):
        return Pulse(low, high, mean, ups, downs, None, None, None)
    period = float((ups[-1] - ups[0]) / (len(ups) - 1))
    inside = downs[(downs > ups[0]) & (downs < ups[-1])]
    highs = float(np.sum(inside) - np.sum(ups[:-1])) if len(inside) == len(ups) - 1 else float("nan")
    duty = highs / float(ups[-1] - ups[0]) if np.isfinite(highs) else None
    return Pulse(low, high, mean, ups, downs, duty, 1.0 / period, _rise(times, values, low, high, ups))


def drop_outs(trace: Trace, least_s: float = 0.0) -> tuple[DropOut, ...]:
    """Where a steady signal went away; single samples count unless ``least_s`` says otherwise."""
    level = float(np.median(trace.values))
    off = np.abs(trace.values - level)
    spread = float(np.median(off))
    away = off > max(GAP_MAD * spread, GAP_SHARE * abs(level), 0.05)
    edges = np.flatnonzero(np.diff(np.r_[False, away, False].astype(np.int8)))
    found = []
    for start, end in zip(edges[::2], edges[1::2], strict=True):
        stretch = trace.values[start:end]
        deepest = float(stretch[np.argmax(np.abs(stretch - level))])
        first, last = float(trace.times[start]), float(trace.times[min(end, len(trace.times) - 1)])
        if last - first >= least_s:
            found.append(DropOut(first, last, deepest))
    return tuple(found)


def read_csv(data: bytes) -> tuple[Trace, ...]:
    """Channels of a CSV file: time first, a head line with units in brackets, comma, semicolon or tab, decimal comma.

    Raises BadInput saying the line and what is wrong with it; nothing is read by halves.
    """
    if len(data) > MOST_BYTES:
        raise BadInput("The file is larger than 64 MB.", remedies=("cut it to the stretch that matters",))
    lines = [line for line in text_of(data).splitlines() if line.strip() and not line.startswith("#")]
    if len(lines) < 3:
        raise BadInput("The file holds no trace.", remedies=("a head line, then time and values in columns",))
    separator = max(";\t,", key=lines[0].count)
    comma = separator != ","
    rows = list(csv.reader(io.StringIO("\n".join(lines)), delimiter=separator))
    head = rows[0]
    if not 2 <= len(head) <= MOST_CHANNELS + 1:
        raise BadInput(
            f"The file has {len(head)} columns; a trace has time and one to {MOST_CHANNELS} channels.",
            remedies=("export time and the channels you need", "separate columns by comma, semicolon or tab"),
        )
    if len(rows) - 1 > MOST_SAMPLES:
        raise BadInput(f"More than {MOST_SAMPLES:,} samples.", remedies=("cut the recording",))
    table = np.array([_numbers(row, number, len(head), comma) for number, row in enumerate(rows[1:], 2)])
    scale, _ = _unit(head[0], PER_SECOND, "s")
    times = table[:, 0] * scale
    backwards = np.flatnonzero(np.diff(times) <= 0.0)
    if len(backwards):
        raise BadInput(f"Line {backwards[0] + 3}: the time does not rise.", remedies=("sort the file by time",))
    found = []
    for column, title in enumerate(head[1:], 1):
        factor, unit = _unit(title, UNITS_V, "V")
        name = re.sub(r"[\[(].*?[\])]", "", title).strip() or f"channel {column}"
        found.append(Trace(name[:60], times, table[:, column] * factor, unit))
    return tuple(found)


def write_csv(traces: tuple[Trace, ...]) -> str:
    """Channels that share their time stamps as CSV, units in the head."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["time [s]", *(f"{trace.name} [{trace.unit}]" for trace in traces)])
    for row in zip(traces[0].times, *(trace.values for trace in traces), strict=True):
        writer.writerow([f"{value:.9g}" for value in row])
    return out.getvalue()


# -- inside -----------------------------------------------------------------------------------------------


def _levels(values: Floats) -> tuple[float, float]:
    """Lower and upper level: the medians of the values nearer to either end."""
    bottom, top = (float(value) for value in np.percentile(values, ENDS))
    middle = (bottom + top) / 2.0
    lower, upper = values[values < middle], values[values >= middle]
    if top - bottom < LEAST_SWING or not len(lower) or not len(upper):
        return bottom, top
    return float(np.median(lower)), float(np.median(upper))


def _edges(times: Floats, values: Floats, middle: float, band: float) -> tuple[Floats, Floats]:
    """Times of rising and falling crossings of the middle, each once however noisy, found between two samples."""
    state = np.where(values > middle + band, 1, np.where(values < middle - band, -1, 0))
    known = np.flatnonzero(state)
    turns = known[1:][state[known[1:]] != state[known[:-1]]]
    before = known[:-1][state[known[1:]] != state[known[:-1]]]
    ups: list[float] = []
    downs: list[float] = []
    for last, first in zip(before, turns, strict=True):
        stretch = slice(last, first + 1)
        rising = state[first] > 0
        over = (values[stretch] - middle) * (1.0 if rising else -1.0)
        place = int(np.flatnonzero(over[1:] > 0.0)[0]) + last
        share = (middle - values[place]) / (values[place + 1] - values[place])
        (ups if rising else downs).append(times[place] + share * (times[place + 1] - times[place]))
    return np.array(ups), np.array(downs)


def _rise(times: Floats, values: Floats, low: float, high: float, ups: Floats) -> float | None:
    """Median time from 10 to 90 % of the swing on the rising edges."""
    tenth, ninety = low + 0.1 * (high - low), low + 0.9 * (high - low)
    found = []
    for edge in ups[:200]:
        at = int(np.searchsorted(times, edge))
        down = at - 1
        while down > 0 and values[down] > tenth:
            down -= 1
        up = at
        while up < len(values) - 1 and values[up] < ninety:
            up += 1
        found.append(times[up] - times[down])
    return float(np.median(found)) if found else None


def _numbers(row: list[str], line: int, columns: int, comma: bool) -> list[float]:
    if len(row) != columns:
        raise BadInput(f"Line {line}: {len(row)} columns where the head has {columns}.", remedies=("mend that line",))
    try:
        return [float(cell.replace(",", ".") if comma else cell) for cell in row]
    except ValueError as error:
        raise BadInput(f"Line {line}: “{','.join(row)[:40]}” is not a row of numbers.") from error


def _unit(title: str, known: dict[str, float], usual: str) -> tuple[float, str]:
    """Factor to the plain unit of a column, and that unit."""
    found = re.search(r"[\[(]\s*([^\])]+?)\s*[\])]", title)
    if not found:
        return 1.0, usual
    factor = known.get(found[1].lower())
    if factor is None:
        raise BadInput(f"“{title[:40]}”: the unit “{found[1]}” is not known.", remedies=(f"one of {', '.join(known)}",))
    plain = found[1] if factor == 1.0 else found[1][-1:].upper() if usual == "V" else usual
    return factor, plain
