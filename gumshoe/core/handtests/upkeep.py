"""Arithmetic of upkeep, adjustment and units."""

from __future__ import annotations

import pint

from gumshoe.core.handtests.rows import Figure, LimitVerdict, Values, Worked, choice, number
from gumshoe.core.knowledge.outcomes import units

TORQUE = {
    "N·m": "newton * meter",
    "lbf·ft": "force_pound * foot",
    "lbf·in": "force_pound * inch",
    "kgf·m": "force_kilogram * meter",
}
ALIKE: tuple[dict[str, str], ...] = (
    {"kPa": "kPa", "bar": "bar", "psi": "psi", "inHg": "inHg", "mbar": "millibar", "inH2O": "inH2O"},
    {"mm": "mm", "in": "inch"},
    {"°C": "degC", "°F": "degF"},
    {"km": "km", "mi": "mile"},
    {"km/h": "km/hour", "mph": "mile/hour"},
    {"g/s": "gram/second", "lb/min": "pound/minute"},
)
MILES_PER_US_GALLON, MILES_PER_IMPERIAL_GALLON = 235.214583, 282.480936
"""Miles per gallon times litres per 100 km (definitions of mile, US and imperial gallon)."""


def oil_overdue(values: Values) -> Worked:
    """Distance and months beyond the interval; negative: still to go."""
    over_km = number(values, "odometer") - (number(values, "last") + number(values, "interval"))
    over_months = number(values, "months") - number(values, "interval_months")
    figures = (Figure("overdue", over_km, "km", 0), Figure("overdue", over_months, "months"))
    if number(values, "odometer") < number(values, "last"):
        return Worked(figures, LimitVerdict.NONE, "The odometer stands below the last change: one of the two is wrong.")
    if over_km > 0.0 or over_months > 0.0:
        return Worked(
            figures,
            LimitVerdict.BAD,
            "Overdue. Oil first: old oil makes control valves stick.",
            "low, overdue or wrong",
        )
    return Worked(figures, LimitVerdict.GOOD, "Within its interval. Level and grade are still to be looked at.")


def distributor(values: Values) -> Worked:
    """Whether what is left of the adjustment reaches the specification, or by how many teeth it is out and which
    way."""
    reading, spec, tolerance = (number(values, key) for key in ("reading", "spec", "tolerance"))
    more, less = number(values, "more"), number(values, "less")
    needed = spec - reading
    step = 360.0 / number(values, "teeth")
    figures = (Figure("needed", needed, "degrees"), Figure("one tooth", step, "degrees"))
    if abs(needed) <= tolerance:
        return Worked(figures, LimitVerdict.GOOD, "It stands as specified.")
    room = more if needed > 0.0 else less
    way = "raise" if needed > 0.0 else "lower"
    if abs(needed) - tolerance <= room:
        return Worked(
            figures, LimitVerdict.WATCH, f"Adjustable: {way} the reading by {abs(needed):.1f}° (there is {room:.0f}°)."
        )
    for teeth in range(1, 6):
        left = abs(needed) - teeth * step
        back = less if needed > 0.0 else more
        if -(back + tolerance) <= left <= room + tolerance:
            then = "nothing more" if abs(left) <= tolerance else f"{abs(left):.1f}° {'on' if left > 0 else 'back'}"
            word = f"{teeth} tooth" if teeth == 1 else f"{teeth} teeth"
            return Worked(
                (*figures, Figure("teeth out", float(teeth), "", 0)),
                LimitVerdict.BAD,
                f"{word} out: the adjustment ends {abs(needed) - room:.1f}° short. Move it {word} the way that {way}s"
                f" the reading, then {then}.",
            )
    return Worked(figures, LimitVerdict.BAD, "Far out: the engine's timing marks first, then the distributor.")


def torques(value: float, unit: str = "N·m") -> tuple[tuple[str, float], ...]:
    """A torque in every unit a wrench has: (unit, value)."""
    given = units().Quantity(value, TORQUE[unit])
    return tuple((word, float(given.to(name).magnitude)) for word, name in TORQUE.items())


def torque(values: Values) -> Worked:
    """A torque in every unit a wrench has."""
    found = torques(number(values, "value"), choice(values, "unit"))
    figures = tuple(Figure("", value, word, 1) for word, value in found)
    return Worked(figures, LimitVerdict.NONE, "Threads by hand first; angle tightening has no torque to convert.")


def convert(values: Values) -> Worked:
    """A value in every unit of its kind."""
    value, unit = number(values, "value"), choice(values, "unit")
    if unit == "L/100 km":
        if value <= 0.0:
            return Worked((), LimitVerdict.NONE, "Consumption must be above zero.")
        by_gallon = (
            Figure("", MILES_PER_US_GALLON / value, "miles per US gallon"),
            Figure("", MILES_PER_IMPERIAL_GALLON / value, "miles per imperial gallon"),
        )
        return Worked(by_gallon, LimitVerdict.NONE, "By definition of mile and gallon.")
    kind = next(row for row in ALIKE if unit in row)
    given: pint.Quantity = units().Quantity(value, kind[unit])  # type: ignore[type-arg]
    figures = tuple(Figure("", float(given.to(name).magnitude), word, 3) for word, name in kind.items() if word != unit)
    return Worked(figures, LimitVerdict.NONE, "By definition of the units.")
