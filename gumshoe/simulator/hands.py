"""What hands, eyes and gauges find at a stand-in car: read from the physics, in a mechanic's words.

Each point is named after the place it is taken at; the value comes with its unit. A point the physics does not know
gives None, and the screen says so.
"""

from __future__ import annotations

from gumshoe.simulator import hands_electrics, hands_engine, hands_systems
from gumshoe.simulator.car import Car
from gumshoe.simulator.finding import Finding

POINTS = hands_engine.POINTS | hands_systems.POINTS | hands_electrics.POINTS


def observe(vehicle: Car, point: str) -> Finding | None:
    """Look or measure at ``point``; None when the stand-in has nothing to show there."""
    if point.startswith("check_"):
        return hands_electrics.circuit(vehicle, point.removeprefix("check_"))
    finder = POINTS.get(point)
    return finder(vehicle) if finder else None
