"""How much the enumeration left out: counted where it can be counted, bounded elsewhere. Worked out when asked for.

Sets of up to two are enumerated over the likeliest suspects, and threes that hold a likely pair. All other threes of
these suspects are weighed here one by one. What lies beyond them is bounded. Suspects that no clue speaks about
multiply every set by the same factor, so leaving them out changes nothing. For the rest, with a set S that was
enumerated and further suspects K, P(clue | S ∪ K) / P(clue | S) ≤ Π over K of P(clue | S ∪ {k}) / P(clue | S): for a
noisy-or because it is log-submodular, (1 − m·q·r)(1 − m) ≤ (1 − m·q)(1 − m·r) for m, q, r in [0, 1]; for a graded clue
or a test because the members' tables are averaged, when every factor is taken as one at least; of a misfire no set does
better than to make surely what was seen; absent codes factorise exactly.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gumshoe.core.clues.model import ClueKind
from gumshoe.core.suspects.likelihood import Floats, Ints, LikelihoodModel, fault_sets
from gumshoe.core.suspects.weighing import Shares

SPOKEN_OF = 1e-9
PRESENT = (ClueKind.CODE, ClueKind.SYMPTOM)


@dataclass(frozen=True)
class LeftOut:
    """Shares of the posterior: ``threes`` counted, ``beyond`` at most."""

    threes: float
    beyond: float

    @property
    def share(self) -> float:
        """Everything together, at most."""
        return min(self.threes + self.beyond, 1.0)


def left_out(enumerated: LikelihoodModel, prior: Floats, alone: Shares, odds: Floats) -> LeftOut:
    """What an enumeration left out.

    ``prior``: π of its suspects; ``alone``: the clues over single suspects of everybody; ``odds``: log prior odds of
    everybody.
    """
    clues, count = alone.clues, len(enumerated.faults)
    wide = LikelihoodModel(enumerated.knowledge, enumerated.faults, fault_sets(count))
    everything = wide.log_prior(prior) + Shares(wide, clues).total
    shares = Shares(enumerated, clues)
    kept = enumerated.log_prior(prior) + shares.total
    top = float(max(everything.max(), kept.max()))
    whole, known = float(np.exp(everything - top).sum()), np.exp(kept - top)
    size = (enumerated.sets < count).sum(axis=1)
    small = np.flatnonzero(size <= 2)
    beyond = _beyond(enumerated, small, size, known[small], alone, odds)
    total = float(known.sum())
    return LeftOut(max(whole - total, 0.0) / whole, beyond / total)


def _beyond(wide: LikelihoodModel, small: Ints, size: Ints, weight: Floats, alone: Shares, odds: Floats) -> float:
    """Bound on the weight of the sets with a member that was not enumerated, in the unit of ``weight``."""
    names = alone.model.faults
    inside = frozenset(wide.faults)
    spoken = np.zeros(len(names), dtype=bool)
    for _, values in alone.telling:
        spoken |= np.abs(values[1:] - values[0]) > SPOKEN_OF
    outside = np.flatnonzero(spoken & np.array([name not in inside for name in names]))
    if not len(outside):
        return 0.0
    silence = alone.model.absence(alone.absent, alone.counting)
    log_gain = np.tile(odds[outside] + silence[1:][outside] - silence[0], (len(small), 1))
    for clue, _ in alone.telling:
        # Within a family one member counts in full and the others less: every one in full is more than that.
        own = clue.weight * alone.model.log_likelihood(clue)
        with_it, without = own[1:][outside], own[0]
        given = clue.weight * wide.log_likelihood(clue)[small]
        claims = np.abs(with_it - without) > SPOKEN_OF
        if clue.kind in PRESENT and clue.weight > 0.0:
            log_gain[:, claims] += _noisy_or_gain(given, with_it[claims], without, clue.weight)
        elif clue.seen is not None:
            # what misfires is a union: the best that any faults could do is to make surely what was seen
            log_gain[:, claims] += np.maximum(-given, 0.0)[:, None]
        else:
            log_gain[:, claims] += np.maximum(with_it[claims][None, :] - given[:, None], 0.0)
    gain = np.exp(log_gain)
    one = gain.sum(axis=1)
    two = np.maximum((one**2 - (gain**2).sum(axis=1)) / 2.0, 0.0)
    members = size[small]
    added = np.where(members <= 2, one, 0.0) + np.where(members <= 1, two, 0.0)
    added += np.where(members == 0, one * two / 3.0, 0.0)  # e3 ≤ e1·e2 / 3
    return float(weight @ added)


def _noisy_or_gain(given: Floats, with_it: Floats, without: float, weight: float) -> Floats:
    """log of how much likelier a present code gets with one more suspect, for each set (rows) and suspect (columns)."""
    absent_given = -np.expm1(given / weight)
    stays_silent = np.expm1(with_it / weight) / np.expm1(without / weight)  # what this suspect leaves of the silence
    gained = -np.expm1(np.log(np.maximum(absent_given[:, None] * stays_silent[None, :], 1e-300)))
    result: Floats = weight * (np.log(gained) - given[:, None] / weight)
    return np.maximum(result, 0.0)
