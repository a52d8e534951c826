"""Fuel trims by operating region, and what their pattern means.

Air that leaks in after the meter is a nearly constant mass flow (the manifold sucks through a choked hole), so it
weighs much at idle and little at flow; a meter that reads wrong, or fuel that falls short, goes with the flow. Both
follow from the mass balance: fuel is dosed to the metered flow m, the engine also burns the leak L, the meter reads
m·(1−e). Then 1 + trim = (m + L) / (m·(1−e)·k) with k the fuel delivered per fuel asked, hence

    trim = g + L / m_read,      g = 1/((1−e)·k) − 1

a straight line in 1/m_read: slope L (g/s of unmetered air), intercept g (error proportional to flow). Two regions give
it exactly, more by least squares. [physics]
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from gumshoe.core.signals.recording import Recording
from gumshoe.core.signals.regions import Region, classify

NEEDED = ("rpm", "stft_b1_pct", "ltft_b1_pct")
MIN_SAMPLES = 10
MIN_SECONDS = 5.0
GOOD_PCT, TOLERABLE_PCT = 5.0, 10.0
"""Within ±5 good, ±10 tolerable (common practice)."""


@dataclass(frozen=True)
class RegionTrim:
    """Trims of one bank in one region: means in percentage points, flow in g/s, spread as standard deviation.

    ``maf_gps`` is 0 where the car has no air-flow meter or it was not recorded.
    """

    region: Region
    short_pct: float
    long_pct: float
    total_pct: float
    spread_pct: float
    rpm: float
    maf_gps: float
    samples: int
    seconds: float
    bank: int = 1

    @property
    def words(self) -> str:
        """good, tolerable, lean, rich …"""
        size = abs(self.total_pct)
        if size <= GOOD_PCT:
            return "good"
        side = "lean" if self.total_pct > 0 else "rich"
        if size <= TOLERABLE_PCT:
            return f"tolerable, on the {side} side"
        return f"far too {side}" if size > 18.0 else side


def trims_by_region(recording: Recording) -> tuple[RegionTrim, ...]:
    """Mean trims of each recorded bank in every region that was held long enough, in order of appearance.

    Raises KeyError naming the channel when one of ``NEEDED`` was not recorded.
    """
    missing = recording.missing(NEEDED)
    if missing:
        raise KeyError(missing[0])
    base = recording.channels["stft_b1_pct"]
    moments = base.times
    columns = {key: channel.at(moments) for key, channel in recording.channels.items()}
    regions: dict[Region, list[int]] = {}
    for index in range(moments.size):
        row = {key: float(values[index]) for key, values in columns.items() if not math.isnan(values[index])}
        if all(key in row for key in NEEDED):
            regions.setdefault(classify(row), []).append(index)
    step = float(np.median(np.diff(moments))) if moments.size > 1 else 0.0
    found = []
    for region, places in regions.items():
        seconds = len(places) * step
        if region in (Region.OFF, Region.CRANKING) or len(places) < MIN_SAMPLES or seconds < MIN_SECONDS:
            continue
        flow = float(np.nanmean(columns["maf_gps"][places])) if "maf_gps" in columns else 0.0
        for bank in (1, 2):
            if f"stft_b{bank}_pct" not in columns or f"ltft_b{bank}_pct" not in columns:
                continue
            short, long = columns[f"stft_b{bank}_pct"][places], columns[f"ltft_b{bank}_pct"][places]
            total = short + long
            told = total[~np.isnan(total)]
            if told.size < MIN_SAMPLES:
                continue
            found.append(
                RegionTrim(
                    region,
                    float(np.nanmean(short)),
                    float(np.nanmean(long)),
                    float(told.mean()),
                    float(told.std()),
                    float(columns["rpm"][places].mean()),
                    flow,
                    int(told.size),
                    seconds,
                    bank,
                )
            )
    return tuple(found)


def mean_of_banks(trims: Iterable[RegionTrim]) -> tuple[RegionTrim, ...]:
    """One row a region: the banks of an engine share its air, so the mass balance holds for their mean."""
    regions: dict[Region, list[RegionTrim]] = {}
    for row in trims:
        regions.setdefault(row.region, []).append(row)
    return tuple(
        replace(rows[-1], total_pct=sum(row.total_pct for row in rows) / len(rows)) for rows in regions.values()
    )


@dataclass(frozen=True)
class LeakFit:
    """The straight line through trim against 1/flow: unmetered air (g/s) and flow-proportional error (per cent).

    ``hole_mm``: diameter of a round hole that would pass the leak at the manifold vacuum of idle (choked, discharge
    coefficient 0.8: common practice).
    """

    leak_gps: float
    flow_error_pct: float
    hole_mm: float
    regions: int

    @property
    def words(self) -> str:
        if self.leak_gps < -0.05:
            return "Air or vapour seems to leave or fuel to enter behind the meter at a constant rate."
        return (
            f"{self.leak_gps:.2f} g/s of air that the meter does not see, as through a hole of "
            f"{self.hole_mm:.1f} mm, and an error of {self.flow_error_pct:+.1f} % that goes with the flow"
        )


_CHOKED_GPS_PER_MM2 = 0.6847 * 101_325.0 / math.sqrt(287.0 * 293.15) * 1e-3


def fit_leak(trims: Iterable[RegionTrim]) -> LeakFit | None:
    """Fit the line; None with fewer than two regions of clearly different flow (factor 1.5)."""
    rows = [row for row in mean_of_banks(trims) if row.maf_gps > 0.3]
    if len(rows) < 2:
        return None
    flows = np.array([row.maf_gps for row in rows])
    if flows.max() < 1.5 * flows.min():
        return None
    total = np.array([row.total_pct for row in rows]) / 100.0
    design = np.column_stack([1.0 / flows, np.ones_like(flows)])
    (leak, gain), *_ = np.linalg.lstsq(design, total, rcond=None)
    hole = math.sqrt(max(leak, 0.0) / (0.8 * _CHOKED_GPS_PER_MM2) * 4.0 / math.pi)
    return LeakFit(float(leak), float(gain) * 100.0, hole, len(rows))


@dataclass(frozen=True)
class Pattern:
    """What the trims of idle and 2500 rpm say together, and why."""

    title: str
    meaning: str
    why: str


def read_pattern(idle: RegionTrim | None, fast: RegionTrim | None, *, flow_metered: bool = True) -> Pattern:
    """Name the pattern (trade practice), with the reason behind it; manifold-pressure metering has its own."""
    if idle is None or fast is None:
        have = "idle" if idle else ("2500 rpm" if fast else "nothing")
        return Pattern(
            "Not enough yet",
            f"Recorded: {have}. Record both warm idle and 2500 rpm.",
            "One point cannot tell a constant leak from an error that goes with the flow.",
        )

    def side(row: RegionTrim) -> int:
        return 0 if abs(row.total_pct) <= TOLERABLE_PCT else (1 if row.total_pct > 0 else -1)

    key = (side(idle), side(fast))
    if key == (1, 1) and fast.total_pct < 0.45 * idle.total_pct:
        key = (1, 0)
    return _PATTERNS[key] if flow_metered else _BY_PRESSURE.get(key, _PATTERNS[key])


_BY_PRESSURE = {
    (1, 0): Pattern(
        "Lean at idle, nearly normal at 2500 rpm",
        "The exhaust leaks ahead of the sensor, or one runner's joint starves its cylinder.",
        "Air that leaks into the manifold raises its pressure and is measured: it lifts the idle, not the trim.",
    ),
    (0, 1): Pattern(
        "Normal at idle, lean as the flow rises",
        "The fuel supply cannot follow.",
        "Manifold pressure measures air at every flow alike; what falls behind with flow is fuel.",
    ),
    (1, 1): Pattern(
        "Lean everywhere",
        "The manifold pressure sensor or the upstream sensor reads wrong, or the injectors deliver too little.",
        "The error keeps its share of the flow: compare manifold pressure at rest with the air of the day.",
    ),
    (-1, -1): Pattern(
        "Rich everywhere",
        "The manifold pressure sensor reads high, or the fuel pressure is too high.",
        "The error keeps its share of the flow: compare manifold pressure at rest with the air of the day.",
    ),
    (0, -1): Pattern(
        "Normal at idle, rich as the flow rises",
        "The return is restricted, or the manifold pressure sensor's curve is off.",
        "The error grows with flow.",
    ),
    (1, -1): Pattern(
        "Lean at idle, rich at flow",
        "Two errors, or a manifold pressure sensor whose curve is off.",
        "No single gain gives this: compare manifold pressure at rest and at idle.",
    ),
    (-1, 1): Pattern(
        "Rich at idle, lean at flow",
        "Weak fuel supply with a passing purge valve, or a pressure sensor whose curve is off.",
        "No single gain gives this: measure fuel pressure under load.",
    ),
}
_PATTERNS = {
    (1, 0): Pattern(
        "Lean at idle, nearly normal at 2500 rpm",
        "Air leaks in after the air-flow meter.",
        "The leak passes the same grams each second: a large share of all air at idle, a small one at 2500 rpm.",
    ),
    (0, 1): Pattern(
        "Normal at idle, lean as the flow rises",
        "The air-flow meter reads low, or the fuel supply cannot follow.",
        "Both errors grow with flow. Fuel pressure under load tells them apart.",
    ),
    (1, 1): Pattern(
        "Lean everywhere",
        "The upstream sensor reads lean, the duct behind the meter is open, or the injectors deliver too little.",
        "The error keeps its share of the flow: it sits in a gain, not in a constant leak.",
    ),
    (-1, 0): Pattern(
        "Rich at idle, nearly normal at 2500 rpm",
        "Fuel or vapour enters at a constant rate: the purge valve passes, or an injector leaks.",
        "A constant amount of fuel weighs most where the engine needs least.",
    ),
    (-1, -1): Pattern(
        "Rich everywhere",
        "Fuel pressure too high, or the air-flow meter reads high.",
        "The error keeps its share of the flow.",
    ),
    (0, -1): Pattern(
        "Normal at idle, rich as the flow rises",
        "The air-flow meter reads high at flow, or the return is restricted.",
        "The error grows with flow.",
    ),
    (0, 0): Pattern(
        "Both normal",
        "The mixture needs no correction now.",
        "Either the fault is not present, or it shows only elsewhere (cold, under load).",
    ),
    (1, -1): Pattern(
        "Lean at idle, rich at flow",
        "Two errors, or a meter whose curve is off.",
        "No single leak or gain gives this: check the meter against filling at full throttle.",
    ),
    (-1, 1): Pattern(
        "Rich at idle, lean at flow",
        "Weak fuel supply with a passing purge valve, or a meter whose curve is off.",
        "No single leak or gain gives this: measure fuel pressure under load.",
    ),
}
