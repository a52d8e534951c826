"""A recording beside that of a good car: channel by channel, in each operating region that both were in."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gumshoe.core.obd.pids import fields_by_key
from gumshoe.core.signals.detectors.model import Grid
from gumshoe.core.signals.disturbances import MAD
from gumshoe.core.signals.recording import Recording
from gumshoe.core.signals.regions import Region, stretches

LEAST_S = 4.0
SPREADS, SHARE = 3.0, 0.06
"""A channel differs when its middle lies so many spreads of the good car's away, and so much of its level."""
STEPS, MOVES = 2.0, 0.15
"""And so many of the steps it is told in, and such a share of how far it moves over the whole drive."""
LEFT_OUT = ("distance_", "time_", "warmups", "run_time_s", "fuel_level_pct", "baro_kpa", "ambient_c", "misfire_")
"""What differs between any two drives."""


@dataclass(frozen=True)
class Difference:
    """One channel in one region: its middle here and in the good car, and the good car's usual spread."""

    key: str
    region: Region
    here: float
    good: float
    spread: float
    differs: bool


def compare(recording: Recording, good: Recording) -> list[Difference]:
    """What differs most first; only regions in which both were for some seconds, and channels that both hold."""
    ours, theirs = _by_region(recording), _by_region(good)
    found = []
    for (region, key), (here, _) in ours.items():
        if (region, key) not in theirs:
            continue
        middle, spread = theirs[region, key]
        far = abs(here - middle)
        told = fields_by_key()[key].scale if key in fields_by_key() else 0.0
        least = max(
            SPREADS * spread, SHARE * abs(middle), STEPS * told, MOVES * float(np.std(good.channels[key].values))
        )
        differs, apart = far > least, far / max(least, 1e-9)
        found.append((apart, Difference(key, region, here, middle, spread, differs)))
    found.sort(key=lambda row: (not row[1].differs, -row[0]))
    return [row for _, row in found]


def _by_region(recording: Recording) -> dict[tuple[Region, str], tuple[float, float]]:
    """Middle and robust spread of every channel in every region."""
    grid = Grid(recording)
    where: dict[Region, list[tuple[float, float]]] = {}
    for begin, end, region in stretches(recording):
        where.setdefault(region, []).append((begin, end))
    found: dict[tuple[Region, str], tuple[float, float]] = {}
    for region, spans in where.items():
        if region in (Region.OFF, Region.CRANKING) or sum(end - begin for begin, end in spans) < LEAST_S:
            continue
        inside = np.zeros(grid.times.shape, dtype=np.bool_)
        for begin, end in spans:
            inside |= (grid.times >= begin) & (grid.times < end)
        for key in recording.channels:
            if key.startswith(LEFT_OUT):
                continue
            values = grid[key][inside]
            values = values[np.isfinite(values)]
            if values.size * grid.step >= LEAST_S:
                middle = float(np.median(values))
                found[region, key] = middle, MAD * float(np.median(np.abs(values - middle)))
    return found
