"""Values from one unit into another, as far as they measure the same thing."""

from __future__ import annotations

import numpy as np
import pint
from numpy.typing import NDArray

from gumshoe.core.knowledge.outcomes import units

Floats = NDArray[np.float64]
WRITTEN = {
    "°C": "degC",
    "C": "degC",
    "°F": "degF",
    "F": "degF",
    "km/h": "kilometer/hour",
    "kph": "kilometer/hour",
    "mph": "mile/hour",
    "1/min": "rpm",
    "rpm": "rpm",
    "r/min": "rpm",
    "%": "percent",
    "°": "degree",
    "deg": "degree",
    "g/s": "gram/second",
    "kg/h": "kilogram/hour",
    "lb/min": "pound/minute",
    "L/h": "liter/hour",
    "l/h": "liter/hour",
    "Nm": "newton*meter",
    "inHg": "inHg",
    "inH2O": "inH2O",
}
"""How units are written in the trade, and what the units library calls them."""


def converted(values: Floats, unit: str, into: str) -> Floats | None:
    """The values in another unit; None when one of them is not known or they do not measure the same thing."""
    registry = units()
    try:
        found = registry.Quantity(values, WRITTEN.get(unit, unit)).to(WRITTEN.get(into, into))
    except (pint.PintError, AttributeError, ValueError, TypeError, AssertionError):
        return None
    result: Floats = np.asarray(found.magnitude, dtype=np.float64)
    return result
