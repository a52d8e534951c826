"""A drive of a stand-in written down: every channel it tells, at even moments of its own clock."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from gumshoe.simulator.drives import Segment
from gumshoe.simulator.engine import DT
from gumshoe.simulator.identifiers import items_of
from gumshoe.simulator.vehicle import Key, Vehicle

Floats = NDArray[np.float64]
Columns = dict[str, tuple[Floats, Floats]]
"""Times (s) and values of each channel."""


def log_drive(vehicle: Vehicle, segments: Iterable[Segment], every_s: float = 0.1) -> Columns:
    """Drive, and write down what the engine's control unit knows; nothing while the key is off."""
    plan = tuple(segments)
    vehicle.begin(plan)
    return log(vehicle, sum(segment.seconds for segment in plan), every_s)


def log(vehicle: Vehicle, seconds: float, every_s: float = 0.1) -> Columns:
    """Advance by so many seconds of its clock and write down."""
    apart = max(round(every_s / DT), 1)
    rows: dict[str, list[tuple[float, float]]] = {}
    own = items_of(vehicle)
    for step in range(round(seconds / DT)):
        vehicle.step()
        if step % apart or vehicle.key is Key.OFF:
            continue
        for key, value in vehicle.live_values().items():
            rows.setdefault(key, []).append((vehicle.clock_s, value))
        for item in own.values():
            rows.setdefault(item.key, []).append((vehicle.clock_s, float(item.value(vehicle))))
    tables = {key: np.array(column, dtype=np.float64) for key, column in rows.items()}
    return {key: (table[:, 0], table[:, 1]) for key, table in tables.items()}
