"""Values from one unit into another, as far as they measure the same thing."""

from __future__ import annotations

import numpy as np
import pint
from numpy.typing import NDArray

from gumshoe.core.knowledge.outcomes import unit_name, units

Floats = NDArray[np.float64]


def converted(values: Floats, unit: str, into: str) -> Floats | None:
    """The values in another unit; None when one of them is not known or they do not measure the same thing."""
    registry = units()
    try:
        found = registry.Quantity(values, unit_name(unit)).to(unit_name(into))
    except (pint.PintError, AttributeError, ValueError, TypeError, AssertionError):
        return None
    result: Floats = np.asarray(found.magnitude, dtype=np.float64)
    return result
