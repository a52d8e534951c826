"""Operating regions: what the engine was doing, in words a technician uses.

Limits are common practice (no source); warm is 70 °C, as in the warm-up cycle of 40 CFR 86.1806 [S].
"""

from __future__ import annotations

from collections.abc import Mapping
from enum import StrEnum

import numpy as np

from gumshoe.core.signals.recording import Recording

WARM_C = 70.0
RUNS_RPM = 450.0
"""Below it an engine is being cranked, or runs down: no idle is judged there."""
TOLD_BY = ("rpm", "speed_kmh", "load_pct", "coolant_c")


class Region(StrEnum):
    """Where the engine is being run."""

    OFF = "engine off"
    CRANKING = "cranking"
    COLD_IDLE = "cold idle"
    WARM_IDLE = "warm idle"
    HIGH_IDLE = "2500 rpm, standing"
    COLD_DRIVE = "driving, cold"
    COAST = "coasting down"
    CRUISE = "light cruise"
    LOAD = "under load"

    @property
    def slug(self) -> str:
        """The name used in data files."""
        return self.name.lower()


def classify(values: Mapping[str, float]) -> Region:
    """The region of one moment, from ``rpm``, ``speed_kmh``, ``load_pct``, ``coolant_c`` as far as they are known."""
    rpm = values.get("rpm", 0.0)
    speed = values.get("speed_kmh", 0.0)
    load = values.get("load_pct", 0.0)
    warm = values.get("coolant_c", 90.0) >= WARM_C
    if rpm < 50.0:
        return Region.OFF
    if rpm < RUNS_RPM:
        return Region.CRANKING
    if speed < 3.0:
        if 2000.0 <= rpm <= 3000.0:
            return Region.HIGH_IDLE
        return Region.WARM_IDLE if warm else Region.COLD_IDLE
    if load < 16.0 and rpm > 1100.0:
        return Region.COAST
    if not warm:
        return Region.COLD_DRIVE
    return Region.LOAD if load >= 65.0 else Region.CRUISE


def stretches(samples: Recording, every_s: float = 0.5) -> list[tuple[float, float, Region]]:
    """(from, to, region) along a recording, as far as it tells the engine's speed."""
    rpm = samples.channels.get("rpm")
    if rpm is None or not rpm.times.size:
        return []
    moments = np.arange(rpm.times[0], rpm.times[-1] + every_s, every_s)
    held = {key: samples.channels[key].at(moments) for key in TOLD_BY if key in samples.channels}
    found: list[tuple[float, float, Region]] = []
    for place, moment in enumerate(moments.tolist()):
        values = {key: float(row[place]) for key, row in held.items() if not np.isnan(row[place])}
        region = classify(values)
        if found and found[-1][2] is region:
            found[-1] = (found[-1][0], moment + every_s, region)
        else:
            found.append((moment, moment + every_s, region))
    return found
