"""Raw frames as text, one line a frame, in the log format of Linux's can-utils (candump -L)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from gumshoe.core.errors import BadInput
from gumshoe.core.obd.link import BusFrame

OVER_IP = "ip0"
"""The channel of messages that passed over IP."""
CLASSIC_BYTES = 8
"""Frames of more bytes are of CAN FD."""


def candump_line(frame: BusFrame, channel: str = "can0") -> str:
    """``(1700000000.000000) can0 7E8#0641…``; 29-bit ids with eight digits; CAN FD: ``##`` and a digit of flags."""
    identifier = f"{frame.id:08X}" if frame.extended else f"{frame.id:03X}"
    channel = OVER_IP if frame.over_ip else channel
    mark = "#" if len(frame.data) <= CLASSIC_BYTES else "##1"
    return f"({frame.time:.6f}) {channel} {identifier}{mark}{frame.data.hex().upper()}"


def parse_candump(lines: Iterable[str]) -> Iterator[BusFrame]:
    """Read candump lines. Raises BadInput with the line number when one cannot be read."""
    for number, line in enumerate(lines, 1):
        text = line.strip()
        if not text:
            continue
        try:
            stamp, channel, body = text.split()[:3]
            identifier, data = body.split("#", 1)
            value = int(identifier, 16)
            data = data[2:] if data.startswith("#") else data
            yield BusFrame(
                time=float(stamp.strip("()")),
                id=value,
                extended=len(identifier) > 3,
                data=bytes.fromhex(data),
                over_ip=channel == OVER_IP,
                sent=value in (0x7DF, 0x18DB33F1) or 0x7E0 <= value <= 0x7E7,
            )
        except ValueError as error:
            raise BadInput(f"Line {number} is not a candump line: “{text[:60]}”.") from error
