"""Find code numbers by what they are about: the tables name codes as ``component: kind``, not by number.

A reference is a number (``P0455``), ``component: kind`` (``mixture, bank 1: lean``), with ``bank *`` for every bank of
the powertrain, or ``*: kind`` for that kind of any component.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from functools import cache
from typing import Any

from gumshoe.core.codes import TroubleCode
from gumshoe.core.errors import BadInput, DataError
from gumshoe.core.knowledge.code_catalogue import composed_codes, own_code
from gumshoe.core.knowledge.rows import CodeRow
from gumshoe.core.knowledge.values import CodeKind, CodeNumber, Row, Severity, Words


@dataclass(frozen=True)
class OwnCode(Row):
    """A maker's code, told by a platform file or typed in by the shop: its number, what part, what kind of code."""

    number: CodeNumber
    component: Words
    kind: CodeKind
    title: str = ""
    severity: Severity = "soon"
    part: str = ""

    def row(self) -> CodeRow:
        """The catalogue row. Raises DataError when kind, severity or number is unknown."""
        try:
            TroubleCode(self.number)
        except BadInput as error:
            raise DataError(f"own code: {error.what}") from error
        return own_code(self.number, self.component, self.kind, self.severity, self.title)


class CodeIndex:
    """The catalogue, the shop's and platform's own codes added, by component and kind."""

    def __init__(self, own: Iterable[OwnCode] = ()) -> None:
        self.rows: dict[str, CodeRow] = composed_codes() | {code.number: code.row() for code in own}
        self._by_component: dict[str, list[tuple[str, str]]] = defaultdict(list)
        self._by_kind: dict[str, list[str]] = defaultdict(list)
        self._known: dict[tuple[str, int], tuple[str, ...]] = {}
        for number, row in self.rows.items():
            self._by_component[row.component].append((number, row.kind))
            self._by_kind[row.kind].append(number)

    def of_component(self, component: str) -> tuple[tuple[str, str], ...]:
        """(number, kind) of every code of a component."""
        return tuple(self._by_component.get(component, ()))

    def numbers(self, reference: str, banks: int) -> tuple[str, ...]:
        """The numbers a reference stands for. Raises DataError when there is none."""
        known = self._known.get((reference, banks))
        if known is None:
            known = self._known[reference, banks] = self._numbers(reference, banks)
        return known

    def _numbers(self, reference: str, banks: int) -> tuple[str, ...]:
        component, separator, kind = reference.rpartition(": ")
        if not separator:
            found: list[str] = [reference] if reference in self.rows else []
        elif component == "*":
            found = self._by_kind.get(kind, [])
            if not found:
                return ()  # a kind that only makers' own codes have
        else:
            names = [component.replace("bank *", f"bank {b}") for b in range(1, banks + 1)]
            found = [number for name in dict.fromkeys(names) for number, own in self.of_component(name) if own == kind]
        if not found:
            raise DataError(f"The code catalogue has no code for “{reference}”.")
        return tuple(found)

    def strengths(self, references: Mapping[str, float], banks: int) -> dict[str, float]:
        """Chance by number; where two references meet, the larger holds."""
        found: dict[str, float] = {}
        for reference, chance in references.items():
            for number in self.numbers(reference, banks):
                found[number] = max(found.get(number, 0.0), chance)
        return found


def sibling_of(number: str, index: CodeIndex) -> str | None:
    """The same code of the other bank; None where there is none."""
    entry = index.rows.get(number)
    if entry is None:
        return None
    told = entry.component
    other = told.replace("bank 1", "bank 2") if "bank 1" in told else told.replace("bank 2", "bank 1")
    found = (name for name, kind in index.of_component(other) if kind == entry.kind) if other != told else iter(())
    return next(found, None)


def of_other_bank(row: CodeRow, index: CodeIndex) -> CodeRow | None:
    """What is written about a code of bank 1, said of the same code of bank 2; None when there is none."""
    entry = index.rows.get(row.number)
    number = sibling_of(row.number, index)
    if entry is None or number is None or "bank 1" not in entry.component:
        return None
    told = {name: _other(value) for name, value in vars(row).items()}
    return replace(row, **(told | {"number": number}))


def _other(value: Any) -> Any:
    if isinstance(value, str):
        return value.replace("bank 1", "bank 2").replace("Bank 1", "Bank 2")
    return tuple(map(_other, value)) if isinstance(value, tuple) else value


@cache
def standard_index() -> CodeIndex:
    """The index of the standardised catalogue alone."""
    return CodeIndex()
