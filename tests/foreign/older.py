"""How a control unit says the same before CAN: messages of seven bytes, three codes each, no counts (ISO 15031-5)."""

from __future__ import annotations

from tests.foreign.vehicle import Unit

ENGINE = 0x10


def said(unit: Unit, request: bytes) -> list[tuple[int, bytes]]:
    """The messages of an engine's unit in answer to a request; many numbers at once are not of that time."""
    service = request[0]
    if service in (0x06, 0x0A, 0x22, 0x19) or (service == 0x01 and len(request) != 2):
        return []
    answer = unit.answers(request, True)
    if answer is None:
        return []
    if answer[0] == 0x7F:
        return [(ENGINE, answer)]
    if service in (0x03, 0x07):
        codes = answer[2:]
        rows = [codes[at : at + 6].ljust(6, b"\x00") for at in range(0, max(len(codes), 1), 6)]
        return [(ENGINE, answer[:1] + row) for row in rows]
    if service == 0x09 and request[1] % 0x20:
        body = answer[3:]
        body = body.rjust(-(-len(body) // 4) * 4, b"\x00")
        parts = [body[at : at + 4] for at in range(0, len(body), 4)]
        return [(ENGINE, bytes((0x49, request[1], number)) + part) for number, part in enumerate(parts, 1)]
    if service == 0x09:
        return [(ENGINE, bytes((0x49, request[1], 1)) + answer[2:])]
    return [(ENGINE, answer)]
