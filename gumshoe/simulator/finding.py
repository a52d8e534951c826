"""What hands, eyes and gauges find at a stand-in: words, and a number with its unit where there is one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from gumshoe.simulator.car import Car


@dataclass(frozen=True)
class Finding:
    """What was seen or measured: words, and a number with its unit where there is one."""

    words: str
    value: float | None = None
    unit: str = ""


Finder = Callable[[Car], Finding]


def running(vehicle: Car) -> bool:
    """Whether the engine runs."""
    return vehicle.engine.state.rpm > 350.0


def always(words: str) -> Finder:
    """A point at which none of our stand-ins' faults shows."""
    return lambda _: Finding(words)
