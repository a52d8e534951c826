"""How the systems of a powertrain work: texts and the boxes of their diagrams, from ``systems.toml``."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Annotated

from pydantic import Field

from gumshoe.core.errors import DataError
from gumshoe.core.knowledge.parts import components_file
from gumshoe.core.knowledge.tables import load_table


@dataclass(frozen=True)
class BoxRow:
    """A box of the diagram: the classes it stands for (``class/2``: its sensor 2 only) and its place on the grid.

    Left out where the powertrain has none of its classes, unless it stands ``always`` or has no classes.
    """

    id: str
    words: str
    classes: tuple[str, ...]
    at: tuple[int, int]
    always: bool = False


@dataclass(frozen=True)
class FlowRow:
    """An arrow of the diagram; ``kind`` is what flows."""

    source: Annotated[str, Field(validation_alias="from")]
    to: str
    kind: str
    words: str


@dataclass(frozen=True)
class SystemRow:
    """One system: what it does, what the control unit watches, what makes it decide, where people go wrong.

    ``network``: codes about messages (U) are marked here, and in no other system.
    """

    id: str
    name: str
    needs: tuple[str, ...]
    what: str
    watches: str
    decides: str
    pitfalls: str
    boxes: tuple[BoxRow, ...]
    flows: tuple[FlowRow, ...]
    network: bool = False


@dataclass(frozen=True)
class SystemsFile:
    system: tuple[SystemRow, ...]


def system_of(part: str) -> SystemRow | None:
    """The system a component class belongs to: the first whose diagram has it."""
    for row in systems().values():
        if any(part == name.split("/")[0] for box in row.boxes for name in box.classes):
            return row
    return None


@cache
def systems() -> dict[str, SystemRow]:
    """Every system by id. Raises DataError for an unknown class, box or kind of flow."""
    found = load_table(Path(__file__).parent / "systems.toml", SystemsFile).system
    classes = {row.id for row in components_file().part}
    for row in found:
        boxes = {box.id for box in row.boxes}
        for box in row.boxes:
            for name in box.classes:
                if name.split("/")[0] not in classes:
                    raise DataError(f"systems.toml: {row.id}: there is no component class “{name}”.")
        for flow in row.flows:
            if not {flow.source, flow.to} <= boxes:
                raise DataError(f"systems.toml: {row.id}: a flow from “{flow.source}” to “{flow.to}” has no box.")
    return {row.id: row for row in found}
