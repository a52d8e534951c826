"""Values from one unit into another, as far as they measure the same thing."""

from __future__ import annotations

import re

import numpy as np
import pint
from numpy.typing import NDArray

from gumshoe.core.knowledge.outcomes import unit_name, units

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
}
"""What a reader of US customary units wants instead, and to how many digits."""


def for_reader(value: float, unit: str, *, customary: bool) -> tuple[float, str]:
    """A value in the reader's units: as it is, or in US customary units where there is one for it."""
    if not customary or unit not in READERS:
        return value, unit
    into, digits = READERS[unit]
    found = converted(np.asarray([value], dtype=np.float64), unit, into)
    return (value, unit) if found is None else (round(float(found[0]), digits), into)


_IN_TEXT = re.compile(r"(?<![\w.])(\d[\d,]*(?:\.\d+)?) ?(km/h|km|°C|kPa|mbar|N·m|mm)(?![\w/])")


def text_for_reader(text: str, *, customary: bool) -> str:
    """A sentence with its values in the reader's units: ``past 600 °C`` becomes ``past 1112 °F``."""
    if not customary:
        return text

    def swap(found: re.Match[str]) -> str:
        value, unit = for_reader(float(found[1].replace(",", "")), found[2], customary=True)
        return f"{value:,.0f} {unit}" if value >= 100 or value == int(value) else f"{value:g} {unit}"

    return _IN_TEXT.sub(swap, text)


def converted(values: Floats, unit: str, into: str) -> Floats | None:
    """The values in another unit; None when one of them is not known or they do not measure the same thing."""
    registry = units()
    try:
        found = registry.Quantity(values, unit_name(unit)).to(unit_name(into))
    except (pint.PintError, AttributeError, ValueError, TypeError, AssertionError):
        return None
    result: Floats = np.asarray(found.magnitude, dtype=np.float64)
    return result
