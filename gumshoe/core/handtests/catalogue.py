"""The hand tests as loaded and checked, what was typed turned into values, and the arithmetic done."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from pathlib import Path

from gumshoe.core.errors import BadInput, OutOfRange
from gumshoe.core.handtests import electrical, engine, upkeep
from gumshoe.core.handtests.rows import HandTestRow, HandTestsFile, InputRow, Value, Values, Work, Worked
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.outcomes import number_of
from gumshoe.core.knowledge.rows import Specification
from gumshoe.core.knowledge.tables import load_table

FILE = Path(__file__).parent / "hand_tests.toml"
WORKS: dict[str, Work] = {
    "voltage_drop": electrical.voltage_drop,
    "resistance_20": electrical.resistance_20,
    "battery": electrical.battery,
    "parasitic_drain": electrical.parasitic_drain,
    "fuse_drop": electrical.fuse_drop,
    "plug_gap": engine.plug_gap,
    "compression": engine.compression,
    "leak_down": engine.leak_down,
    "relative_compression": engine.relative_compression,
    "injector_balance": engine.injector_balance,
    "bleed_down": engine.bleed_down,
    "bearing_clearance": engine.bearing_clearance,
    "shaft_play": engine.shaft_play,
    "filter_restriction": engine.filter_restriction,
    "oil_overdue": upkeep.oil_overdue,
    "distributor": upkeep.distributor,
    "torque": upkeep.torque,
    "convert": upkeep.convert,
}
MOST_REPEATS = 12


@cache
def hand_tests() -> dict[str, HandTestRow]:
    """Every hand test by id. Raises DataError with file and line."""
    return {row.id: row for row in load_table(FILE, HandTestsFile).test}


def hand_tests_for(knowledge: Knowledge) -> list[HandTestRow]:
    """The hand tests that make sense for a powertrain: it has what they need, and their guided test."""
    features = knowledge.powertrain.features
    return [
        row
        for row in hand_tests().values()
        if set(row.needs) <= features and (not row.test or row.test in knowledge.tests)
    ]


def cautions_of(row: HandTestRow, knowledge: Knowledge) -> tuple[str, ...]:
    """The cautions shown with a hand test, in words: its own, those of its guided test, those of the powertrain."""
    guided = knowledge.tests[row.test].cautions if row.test in knowledge.tests else ()
    own = (knowledge.powertrain.caution,) if knowledge.powertrain.caution else ()
    return tuple(knowledge.cautions[name] for name in dict.fromkeys((*row.cautions, *guided, *own)))


def usual_of(row: InputRow, specification: Specification) -> str:
    """What stands in a field before anything is typed."""
    known = getattr(specification, row.of, None) if row.of else None
    value = known if known is not None else row.usual
    return "" if value is None else f"{value:g}"


def field_names(row: InputRow, cylinders: int) -> list[tuple[str, str]]:
    """The fields of an input: (name, label); one for each cylinder where it asks for that."""
    if not row.each:
        return [(row.key, row.label)]
    return [(f"{row.key}_{n}", f"{row.label}, cylinder {n}") for n in range(1, cylinders + 1)]


def values_of(row: HandTestRow, typed: Mapping[str, str], cylinders: int) -> dict[str, Value]:
    """What was typed, checked and in the fields' units. Raises BadInput naming the field."""
    found: dict[str, Value] = {}
    for item in row.inputs:
        names = field_names(item, cylinders)
        if item.options:
            if typed.get(item.key) not in item.options:
                raise BadInput(f"{item.label}: choose one of {', '.join(item.options)}.")
            found[item.key] = typed[item.key]
        elif item.many:
            found[item.key] = tuple(_several(item, label, typed.get(name, "")) for name, label in names)
        elif item.each:
            found[item.key] = tuple(_one(item, label, typed.get(name, "")) for name, label in names)
        else:
            found[item.key] = _one(item, item.label, typed.get(item.key, ""))
    return found


def work_out(row: HandTestRow, values: Values) -> Worked:
    """Do the arithmetic."""
    return WORKS[row.id](values)


def _one(row: InputRow, label: str, text: str) -> float:
    try:
        value = number_of(text, row.unit)
    except BadInput as error:
        raise BadInput(f"{label}: {error.what}", remedies=error.remedies) from error
    if not row.low <= value <= row.high:
        raise OutOfRange(label, value, row.low, row.high, row.unit)
    return value


def _several(row: InputRow, label: str, text: str) -> tuple[float, ...]:
    parts = text.replace(";", " ").split()
    if not parts:
        raise BadInput(f"{label}: no reading was typed.", remedies=("type them one behind the other: 0.05 0.06 0.05",))
    if len(parts) > MOST_REPEATS:
        raise BadInput(f"{label}: more than {MOST_REPEATS} readings.", remedies=("leave some out",))
    return tuple(_one(row, label, part) for part in parts)
