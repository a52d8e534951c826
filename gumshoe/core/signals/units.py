"""Values from one unit into another, as far as they measure the same thing."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache
from typing import TypeVar

import numpy as np
import pint
from numpy.typing import NDArray

from gumshoe.core.knowledge.outcomes import unit_name, units
from gumshoe.core.words import DIFFERENCE, VALUE, plain

Floats = NDArray[np.float64]


READERS = {
    "km": ("mi", 0),
    "km/h": ("mph", 0),
    "°C": ("°F", 0),
    "kPa": ("psi", 1),
    "mbar": ("inHg", 2),
    "N·m": ("lbf·ft", 1),
    "mm": ("in", 3),
    "L": ("gal", 1),
    "Pa": ("inH2O", 2),
    "Nm": ("lbf·ft", 1),
}
"""What a reader of US customary units wants instead, and to how many digits."""


Value = TypeVar("Value", float, Floats)


@dataclass(frozen=True)
class Scale:
    """From one unit into another that measures the same: value · factor + offset."""

    factor: float
    offset: float
    unit: str
    digits: int | None = None

    def of(self, value: Value) -> Value:
        """A value, or an array of them, in the other unit."""
        return value * self.factor + self.offset


@cache
def scale_for(unit: str, *, customary: bool) -> Scale:
    """From a unit to the reader's: itself, or the US customary unit where there is one for it."""
    into, digits = READERS.get(unit, ("", 0)) if customary else ("", 0)
    ends = converted(np.array([0.0, 1.0]), unit, into) if into else None
    if ends is None:
        return Scale(1.0, 0.0, unit)
    return Scale(float(ends[1] - ends[0]), float(ends[0]), into, digits)


def for_reader(value: float, unit: str, *, customary: bool) -> tuple[float, str]:
    """A value in the reader's units, rounded to what it deserves there."""
    scale = scale_for(unit, customary=customary)
    return (value if scale.digits is None else round(scale.of(value), scale.digits)), scale.unit


_MARKED = re.compile(f"({DIFFERENCE}|{VALUE})([^{VALUE}]*){VALUE}{{1,2}}")
_FIGURE = re.compile(r"[-−+±]?\d[\d,]*(?:\.\d+)?")
_SCALED = {"°C": 9.0 / 5.0}
"""Units with a zero point of their own: what a difference is multiplied with."""


def text_for_reader(text: str, *, customary: bool) -> str:
    """A sentence with its marked values (core.words) in the reader's units: ``past 600 °C`` becomes ``past 1,112 °F``,
    ``60 to 90 km/h`` becomes ``37 to 56 mph``. What is not marked stays as it is."""

    def swap(found: re.Match[str]) -> str:
        said = found[2]
        unit = next((unit for unit in sorted(READERS, key=len, reverse=True) if said.endswith(unit)), "")
        if not customary or not unit:
            return said
        into = READERS[unit][0]
        factor = _SCALED.get(unit) if found[1] == DIFFERENCE else None

        def turn(figure: re.Match[str]) -> str:
            value = float(figure[0].replace(",", "").replace("−", "-").replace("±", ""))
            turned = value * factor if factor else for_reader(value, unit, customary=True)[0]
            shown = f"{turned:,.0f}" if abs(turned) >= 100 or turned == int(turned) else f"{turned:g}"
            return ("±" if figure[0].startswith("±") else "") + shown

        return _FIGURE.sub(turn, said[: -len(unit)]) + into

    return plain(_MARKED.sub(swap, text))


def converted(values: Floats, unit: str, into: str) -> Floats | None:
    """The values in another unit; None when one of them is not known or they do not measure the same thing."""
    registry = units()
    try:
        found = registry.Quantity(values, unit_name(unit)).to(unit_name(into))
    except (pint.PintError, AttributeError, ValueError, TypeError, AssertionError):
        return None
    result: Floats = np.asarray(found.magnitude, dtype=np.float64)
    return result
