"""How parts that only a code names are taken to be (``told_parts.toml``)."""

from __future__ import annotations

from dataclasses import dataclass
from fnmatch import fnmatchcase
from functools import cache
from pathlib import Path

from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.knowledge.values import (
    Caution,
    CircuitName,
    CircuitType,
    CodeComponentPattern,
    Feature,
    FeedPoint,
    MapPlace,
    Money,
    PlugPoint,
    Rate,
    Row,
    WholeMinutes,
)

FILE = Path(__file__).parent / "told_parts.toml"


@dataclass(frozen=True)
class ToldRow(Row):
    """How parts of these names are taken to be wired, reached and paid for. ``needs``: what
    a car has that has such a part; ``by_plan``: by the maker's plan alone."""

    components: tuple[CodeComponentPattern, ...]
    place: MapPlace
    rate: Rate
    price: Money
    minutes: WholeMinutes
    circuit: CircuitType = ""
    netlist: CircuitName = ""
    feed: FeedPoint = ""
    plug: PlugPoint = ""
    needs: tuple[Feature, ...] = ()
    by_plan: bool = False
    cautions: tuple[Caution, ...] = ()


@dataclass(frozen=True)
class ToldFile(Row):
    """``told_parts.toml``: the first row that fits holds."""

    told: tuple[ToldRow, ...]


def told_row(component: str) -> ToldRow:
    """The row that holds for a component of the catalogue."""
    return next(row for row in _rows() if any(fnmatchcase(component, wanted) for wanted in row.components))


@cache
def _rows() -> tuple[ToldRow, ...]:
    return load_table(FILE, ToldFile).told
