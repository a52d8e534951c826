"""Which cylinders misfire, as a set: how often a fault brings about each set of them.

A set is a bit mask: bit n stands for cylinder n, bit 0 for a misfire that wanders over the cylinders. A *law* gives the
chance of each set. What several faults bring about together is the union of what each brings about by itself.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from enum import StrEnum
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.powertrain.positions import bank_members

Law = Mapping[int, float]
WANDERS = 1
WHOLE_BANK = 0.55
"""Of what touches a bank, how often all of it misfires, or is counted; else some of its cylinders (common practice)."""


class Spread(StrEnum):
    """How a misfire lies over the cylinders, as the tables say it. ``CYLINDER``, ``PAIR`` and ``BANK`` are the
    suspect's own where it has one, else any; ``SOME``: two or more of them, always the same ones."""

    NONE = "none"
    RANDOM = "random"
    CYLINDER = "cylinder"
    PAIR = "pair"
    BANK = "bank"
    SOME = "some"
    ALL = "all"


class Lack(StrEnum):
    """What a cylinder is found to be without. ``POWER``: it adds nothing, whatever it is that it wants."""

    POWER = "power"
    SPARK = "spark"
    INJECTION = "injection"
    COMPRESSION = "compression"


def mask_of(cylinders: Iterable[int]) -> int:
    """The set of these cylinders."""
    return sum(1 << n for n in set(cylinders))


def law_of(
    shares: Mapping[str, float], powertrain: Powertrain, own: Iterable[int] = (), bank: int = 0
) -> dict[int, float]:
    """A law from shares by ``Spread``. ``own``: the suspect's cylinders; ``bank``: its bank, 0 where it has none.

    Raises ValueError for a share that is no Spread.
    """
    mine, everyone = tuple(own), range(1, powertrain.cylinders + 1)
    found: dict[int, float] = {}

    def add(sets: Iterable[Iterable[int]], share: float) -> None:
        masks = [mask_of(item) for item in sets]
        for mask in masks:
            found[mask] = found.get(mask, 0.0) + share / len(masks)

    for name, share in shares.items():
        spread = Spread(name)
        if spread is Spread.NONE or share <= 0.0:
            found[0] = found.get(0, 0.0) + share
        elif spread is Spread.RANDOM:
            found[WANDERS] = found.get(WANDERS, 0.0) + share
        elif spread is Spread.CYLINDER:
            add([[n] for n in mine or (bank_members(powertrain, bank) if bank else everyone)], share)
        elif spread is Spread.PAIR:
            add([mine] if len(mine) == 2 else list(combinations(everyone, 2)) or [everyone], share)
        elif spread is Spread.ALL:
            add([everyone], share)
        elif spread is Spread.SOME:
            add(some_of(everyone), share)
        else:
            for number in (bank,) if bank else range(1, powertrain.banks + 1):
                of_bank = share if bank else share / powertrain.banks
                members = bank_members(powertrain, number)
                add([members], of_bank * WHOLE_BANK)
                add(some_of(members), of_bank * (1.0 - WHOLE_BANK))
    return found


def some_of(cylinders: Iterable[int]) -> list[tuple[int, ...]]:
    """Every set of two or more of these, but not all; all of them where there are no more than two."""
    row = tuple(cylinders)
    return [item for size in range(2, len(row)) for item in combinations(row, size)] or [row]


def spared(law: Law, cylinders: int) -> NDArray[np.float64]:
    """P(none of T misfires) for every set T: array (2^(cylinders + 1),). Of a union of laws it is their product."""
    size = cylinders + 1
    inside = np.zeros(1 << size)
    for mask, share in law.items():
        inside[mask] += share
    over_subsets(inside, size, 1.0)
    return inside[::-1]  # the sets that lie within the complement of T


def over_subsets(values: NDArray[np.float64], size: int, sign: float) -> None:
    """In place: every entry becomes the sum over the subsets of its set (``sign`` −1: the inverse of that)."""
    for bit in range(size):
        halves = values.reshape(-1, 2, 1 << bit)
        halves[:, 1, :] += sign * halves[:, 0, :]
