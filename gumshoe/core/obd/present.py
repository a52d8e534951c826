"""A few values of this moment, asked for one by one: what a guard or a condition wants to know."""

from __future__ import annotations

from collections.abc import Iterable

from gumshoe.core.obd.current import Values
from gumshoe.core.obd.link import Link
from gumshoe.core.obd.pids import fields_by_key, pid_table


def present_values(link: Link, keys: Iterable[str], module: int) -> dict[str, float]:
    """The channels of one module by key, in the table's units; what the unit does not tell is left out.

    Raises LinkError when the unit does not answer at all.
    """
    wanted = set(keys)
    numbers = [number for number, pid in pid_table().items() if wanted & {item.key for item in pid.fields}]
    unit = Values(link, module)
    unit.most = 1  # a few, and each by itself: nothing is learnt of a unit for one look
    found: dict[str, float] = {}
    for number, data in unit.ask(numbers).items():
        found |= pid_table()[number].decode(data)
    return {key: value for key, value in found.items() if key in wanted and key in fields_by_key()}
