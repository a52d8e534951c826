"""The small language in which a test says how its readings decide: ``found is whole``, ``load_kpa below 310``,
``load_kpa below 88 of idle_kpa`` (per cent of another reading), alternatives with ``|`` between them."""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import cache

import pint

from gumshoe.core.errors import BadInput, DataError, OutOfRange
from gumshoe.core.knowledge.rows import OutcomeRow, ReadingRow, Specification, TestRow

_COMPARE = {
    "below": lambda value, limit: value < limit,
    "above": lambda value, limit: value > limit,
    "at least": lambda value, limit: value >= limit,
    "at most": lambda value, limit: value <= limit,
}
Reading = float | str
AND = " & "
"""Between two conditions that must both hold."""
OR = " | "
"""Between two sets of such conditions, one of which must hold."""
PART = " of "
"""Between a per cent and the reading that it is a part of."""


def condition(when: str) -> tuple[str, str, str]:
    """Split one condition into (reading key, relation, operand). Raises DataError when it is none."""
    key, _, rest = when.partition(" ")
    for relation in ("is", *_COMPARE):
        if rest.startswith(relation + " "):
            return key, relation, rest[len(relation) + 1 :]
    raise DataError(f"“{when}” is not a condition: write KEY is CHOICE, or KEY below/above/at least/at most NUMBER.")


def alternatives(when: str) -> list[list[str]]:
    """The conditions of an outcome: one of these lists must hold, and of that all."""
    return [part.split(AND) for part in when.split(OR)]


def limit(row: ReadingRow, figure: float, specification: Specification) -> float:
    """A limit in the reading's unit: itself, or so many per cent of what is specified for this vehicle. Where that is
    not known the limit is of the lowest that is usual, or of the highest, so that nothing usual lies beyond it."""
    if not row.of:
        return figure
    told = getattr(specification, row.of)
    if told is None:
        low, high = row.usual or (0.0, 0.0)
        told = high if figure >= 100.0 else low
    return figure * float(told) / 100.0


def is_specified(row: ReadingRow, specification: Specification) -> bool:
    """Whether its limits are of a value that is known of this vehicle."""
    return bool(row.of) and getattr(specification, row.of) is not None


def good_range(row: ReadingRow, specification: Specification) -> tuple[float, float] | None:
    """The good range of a number, in its unit; None where the test states none."""
    if row.good_low is None or row.good_high is None:
        return None
    return limit(row, row.good_low, specification), limit(row, row.good_high, specification)


def decide(test: TestRow, readings: Mapping[str, Reading], specification: Specification | None = None) -> OutcomeRow:
    """The outcome these readings give: the first whose condition holds. Raises BadInput when none does.

    Limits that are per cent of a specified value use ``specification``, or the range that is usual without one.
    """
    told = specification or Specification()
    rows = {row.key: row for row in test.readings}
    for outcome in test.outcomes:
        if any(all(_holds(part, readings, rows, told) for part in parts) for parts in alternatives(outcome.when)):
            return outcome
    raise BadInput(f"These readings decide nothing in “{test.words}”.", remedies=("check the readings",))


def readings_of(outcome: OutcomeRow) -> dict[str, str]:
    """The choices that lead to an outcome, by their keys; the first ones where there are several ways."""
    parts = [condition(part) for part in alternatives(outcome.when)[0]]
    return {key: operand for key, relation, operand in parts if relation == "is"}


def _holds(
    when: str, readings: Mapping[str, Reading], rows: Mapping[str, ReadingRow], specification: Specification
) -> bool:
    key, relation, operand = condition(when)
    value = readings.get(key, "")
    if relation == "is":
        return value == operand
    if value == "":
        return False
    figure, _, other = operand.partition(PART)
    if not other:
        return bool(_COMPARE[relation](float(value), limit(rows[key], float(figure), specification)))
    whole = readings.get(other, "")
    return whole != "" and bool(_COMPARE[relation](float(value), float(figure) / 100.0 * float(whole)))


def check_reading(row: ReadingRow, text: str) -> Reading:
    """Turn what was typed into a reading. Raises BadInput with the unit and the range that makes sense."""
    cleaned = text.strip()
    if row.kind == "choice":
        if cleaned not in row.options:
            raise BadInput(f"{row.label}: choose one of {', '.join(row.options)}.")
        return cleaned
    value = _in_unit(row, cleaned)
    low, high = row.low if row.low is not None else float("-inf"), row.high if row.high is not None else float("inf")
    if not low <= value <= high:
        raise OutOfRange(row.label, value, low, high, row.unit)
    return value


_NUMBER = re.compile(r"^([-+]?\d{1,18}(?:[.,]\d{1,18})?)\s*(.*)$")
_NAMES = {"°c": "degC", "°f": "degF", "c": "degC", "f": "degF", '"': "inch", "in": "inch", "thou": "thou"}
_NAMES |= {"mbar": "millibar", "inhg": "inHg", "n·m": "newton * meter"}
_NAMES |= {"ω": "ohm", "ohms": "ohm", "kω": "kiloohm", "mω": "megaohm", "v": "volt", "mv": "millivolt"}
_NAMES |= {"a": "ampere", "ma": "milliampere", "nm": "newton * meter", "inh2o": "inH2O", "%": "percent"}
_NAMES |= {"km/h": "kilometer/hour", "kph": "kilometer/hour", "mph": "mile/hour", "1/min": "rpm", "r/min": "rpm"}
_NAMES |= {"°": "degree", "deg": "degree", "g/s": "gram/second", "kg/h": "kilogram/hour", "lb/min": "pound/minute"}
_NAMES |= {"l/h": "liter/hour"}


def unit_name(written: str) -> str:
    """What the units library calls a unit that is written as the trade does."""
    return _NAMES.get(written.lower(), written)


@cache
def units() -> pint.UnitRegistry[float]:
    return pint.UnitRegistry(autoconvert_offset_to_baseunit=True)


def _in_unit(row: ReadingRow, text: str) -> float:
    """What was typed, in the reading's own unit: ``51 psi`` where kPa are asked for. Raises BadInput."""
    try:
        return number_of(text, row.unit)
    except BadInput as error:
        raise BadInput(f"{row.label}: {error.what}", remedies=error.remedies) from error


def number_of(text: str, unit: str) -> float:
    """A number as typed, in ``unit``: ``11.9``, ``11,9 V``, ``0.47 kΩ``. Raises BadInput when it is none, or in a unit
    that cannot be turned into that."""
    remedies = (f"enter it in {unit or 'plain digits'}",)
    found = _NUMBER.match(text.strip())
    if not found:
        raise BadInput(f"“{text[:30]}” is not a number.", remedies=remedies)
    value, said = float(found[1].replace(",", ".")), found[2].strip()
    if not said or said.lower() == unit.lower():
        return value
    try:
        return float(units().Quantity(value, unit_name(said)).to(unit_name(unit)).magnitude)
    except (pint.errors.PintError, AttributeError, TypeError, ValueError, AssertionError) as error:
        raise BadInput(f"“{said[:20]}” cannot be turned into {unit or 'plain digits'}.", remedies=remedies) from error
