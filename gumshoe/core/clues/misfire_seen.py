"""What was seen of a misfire, and how likely every set of misfiring cylinders makes it.

Sets are masks as in ``powertrain/misfires.py``: bit n for cylinder n, bit 0 for a misfire that wanders. All chances
here are common practice, no source; counters follow a Dirichlet-multinomial law (Mosimann, Biometrika 49, 1962), which
allows for a cylinder that misfires now and then only, and for counts booked on the next cylinder to fire.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from math import lgamma, log

import numpy as np
from numpy.typing import NDArray

from gumshoe.core.powertrain.misfires import Lack, Law

Floats = NDArray[np.float64]
NAMED_ALONE, NAMED_OF_SEVERAL, NAMED_WANDERING = 0.88, 0.72, 0.28
"""How often a misfiring cylinder has its code: the only one, one of several, one hit by a wandering misfire."""
NAMED_WRONGLY = 0.012
SEVERAL_OF_ONE, SEVERAL_OF_SOME, SEVERAL_OF_ALL, SEVERAL_WANDERING = 0.22, 0.70, 0.88, 0.93
"""How often P0300 is there: one cylinder, several, all, a wandering misfire."""
OF_NONE, SEVERAL_OF_NONE, NAMED_OF_NONE = 0.002, 0.5, 0.15
"""How often a misfire code is there though nothing misfires, nor looks like it, and of those which: P0300, one of a
cylinder. What looks like it to the counting (rough roads, a reference that was not learnt) misfires here, and has its
share among what nobody stands for."""
UNSET = 0.12
"""How often a misfire sets no code at all though its monitor has run: too rare, or not in this drive cycle."""
DEAD, BLEEDS, FOLLOWS, WANDERING, EVEN = 0.8, 0.05, 0.10, 2.5, 2.0
"""Dirichlet weights of the counts: of a misfiring cylinder, of a sound one, more for the next in the firing order of a
misfiring one, of every cylinder under a wandering misfire, of every one where nothing misfires."""
FEW = 25.0
"""Counts of a drive cycle on a sound engine: ten as often as not, a hundred in one of twenty-five, five hundred in one
of five hundred."""
BY_HAND_WRONG, BY_HAND_WANDERING = 0.015, 0.25
BY_HAND = {Lack.POWER: 0.95, Lack.SPARK: 0.85, Lack.INJECTION: 0.94, Lack.COMPRESSION: 0.92}
"""How often a cylinder is found without something by hand: that misfires for the want of it (a coil may spark in the
tester and not under pressure), above: that does not, under a wandering misfire."""
RECORDED, RECORDED_WRONG, RECORDED_WANDERING = 0.80, 0.02, 0.45
CODES_BESIDE_COUNTS = 0.5
"""Codes and counters come from the same counting: beside the counts, which codes there are counts so much. That there
is one at all counts in full: it is the control unit's own word that there were enough."""


@dataclass(frozen=True)
class MisfireSeen:
    """What one scan, one recording or one hand test shows. None of a field: nothing is known of it.

    ``counts``: by cylinder, from cylinder 1; ``named``: cylinders that codes name, ``several``: P0300 among them,
    ``unnamed``: a misfire code that names none (P0314, P0316); ``by_hand``: cylinders found without what ``lacks``
    says; ``recorded``: cylinders counted in a recording.
    """

    cylinders: int
    firing_order: tuple[int, ...]
    counts: tuple[int, ...] | None = None
    named: tuple[int, ...] | None = None
    several: bool = False
    unnamed: bool = False
    by_hand: tuple[int, ...] | None = None
    lacks: Lack = Lack.POWER
    recorded: tuple[int, ...] | None = None


@lru_cache(maxsize=64)
def chances(seen: MisfireSeen) -> Floats:
    """P(what was seen | M), up to a factor, for every set M: array (2^(cylinders + 1),)."""
    members = _members(seen.cylinders)
    told = np.zeros(len(members))
    if seen.named is not None:
        any_code, which = _of_codes(members, seen.named, seen.several, seen.unnamed)
        told += any_code + (CODES_BESIDE_COUNTS if seen.counts else 1.0) * which
    if seen.counts:
        told += _of_counts(members, seen.counts, seen.firing_order)
    if seen.by_hand is not None:
        told += _found(members, seen.by_hand, BY_HAND[seen.lacks], BY_HAND_WRONG, BY_HAND_WANDERING)
    if seen.recorded is not None:
        told += _found(members, seen.recorded, RECORDED, RECORDED_WRONG, RECORDED_WANDERING)
    found: Floats = np.exp(told - told.max())
    return found


