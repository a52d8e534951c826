"""A few values of this moment, asked for one by one: what a guard or a condition wants to know."""

from __future__ import annotations

from collections.abc import Iterable

from gumshoe.core.obd.errors import NoAnswer, Refused
from gumshoe.core.obd.link import Link
from gumshoe.core.obd.pids import fields_by_key, pid_table, split_current_data


def present_values(link: Link, keys: Iterable[str], module: int = 0) -> dict[str, float]:
    """The channels by key, in the table's units; what the unit does not tell is left out.

    Raises LinkError when the unit does not answer at all.
    """
    wanted = set(keys)
    numbers = [number for number, pid in pid_table().items() if wanted & {item.key for item in pid.fields}]
    found: dict[str, float] = {}
    answered = False
    for number in numbers:
        try:
            payload = link.ask(module, bytes((0x01, number))).payload
        except Refused:
            answered = True
            continue
        answered = True
        found |= pid_table()[number].decode(split_current_data(payload, (number,))[number])
    if not answered:
        raise NoAnswer("The engine's control unit does not answer.")
    return {key: value for key, value in found.items() if key in wanted and key in fields_by_key()}
