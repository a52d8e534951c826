"""How likely what was seen of a misfire is, for every set of faults: each member misfires by its own law, and what
misfires is the union of it all.

With g(M) = P(seen | M), P(seen | S) = Σ over T of h(T)·Π P(fault spares T) over S: M misses T just when every member
does, and h is the Möbius inverse of g over the complements (Stanley, Enumerative Combinatorics I, 3.7). So no union is
ever enumerated.
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache

import numpy as np

from gumshoe.core.clues.misfire_seen import Floats, MisfireSeen, chances
from gumshoe.core.powertrain.misfires import Law, over_subsets, spared

LEAST = 1e-9
"""No sight is less likely than this: what rounding leaves is no evidence."""
AT_ONCE = 4_000_000
"""So many numbers are worked on at a time."""


@lru_cache(maxsize=1024)
def _spared(law: tuple[tuple[int, float], ...], cylinders: int) -> Floats:
    """The same as ``spared``; kept, since every case of an engine asks for it."""
    return spared(dict(law), cylinders)


def log_seen(seen: MisfireSeen, otherwise: Law, laws: Iterable[Law | None], sets: np.ndarray) -> Floats:
    """log P(seen | S), up to a constant, for every set: array (sets,).

    ``otherwise``: the law of what no suspect explains, at work in every set; ``laws``: by suspect, None for one that
    makes nothing misfire; ``sets``: members by row, filled up with the number of suspects.
    """
    n = seen.cylinders
    by_complement = chances(seen)[::-1].copy()
    over_subsets(by_complement, n + 1, -1.0)
    weight = by_complement * spared(otherwise, n)
    rows, place = [np.ones(1 << (n + 1))], []
    known: dict[tuple[tuple[int, float], ...], int] = {}
    for law in laws:
        key = tuple(sorted(law.items())) if law else ()
        if key and key not in known:
            known[key] = len(rows)
            rows.append(_spared(key, n))
        place.append(known[key] if key else 0)
    table = np.array(rows)
    alike = np.sort(np.array([*place, 0])[sets], axis=1)
    base = len(table) ** np.arange(alike.shape[1])
    _, first, back = np.unique(alike @ base, return_index=True, return_inverse=True)
    different = alike[first]
    found = np.empty(len(different))
    step = max(1, AT_ONCE // table.shape[1])
    for begin in range(0, len(different), step):
        part = different[begin : begin + step]
        product = table[part[:, 0]] * weight
        for column in part.T[1:]:
            product *= table[column]
        found[begin : begin + step] = product.sum(axis=1)
    result: Floats = np.log(np.maximum(found, LEAST))[back.reshape(-1)]
    return result
