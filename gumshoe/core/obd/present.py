"""A few values of this moment, asked for one by one: what a guard or a condition wants to know."""

from __future__ import annotations

from collections.abc import Iterable

from gumshoe.core.obd.current import Values
from gumshoe.core.obd.errors import LinkError, NoAnswer
from gumshoe.core.obd.link import Link
from gumshoe.core.obd.pids import fields_by_key, pid_table, readable, supported_from_bitmap
from gumshoe.core.obd.snapshot import ModuleSnapshot
from gumshoe.core.obd.status import decode_status


def find_engine(link: Link) -> int:
    """The id on which the engine's control unit answers: the module that looks most like it (ModuleSnapshot.likeness).

    Raises NoAnswer when nobody answers.
    """
    announced = {answer.responder: answer.payload for answer in link.ask_all(b"\x01\x00").answers}
    announced = {number: told for number, told in announced.items() if told[:2] == b"\x41\x00" and len(told) >= 6}
    if not announced:
        raise NoAnswer("No module answers: the engine's control unit was not found.")
    if len(announced) == 1:
        return next(iter(announced))
    states = {answer.responder: answer.payload for answer in link.ask_all(b"\x01\x01").answers}
    modules = []
    for number, told in sorted(announced.items()):
        state = states.get(number, b"")
        modules.append(
            ModuleSnapshot(
                number,
                name=_named(link, number),
                status=decode_status(state[2:6]) if state[:2] == b"\x41\x01" and len(state) >= 6 else None,
                pids=tuple(supported_from_bitmap(0, told[2:6])),
            )
        )
    return max(modules, key=lambda module: module.likeness).responder


def _named(link: Link, responder: int) -> str:
    try:
        payload = link.ask(responder, b"\x09\x0a").payload
    except LinkError:
        return ""
    return readable(payload[3:])


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
