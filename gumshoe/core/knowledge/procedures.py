"""After-work procedures as data: relearns and resets, what asks for them, their conditions."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Literal

from gumshoe.core.errors import DataError
from gumshoe.core.knowledge.catalogue import tables
from gumshoe.core.knowledge.parts import components_file
from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.obd.pids import fields_by_key

FILE = Path(__file__).parent / "procedures.toml"
DID = frozenset({"off", "flat", "renewed", "drained"})
"""What may have been done to a part, as ``part:did``."""


@dataclass(frozen=True)
class LimitRow:
    """A channel and the range it must be in."""

    key: str
    words: str
    low: float | None = None
    high: float | None = None

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
class ProcedureRow:
    """A procedure; see the head of ``procedures.toml``. ``advised``: worth doing, no condition of the proof."""

    id: str
    words: str
    purpose: str
    needs: tuple[str, ...]
    after: tuple[str, ...]
    engine: Literal["off", "running"]
    seconds: float
    conditions: tuple[LimitRow, ...]
    steps: tuple[str, ...]
    by_hand: tuple[str, ...]
    aborted: str
    advised: bool = False
    cautions: tuple[str, ...] = ()


@dataclass(frozen=True)
class ProceduresFile:
    procedure: tuple[ProcedureRow, ...]


@cache
def procedures() -> dict[str, ProcedureRow]:
    """Every procedure by id. Raises DataError where one names a repair, part, channel or caution that is not there."""
    rows = load_table(FILE, ProceduresFile).procedure
    loaded = tables()
    repairs = {row.id.removesuffix("_{n}") for row in loaded.repairs}
    repairs |= {f"{work}_{part.id}" for part in components_file().part for work in ("mend", "renew")}  # generated
    parts = {row.id for row in components_file().part} | {row.component for row in loaded.faults}
    for row in rows:
        for name in row.after:
            part, _, did = name.partition(":")
            known = (part in parts and did in DID) if did else name in repairs
            if not known:
                raise DataError(f"procedures.toml: {row.id}: nothing is called “{name}”.")
        for item in row.conditions:
            if item.key not in fields_by_key():
                raise DataError(f"procedures.toml: {row.id}: there is no channel “{item.key}”.")
        for caution in row.cautions:
            if caution not in loaded.cautions:
                raise DataError(f"procedures.toml: {row.id}: there is no caution “{caution}”.")
    return {row.id: row for row in rows}
