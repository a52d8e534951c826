"""Answers of the protocols before CAN in the layout that CAN has (ISO 15031-5, SAE J1979 [S]; layouts from memory).

Before CAN an answer has at most seven bytes. Codes come three to a message and without a count, filled up with zeros;
what is longer comes as several numbered messages.
"""

from __future__ import annotations

from collections.abc import Sequence

from gumshoe.core.obd.errors import BrokenAnswer

CODES = (0x43, 0x47)
INFORMATION = 0x49
SERVICES = frozenset({0x01, 0x02, 0x03, 0x04, 0x07, 0x09})
"""What is asked of such a car. Monitor results (06) are left: their numbers were each maker's own before CAN."""
NOT_ASKED = frozenset(range(0x100)) - SERVICES
ITEM_BYTES = {0x02: 17, 0x04: 16, 0x06: 4, 0x0A: 20}


def joined(messages: Sequence[bytes], request: bytes) -> bytes:
    """One answer out of the messages of one module. Raises BrokenAnswer when a message of a series is missing."""
    first = messages[0]
    if first[0] == 0x7F:  # J1850 repeats the request before the reason
        return bytes((0x7F, first[1], first[-1])) if len(first) >= 3 else first
    if first[0] in CODES:
        pairs = [
            body[at : at + 2] for body in (message[1:] for message in messages) for at in range(0, len(body) - 1, 2)
        ]
        held = [pair for pair in pairs if pair != b"\x00\x00"]
        return bytes((first[0], len(held))) + b"".join(held)
    if first[0] == INFORMATION and len(request) > 1:
        return _information(messages, request[1])
    return next((message for message in messages if message[1:2] == request[1:2]), first)


def _information(messages: Sequence[bytes], kind: int) -> bytes:
    parts = {message[2]: message[3:] for message in messages if len(message) > 3 and message[1] == kind}
    if not parts:
        return bytes(messages[0])
    if kind % 0x20 == 0:
        return bytes((INFORMATION, kind)) + parts[min(parts)]
    last = max(parts)
    lost = [number for number in range(1, last + 1) if number not in parts]
    if lost:
        raise BrokenAnswer(f"Of an answer in {last} parts, part {lost[0]} is missing.")
    body = b"".join(parts[number] for number in sorted(parts))
    size = ITEM_BYTES.get(kind)
    if size is None:
        return bytes((INFORMATION, kind, 1)) + body
    if kind == 0x02:
        body = body[-size:]  # three zeros fill the first part
    if len(body) % size:
        raise BrokenAnswer(f"An answer that comes in items of {size} bytes has {len(body)}: its end is missing.")
    return bytes((INFORMATION, kind, len(body) // size)) + body
