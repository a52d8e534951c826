"""After-work procedures as data: relearns and resets, what asks for them, their conditions."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Literal

from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.knowledge.values import Amount, AskedBy, Caution, Channel, Feature, Number, Row, Words
from gumshoe.core.obd.pids import fields_by_key

FILE = Path(__file__).parent / "procedures.toml"
DID = frozenset({"off", "flat", "renewed", "drained"})
"""What may have been done to a part, as ``part:did``."""


@dataclass(frozen=True)
class LimitRow(Row):
    """A channel and the range it must be in."""

    key: Channel
    words: Words
    low: Number | None = None
    high: Number | None = None

    @property
    def asked(self) -> str:
        """The range in words."""
        unit = fields_by_key()[self.key].unit
        if self.low is not None and self.high is not None:
            return f"{self.low:g} to {self.high:g} {unit}"
        if self.low is not None:
            return f"at least {self.low:g} {unit}"
        return f"{self.high:g} {unit}" if self.high == 0 else f"at most {self.high:g} {unit}"


@dataclass(frozen=True)
class ProcedureRow(Row):
    """A procedure; see the head of ``procedures.toml``. ``advised``: worth doing, no condition of the proof."""

    id: str
    words: Words
    purpose: Words
    needs: tuple[Feature, ...]
    after: tuple[AskedBy, ...]
    engine: Literal["off", "running"]
    seconds: Amount
    conditions: tuple[LimitRow, ...]
    steps: tuple[Words, ...]
    by_hand: tuple[Words, ...]
    aborted: Words
    advised: bool = False
    cautions: tuple[Caution, ...] = ()


@dataclass(frozen=True)
class ProceduresFile(Row):
    procedure: tuple[ProcedureRow, ...]


@cache
def procedures() -> dict[str, ProcedureRow]:
    """Every procedure by id. Raises DataError with file and line."""
    return {row.id: row for row in load_table(FILE, ProceduresFile).procedure}