def chance_of(seen: MisfireSeen, law: Law) -> float:
    """P(what was seen) of a law of misfiring sets, up to the factor of ``chances``. An empty law: nothing misfires."""
    found = chances(seen)
    return float(sum(share * found[mask] for mask, share in law.items())) if law else float(found[0])


def _members(cylinders: int) -> NDArray[np.bool_]:
    """Which sets hold what: array (sets, cylinders + 1), the first column for wandering."""
    masks = np.arange(1 << (cylinders + 1))
    held: NDArray[np.bool_] = (masks[:, None] >> np.arange(cylinders + 1)) & 1 == 1
    return held


def _found(members: NDArray[np.bool_], found: Iterable[int], right: float, wrong: float, wandering: float) -> Floats:
    """log P(exactly these are found | M), each cylinder by itself."""
    chance = np.where(members[:, 1:], right, np.where(members[:, :1], wandering, wrong))
    hit = _columns(members, found)
    told: Floats = np.where(hit, np.log(chance), np.log1p(-chance)).sum(axis=1)
    return told


def _columns(members: NDArray[np.bool_], cylinders: Iterable[int]) -> NDArray[np.bool_]:
    held = np.zeros(members.shape[1] - 1, dtype=bool)
    held[[n - 1 for n in cylinders if n <= len(held)]] = True
    return held


def _of_codes(
    members: NDArray[np.bool_], named: tuple[int, ...], several: bool, unnamed: bool
) -> tuple[Floats, Floats]:
    """log P(there is a misfire code, or none | M), and log P(these, and no other | M, there is one); the second is 0
    where there is none, or only one that names nobody."""
    wanders, dead = members[:, 0], members[:, 1:]
    size = dead.sum(axis=1)
    quiet = (size == 0) & ~wanders
    own = np.where((size == 1) & ~wanders, NAMED_ALONE, NAMED_OF_SEVERAL)[:, None]
    other = np.select([quiet, wanders], [NAMED_OF_NONE, NAMED_WANDERING], NAMED_WRONGLY)[:, None]
    chance = np.where(dead, own, other)
    at_once = np.select(
        [quiet, wanders, size == 1, size < dead.shape[1]],
        [SEVERAL_OF_NONE, SEVERAL_WANDERING, SEVERAL_OF_ONE, SEVERAL_OF_SOME],
        SEVERAL_OF_ALL,
    )
    by_chance = np.log1p(-at_once) + np.log1p(-chance).sum(axis=1)  # it misfires, and no code came of it
    silent = np.where(quiet, np.log1p(-OF_NONE), np.logaddexp(np.log(UNSET), np.log1p(-UNSET) + by_chance))
    if not (named or several or unnamed):
        return silent, np.zeros(len(members))
    there: Floats = np.log(-np.expm1(silent))
    if not (named or several):
        return there, np.zeros(len(members))
    hit = _columns(members, named)
    told = np.where(hit, np.log(chance), np.log1p(-chance)).sum(axis=1) + np.log(at_once if several else 1.0 - at_once)
    return there, told - np.log(-np.expm1(by_chance))


def _of_counts(members: NDArray[np.bool_], counts: tuple[int, ...], order: tuple[int, ...]) -> Floats:
    """log P(counts | M): how many there are, and how they lie over the cylinders."""
    wanders, dead = members[:, :1], members[:, 1:]
    after = {n: order[(place + 1) % len(order)] for place, n in enumerate(order)}
    follows = np.zeros(dead.shape)
    for n, follower in after.items():
        follows[:, follower - 1] += FOLLOWS * dead[:, n - 1]
    quiet = ~members.any(axis=1)
    alpha = np.where(dead, DEAD, BLEEDS + follows) + np.where(wanders, WANDERING, 0.0)
    alpha[quiet] = EVEN
    total = sum(counts)
    told = _log_gamma(alpha.sum(axis=1)) - _log_gamma(alpha.sum(axis=1) + total)
    told += sum(_log_gamma(alpha[:, i] + count) - _log_gamma(alpha[:, i]) for i, count in enumerate(counts))
    # a misfiring engine counts anything from a few to ten thousand, evenly over its decades; a sound one a few
    some, few = 1.0 / ((total + 5.0) * log(2000.0)), 2.0 * FEW**2 / (total + FEW) ** 3
    found: Floats = told + np.where(quiet, log(few), log(some))
    return found


def _log_gamma(values: Floats) -> Floats:
    """log Γ, element by element; few different values occur."""
    different, place = np.unique(values, return_inverse=True)
    found: Floats = np.array([lgamma(value) for value in different])[place.reshape(values.shape)]
    return found
