"""Current data beyond service 01: identifiers of service 22 (ISO 14229-1 [S]) that a platform file names."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from gumshoe.core.knowledge.values import Byte2, Number, Row, Words
from gumshoe.core.obd.errors import BadAnswer
from gumshoe.core.obd.pids import Field

READ_DATA = 0x22


@dataclass(frozen=True)
class IdentifierRow(Row):
    """One identifier of the engine's control unit: ``value = raw * scale + offset``, raw big-endian of ``size`` bytes.
    A key of the usual form (``cam_intake_cmd_b1_deg``) puts it on the strip of its kind."""

    id: Byte2
    key: str
    name: Words
    unit: str
    size: Literal[1, 2, 3, 4]
    scale: Number = 1.0
    offset: Number = 0.0
    signed: bool = False

    @property
    def field(self) -> Field:
        """How its bytes are read and written."""
        return Field(self.key, self.name, self.unit, 0, self.size, self.scale, self.offset, self.signed)


def request(rows: Iterable[IdentifierRow]) -> bytes:
    """The request for some identifiers at once."""
    return bytes((READ_DATA,)) + b"".join(row.id.to_bytes(2, "big") for row in rows)


def read_answer(payload: bytes, asked: Iterable[IdentifierRow]) -> dict[str, float]:
    """Values by key from a positive answer (``62`` then identifier, data …). Raises BadAnswer when it does not fit."""
    rows = {row.id: row for row in asked}
    found: dict[str, float] = {}
    position = 1
    while position < len(payload):
        number = int.from_bytes(payload[position : position + 2], "big")
        row = rows.get(number)
        if row is None:
            raise BadAnswer(f"The module sent identifier {number:04X}, which was not asked for.")
        data = payload[position + 2 : position + 2 + row.size]
        if len(data) < row.size:
            raise BadAnswer(f"Identifier {number:04X} should have {row.size} data bytes, {len(data)} arrived.")
        found[row.key] = row.field.read(data)
        position += 2 + row.size
    return found
