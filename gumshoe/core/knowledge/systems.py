"""How the systems of a powertrain work: texts and the boxes of their diagrams, from ``systems.toml``."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Annotated, Literal

from pydantic import Field

from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.knowledge.values import BoxPart, Feature, Row, Words


@dataclass(frozen=True)
class BoxRow(Row):
    """A box of the diagram: the classes it stands for (``class/2``: its sensor 2 only) and its place on the grid.

    Left out where the powertrain has none of its classes, unless it stands ``always`` or has no classes.
    """

    id: str
    words: Words
    classes: tuple[BoxPart, ...]
    at: tuple[int, int]
    always: bool = False


@dataclass(frozen=True)
class FlowRow(Row):
    """An arrow of the diagram; ``kind`` is what flows."""

    source: Annotated[str, Field(validation_alias="from")]
    to: str
    kind: Literal["signal", "power", "force", "fuel", "air", "gas", "vapour", "coolant"]
    words: str


@dataclass(frozen=True)
class SystemRow(Row):
    """One system: what it does, what the control unit watches, what makes it decide, where people go wrong.

    ``network``: codes about messages (U) are marked here, and in no other system.
    """

    id: str
    name: Words
    needs: tuple[Feature, ...]
    what: Words
    watches: Words
    decides: Words
    pitfalls: Words
    boxes: tuple[BoxRow, ...]
    flows: tuple[FlowRow, ...]
    network: bool = False


@dataclass(frozen=True)
class SystemsFile(Row):
    system: tuple[SystemRow, ...]


@cache
def system_of(part: str) -> SystemRow | None:
    """The system a component class belongs to: the first whose diagram has it."""
    for row in systems().values():
        if any(part == name.split("/")[0] for box in row.boxes for name in box.classes):
            return row
    return None


@cache
def systems() -> dict[str, SystemRow]:
    """Every system by id. Raises DataError with file and line."""
    return {row.id: row for row in load_table(Path(__file__).parent / "systems.toml", SystemsFile).system}
