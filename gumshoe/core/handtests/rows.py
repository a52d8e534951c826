"""The shapes of ``hand_tests.toml`` and of what a hand test comes to."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Literal

from gumshoe.core.knowledge.values import Caution, Feature, Number, Row, Specified, TestName, Words

Value = float | str | tuple[float, ...] | tuple[tuple[float, ...], ...]
"""A number, a choice, one number for each cylinder, or several for each."""


@dataclass(frozen=True)
class InputRow(Row):
    """One field: a number in ``unit`` between ``low`` and ``high``, or one of ``options``; ``usual`` stands in it
    unless the vehicle's specification knows ``of``."""

    key: str
    label: Words
    unit: str = ""
    options: tuple[Words, ...] = ()
    low: Number = 0.0
    high: Number = 0.0
    usual: Number | None = None
    of: Specified = ""
    each: Literal["", "cylinder"] = ""
    many: bool = False


@dataclass(frozen=True)
class HandTestRow(Row):
    """One hand test; see the file's head."""

    id: str
    words: Words
    formula: Words
    limit: Words
    standing: Words
    steps: tuple[Words, ...]
    inputs: tuple[InputRow, ...]
    test: TestName = ""
    reads: str = ""
    needs: tuple[Feature, ...] = ()
    cautions: tuple[Caution, ...] = ()


@dataclass(frozen=True)
class HandTestsFile(Row):
    """``hand_tests.toml``."""

    test: tuple[HandTestRow, ...]


class LimitVerdict(StrEnum):
    """How a result stands to its limit."""

    GOOD = "within the limit"
    WATCH = "near the limit"
    BAD = "beyond the limit"
    NONE = "no limit"


@dataclass(frozen=True)
class Figure:
    """One computed value with its name, digits and unit."""

    name: str
    value: float
    unit: str
    digits: int = 1

    @property
    def number(self) -> str:
        """The value in its digits."""
        return f"{self.value:.{self.digits}f}"

    @property
    def words(self) -> str:
        """The value with its unit."""
        return f"{self.number} {self.unit}".strip()


@dataclass(frozen=True)
class Worked:
    """What a hand test comes to. ``reading``: what the guided test it belongs to takes as its reading; ``outcome``: the
    outcome of that test where the hand test has worked it out by what was typed here, the specification included."""

    figures: tuple[Figure, ...]
    verdict: LimitVerdict
    words: str
    reading: float | str | None = None
    outcome: str = ""
    cylinder: int | None = None
    """The worst cylinder, where one stands out."""


Values = Mapping[str, Value]
Work = Callable[[Values], Worked]


def number(values: Values, key: str) -> float:
    """A number that was typed."""
    found = values[key]
    assert isinstance(found, float)
    return found


def choice(values: Values, key: str) -> str:
    """A choice that was made."""
    found = values[key]
    assert isinstance(found, str)
    return found


def by_cylinder(values: Values, key: str) -> tuple[float, ...]:
    """One number for each cylinder."""
    found = values[key]
    assert isinstance(found, tuple)
    return tuple(item for item in found if isinstance(item, float))


def cylinders(numbers: list[int]) -> str:
    """Cylinders in words: ``cylinder 3``, ``cylinders 2 and 3``."""
    named = " and ".join(filter(None, [", ".join(map(str, numbers[:-1])), str(numbers[-1])]))
    return f"cylinder{'s' if len(numbers) > 1 else ''} {named}"
