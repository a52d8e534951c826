"""The stand-in's side of the time before CAN: the same services in messages of at most seven bytes (ISO 15031-5, SAE
J1979 [S]; layouts from memory). Codes come three to a message and without a count, texts four bytes to a message.
"""

from __future__ import annotations

from collections.abc import Iterator

from gumshoe.simulator.answers import EngineModule

ENGINE_ADDRESS = 0x10
SERVICES = frozenset({0x01, 0x02, 0x03, 0x04, 0x07, 0x09})
CODES, INFORMATION, PIECE, CODES_A_MESSAGE = (0x43, 0x47), 0x49, 4, 3


class OldEngineModule(EngineModule):
    """The engine's control unit of a car that has no CAN at its socket."""

    def _handles(self, service: int) -> bool:
        return service in SERVICES

    def messages(self, request: bytes) -> list[tuple[int, bytes]]:
        """What it sends, each with its address; nothing while it has no power."""
        if not self.awake or not request:
            return []
        found = self.answer(request, functional=True)
        return [(ENGINE_ADDRESS, message) for answer in found for message in _cut(answer)]


def _cut(answer: bytes) -> Iterator[bytes]:
    head = answer[0]
    if head in CODES:
        codes = answer[2:]
        step = 2 * CODES_A_MESSAGE
        for start in range(0, max(len(codes), 1), step):
            yield bytes((head,)) + codes[start : start + step].ljust(step, b"\x00")
    elif head == INFORMATION:
        counted = answer[1] % 0x20 != 0
        body = answer[3:] if counted else answer[2:]
        body = body.rjust(-(-len(body) // PIECE) * PIECE, b"\x00")
        for number, start in enumerate(range(0, len(body), PIECE), 1):
            yield bytes((head, answer[1], number)) + body[start : start + PIECE]
    else:
        yield answer
