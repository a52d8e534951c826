"""Positions of one powertrain, and rows of the tables filled in for them.

A row with ``per = "cylinder"`` becomes one row for each cylinder, ``{n}`` standing for its number; ``bank``,
``companions``, ``neighbours`` (that are no companions) and ``beside`` (any two side by side) likewise. The bins of
graded clues are numbered in the same way.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import replace
from enum import Enum
from string import ascii_uppercase
from typing import Any, TypeVar

from gumshoe.core.errors import DataError
from gumshoe.core.knowledge.rows import CodeRow, FaultRow, RepairRow, VariableRow
from gumshoe.core.knowledge.values import Distribution
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.powertrain.positions import bank_of, companion, neighbours

FLOOR = 0.0003
"""No bin is impossible: smallest probability in any table (before it is made to sum to one)."""
Row = TypeVar("Row", CodeRow, FaultRow, RepairRow)
Place = dict[str, int | str]


class Places:
    """The positions of one powertrain, each as the values its placeholders take."""

    def __init__(self, powertrain: Powertrain) -> None:
        self.powertrain = powertrain
        self.banks = [self._bank(b) for b in range(1, powertrain.banks + 1)]
        numbers = range(1, powertrain.cylinders + 1)
        self.cylinders = [{"n": n, "L": ascii_uppercase[n - 1]} | self._bank(bank_of(powertrain, n)) for n in numbers]
        pairs = [(n, companion(powertrain, n)) for n in numbers] if powertrain.cylinders > 2 else []
        fire_together = [(n, other) for n, other in pairs if other is not None and n < other]
        self.companions = [
            self._pair(n, other) | {"P": letter}
            for (n, other), letter in zip(fire_together, ascii_uppercase, strict=False)
        ]
        beside = [(n, other) for n in numbers for other in neighbours(powertrain, n) if other > n]
        self.beside = [self._pair(n, other) for n, other in beside]
        # Two that are both are called companions, as 2 and 3 of an inline four.
        self.neighbours = [self._pair(n, other) for n, other in beside if companion(powertrain, n) != other]

    def of(self, per: str) -> list[Place]:
        """All places of an axis; one nameless place where the row has none. Raises DataError for an unknown axis."""
        known = {
            "": [{}],
            "cylinder": self.cylinders,
            "bank": self.banks,
            "companions": self.companions,
            "neighbours": self.neighbours,
            "beside": self.beside,
        }
        if per not in known:
            raise DataError(f"There is no axis “{per}”: write cylinder, bank, companions, neighbours or beside.")
        return known[per]  # type: ignore[return-value]

    def _bank(self, bank: int) -> Place:
        of_bank = f", bank {bank}," if self.powertrain.banks > 1 else ""
        return {"b": bank, "bb": f"_b{bank}" if bank > 1 else "", "of_bank": of_bank.rstrip(",")}

    def _pair(self, first: int, second: int) -> Place:
        bank = self._bank(bank_of(self.powertrain, first))
        return {"n": first, "m": second, "pair": f"{first} and {second}", **bank}


def rows_at(row: Row, places: Places) -> list[Row]:
    return [filled_row(row, place) for place in places.of(row.per)]


def filled_row(row: Row, place: Place) -> Row:
    """Put a place's values where the row has placeholders; tables of graded clues are done by graded."""
    told = dict(vars(row))
    if place:
        told = {name: value if name == "graded" else fill(value, place) for name, value in told.items()}
    if not isinstance(row, CodeRow):
        told["template"] = row.id
    if isinstance(row, FaultRow):
        told |= {"bank": place.get("b", 0), "cylinders": tuple(place[key] for key in ("n", "m") if key in place)}
    return type(row)(**told)


def fill(value: Any, place: Place) -> Any:
    if isinstance(value, Enum):
        return value
    if isinstance(value, str):
        for key, word in place.items():
            value = value.replace(f"{{{key}}}", str(word))
        return value
    if isinstance(value, tuple):
        return tuple(fill(item, place) for item in value)
    if isinstance(value, dict):
        return {fill(key, place): fill(item, place) for key, item in value.items()}
    return value


def variable_at(row: VariableRow, places: Places) -> VariableRow:
    bins = tuple(
        replace(item, id=fill(item.id, place), words=fill(item.words, place), per="")
        for item in row.bins
        for place in places.of(item.per)
    )
    wide = replace(row, bins=bins)
    return replace(wide, normal=distribution_at(row.normal, wide, {}))


def graded_at(
    template: FaultRow, variables: Mapping[str, VariableRow], place: Place, places: Places
) -> dict[str, Distribution]:
    """The suspect's tables over concrete bins."""
    own = {"bank": place.get("b")}
    held = {stem: str(number) for stem, number in own.items() if number is not None}
    tables = {
        name: distribution_at(table, variables[name], held)
        for name, table in template.graded.items()
        if name in variables
    }
    for name, variable in variables.items():
        if variable.compares in tables:
            tables[name] = compared(tables[variable.compares], variable, place)
    return tables


ALIKE_THOUGH_COMMON = 0.88
"""How often the banks read alike when both are off for one reason (common practice)."""
SHOWS_IN_ITS_BANK = 0.92
"""How often a trim that one bank's own fault has moved differs clearly from the other bank's (common practice)."""
NORMAL_BIN = "normal"


def compared(table: Distribution, variable: VariableRow, place: Place) -> Distribution:
    """The table of the comparison between the banks that follows from a suspect's table of the trim itself.

    What belongs to one bank (or a cylinder of it) moves that bank's trim alone, as often as it moves it at all; what
    the banks share moves both.
    """
    others = [item.id for item in variable.bins if item.id != "alike"]
    if "b" not in place:
        rest = (1.0 - ALIKE_THOUGH_COMMON) / len(others)
        return floored({"alike": ALIKE_THOUGH_COMMON} | dict.fromkeys(others, rest))
    own = f"bank_{place['b']}"
    shown = SHOWS_IN_ITS_BANK * (1.0 - table[NORMAL_BIN])
    return floored({"alike": 1.0 - shown} | dict.fromkeys(others, 0.0) | {own: shown})


def distribution_at(table: Mapping[str, float], variable: VariableRow, own: Mapping[str, str]) -> Distribution:
    """A table over concrete bins: the share written for a stem goes to the suspect's own place, or is spread."""
    stems = Counter(item.id.rpartition("_")[0] for item in variable.bins if item.id not in table)
    shares: Distribution = {}
    for item in variable.bins:
        if item.id in table:
            shares[item.id] = table[item.id]
            continue
        stem, _, tail = item.id.rpartition("_")
        mass = next((value for key, value in table.items() if key.startswith(f"{stem}_{{")), 0.0)
        shares[item.id] = (mass if tail == own[stem] else 0.0) if stem in own else mass / stems[stem]
    return floored(shares)


def floored(shares: Mapping[str, float]) -> Distribution:
    """The same distribution with no bin below the floor, summing to one."""
    lifted = {name: max(value, FLOOR) for name, value in shares.items()}
    total = sum(lifted.values())
    return {name: value / total for name, value in lifted.items()}
