"""A few values of this moment, asked for one by one: what a guard or a condition wants to know."""

from __future__ import annotations

from collections.abc import Iterable

from gumshoe.core.obd.current import Values
from gumshoe.core.obd.link import Link
from gumshoe.core.obd.pids import OF_OXYGEN_SENSORS, SAY_HOW, as_meant, fields_by_key, how_meant, pid_of_key, pid_table


def present_values(link: Link, keys: Iterable[str], module: int) -> dict[str, float]:
    """The channels of one module by key, in the table's units; what the unit does not tell is left out.

    Raises LinkError when the unit does not answer at all.
    """
    wanted = set(keys)
    numbers = {of_key[key] for of_key in (pid_of_key(), pid_of_key(in_four=True)) for key in wanted if key in of_key}
    scaled = any(fields_by_key()[key].most for key in wanted if key in fields_by_key())
    if scaled or not numbers.isdisjoint(OF_OXYGEN_SENSORS):
        numbers |= set(SAY_HOW)
    unit = Values(link, module)
    unit.most = 1  # a few, and each by itself: nothing is learnt of a unit for one look
    found: dict[str, float] = {}
    for number, data in unit.ask(sorted(numbers)).items():
        found |= pid_table()[number].decode(data)
    return {key: value for key, value in as_meant(found, how_meant(found)).items() if key in wanted}
