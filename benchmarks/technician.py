"""A technician without any order, to be compared with (``gumshoe/practice/trainee.py`` has the others)."""

from __future__ import annotations

import random
from collections.abc import Callable

from gumshoe.practice.trainee import MOST_STEPS, Technician


def in_random_order(seed: str) -> Callable[[Technician], None]:
    """Repairs of suspects that the first code names, in any order."""

    def work(man: Technician) -> None:
        engine = man.seen.engine
        present = {item.code for item in engine.codes} if engine else set()
        names = sorted(
            {
                fault.repair
                for fault in man.known.faults.values()
                if present & set(fault.codes) or (fault.misfires and any(c.startswith("P03") for c in present))
            }
        )
        random.Random(seed).shuffle(names)
        for name in names[:MOST_STEPS]:
            if man.repair(name):
                return

    return work
