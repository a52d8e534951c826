"""A car in a file: the modules of a logged session answer again what they answered then.

The same request gets the same answers in their order, the last of them from then on. Current data is put together anew
from what was told, however it is asked for now. What the log does not hold is refused as the standard has it (ISO
14229-1 [S]: 11 for a service that never was answered, 31 for a number that was not), or met with silence where
everybody is asked.
"""

from __future__ import annotations

import threading
from collections.abc import Iterable
from dataclasses import dataclass, field

import can

from gumshoe.core.obd.buslog import Message, ToldValues, current_data, is_wide, messages, pairs
from gumshoe.core.obd.link import Addressing, BusFrame
from gumshoe.simulator.answers import Module, refuse
from gumshoe.simulator.node import Node

NOT_OFFERED, OUT_OF_RANGE = 0x11, 0x31


@dataclass
class _Told:
    """Answers to one request, in their order."""

    rows: list[bytes] = field(default_factory=list)
    at: int = 0

    def next(self) -> bytes:
        found = self.rows[min(self.at, len(self.rows) - 1)]
        self.at += 1
        return found


class LoggedModule:
    """One module of a log."""

    awake = True
    answers_s = 0.0

    def __init__(self) -> None:
        self._answers: dict[bytes, _Told] = {}
        self._values = ToldValues()

    def hear(self, request: bytes, answer: bytes) -> None:
        """One answer of the log."""
        current = current_data(answer, request)
        if current is not None:
            self._values.hear(*current)
        elif request:
            self._answers.setdefault(request, _Told()).rows.append(answer)

    def answer(self, request: bytes, functional: bool) -> list[bytes]:
        """What it answered then."""
        told = self._answers.get(request)
        if told is not None:
            found = told.next()
            return [] if functional and found[:1] == b"\x7f" else [found]
        values = self._values.answer(request)
        if values is not None:
            return [values]
        if functional or not request:
            return []
        way = self._values.way
        offered = any(known[0] == request[0] for known in self._answers) or (way and request[0] == way.service)
        return refuse(request[0], OUT_OF_RANGE if offered else NOT_OFFERED)


def modules_of(heard: Iterable[Message]) -> dict[tuple[int, int], LoggedModule]:
    """The modules that answered in a log, by request and response id."""
    rows = list(heard)
    addressing = Addressing.TWENTY_NINE_BIT if is_wide(rows) else Addressing.ELEVEN_BIT
    made: dict[int, LoggedModule] = {}
    asked_on: dict[int, int] = {}
    for pair in pairs(rows):
        number = pair.answer.id
        made.setdefault(number, LoggedModule()).hear(pair.request, pair.answer.payload)
        if addressing.is_response(number):
            asked_on[number] = addressing.request_id(number)
        elif pair.asked_on not in (0, addressing.functional_id):
            asked_on[number] = pair.asked_on
    return {(asked_on[number], number): module for number, module in made.items() if number in asked_on}


def logged_car(frames: Iterable[BusFrame], channel: str) -> Node:
    """The car of a log on a virtual bus, answering once it is started. It has no modules where nobody answered."""
    heard = messages(frames)
    wide = is_wide(heard)
    addressing = Addressing.TWENTY_NINE_BIT if wide else Addressing.ELEVEN_BIT
    found: dict[tuple[int, int], Module] = dict(modules_of(heard))
    called = {ids: module for ids, module in found.items() if addressing.is_response(ids[1])}
    beyond = {ids: module for ids, module in found.items() if ids not in called}
    bus = can.Bus(interface="virtual", channel=channel)
    return Node(bus, called, threading.RLock(), beyond, wide=wide)
