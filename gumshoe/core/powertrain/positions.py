"""Which cylinder stands in which bank, who its neighbours and companions are, and how a set of cylinders is called.

Companions share a crank pin phase: half a cycle apart in the firing order. Neighbours stand next to each other in one
bank. Common practice; the vehicle's own numbering can differ and is part of the description.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from functools import cache

from gumshoe.core.powertrain.description import BankOneSide, Numbering, Powertrain

_OPPOSITE = {
    BankOneSide.LEFT: BankOneSide.RIGHT,
    BankOneSide.RIGHT: BankOneSide.LEFT,
    BankOneSide.FRONT: BankOneSide.REAR,
    BankOneSide.REAR: BankOneSide.FRONT,
}


@cache
def bank_members(powertrain: Powertrain, bank: int) -> tuple[int, ...]:
    """Cylinder numbers of a bank (1 or 2), from the drive end backwards."""
    everyone = range(1, powertrain.cylinders + 1)
    if powertrain.banks == 1:
        return tuple(everyone) if bank == 1 else ()
    if powertrain.numbering is Numbering.ALTERNATING:
        return tuple(n for n in everyone if n % 2 == bank % 2)
    half = powertrain.cylinders // 2
    return tuple(range(1, half + 1) if bank == 1 else range(half + 1, powertrain.cylinders + 1))


def bank_of(powertrain: Powertrain, cylinder: int) -> int:
    """The bank a cylinder stands in."""
    return 1 if cylinder in bank_members(powertrain, 1) else 2


def side_of(powertrain: Powertrain, bank: int) -> BankOneSide:
    """Where a bank lies in the car."""
    return powertrain.bank_1 if bank == 1 else _OPPOSITE[powertrain.bank_1]


def companion(powertrain: Powertrain, cylinder: int) -> int | None:
    """The cylinder half a cycle away in the firing order; None for odd numbers of cylinders."""
    if powertrain.cylinders % 2:
        return None
    order = powertrain.firing_order
    return order[(order.index(cylinder) + len(order) // 2) % len(order)]


def neighbours(powertrain: Powertrain, cylinder: int) -> tuple[int, ...]:
    """Those next to it in its bank."""
    row = bank_members(powertrain, bank_of(powertrain, cylinder))
    place = row.index(cylinder)
    return row[max(place - 1, 0) : place] + row[place + 1 : place + 2]


class PatternKind(StrEnum):
    """What sort of set of cylinders it is."""

    NONE = "none"
    ONE = "one"
    COMPANIONS = "companions"
    NEIGHBOURS = "neighbours"
    BANK = "bank"
    SEVERAL = "several"


@dataclass(frozen=True)
class Pattern:
    """How a set of misfiring cylinders is called."""

    kind: PatternKind
    words: str


NO_MISFIRE = Pattern(PatternKind.NONE, "none")
UNNAMED = Pattern(PatternKind.SEVERAL, "several cylinders")


def pattern_of(powertrain: Powertrain, cylinders: Iterable[int]) -> Pattern:
    """Name a set of cylinders: one, companions, neighbours, (part of) a bank, several, none."""
    found = tuple(sorted(set(cylinders)))
    if not found:
        return NO_MISFIRE
    if len(found) == 1:
        return Pattern(PatternKind.ONE, f"cylinder {found[0]}")
    banks = {bank_of(powertrain, n) for n in found}
    named = " and ".join(map(str, found))
    if len(found) == 2 and powertrain.cylinders > 2:
        if companion(powertrain, found[0]) == found[1]:
            return Pattern(PatternKind.COMPANIONS, f"companions {named}, half a cycle apart")
        if found[1] in neighbours(powertrain, found[0]):
            return Pattern(PatternKind.NEIGHBOURS, f"neighbours {named}")
    if powertrain.banks == 2 and len(banks) == 1:
        bank = banks.pop()
        whole = found == tuple(sorted(bank_members(powertrain, bank)))
        return Pattern(PatternKind.BANK, f"{'the whole of' if whole else 'several cylinders of'} bank {bank}")
    if len(found) == powertrain.cylinders:
        return Pattern(PatternKind.SEVERAL, "all cylinders")
    return Pattern(PatternKind.SEVERAL, f"cylinders {', '.join(map(str, found[:-1]))} and {found[-1]}")
