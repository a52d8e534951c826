"""A bus for tests: what is sent goes to a script, what the script says comes back. No thread, no waiting."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable, Iterable

import can

Script = Callable[[can.Message], Iterable[tuple[int, bytes]]]


class ScriptedBus:
    """Looks like a python-can bus to the link. Silence costs no real time beyond a millisecond."""

    channel_info = "scripted"

    def __init__(self, script: Script) -> None:
        self.script = script
        self.queue: deque[can.Message] = deque()
        self.sent: list[can.Message] = []

    def send(self, message: can.Message, timeout: float | None = None) -> None:
        self.sent.append(message)
        for identifier, data in self.script(message):
            self.queue.append(can.Message(arbitration_id=identifier, data=data, is_extended_id=message.is_extended_id))

    def recv(self, timeout: float | None = None) -> can.Message | None:
        if self.queue:
            return self.queue.popleft()
        time.sleep(min(timeout or 0.0, 0.001))
        return None

    def shutdown(self) -> None:
        pass


def single(payload: bytes) -> bytes:
    """A single frame around a payload of up to 7 bytes (ISO 15765-2)."""
    return bytes((len(payload), *payload)).ljust(8, b"\x00")
