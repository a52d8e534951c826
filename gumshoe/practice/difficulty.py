"""How hard an exercise is, worked out from what the reasoning makes of the first scan and how long its line is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from gumshoe.core.judgement import Judged
from gumshoe.core.planning.next_test import entropy_bits
from gumshoe.practice.trainee import Mark, Truth

WEIGHTS = {"open_bits": 0.45, "tests": 0.30, "runner_up": 1.2, "misleading": 0.8, "faults": 1.0}
"""What a point is made of: from memory of what makes cars hard, and kept because it orders the courses by what a worker
without tests pays for them (``benchmarks/practice.py``)."""
FROM = (2.3, 2.9, 3.9, 4.8)
"""From so many points on it is the next level: about a tenth, a fifth, a third and a quarter of the courses' exercises
lie between them, and the rest above."""
WORDS = ("easy", "fair", "middling", "hard", "very hard")


@dataclass(frozen=True)
class Difficulty:
    """``open_bits``: entropy of the needed repair after the scan; ``tests``: of the best line; ``runner_up``: the
    likeliest wrong repair against the right one (0 to 1: as likely or more); ``misleading``: share of the codes that
    are not about a part of the fault; ``faults``: how many there are; ``named``: how likely the right repair (of two
    faults the less likely) was said to be at once."""

    open_bits: float
    tests: int
    runner_up: float
    misleading: float
    faults: int
    named: float = 0.0

    @property
    def points(self) -> float:
        """All of it in one figure."""
        return (
            WEIGHTS["open_bits"] * self.open_bits
            + WEIGHTS["tests"] * self.tests
            + WEIGHTS["runner_up"] * self.runner_up
            + WEIGHTS["misleading"] * self.misleading
            + WEIGHTS["faults"] * max(self.faults - 1, 0)
        )

    @property
    def level(self) -> int:
        """1 to 5."""
        return 1 + sum(self.points >= least for least in FROM)

    @property
    def words(self) -> str:
        return WORDS[self.level - 1]


def difficulty_of(judged: Judged, truth: Truth, codes: Sequence[str], best: Sequence[Mark]) -> Difficulty:
    """Of a car as its first scan shows it, with the best line of work on it."""
    chance: dict[str, float] = {}
    for item in judged.assessment.suspects:
        chance[item.row.repair] = chance.get(item.row.repair, 0.0) + item.probability
    right: frozenset[str] = frozenset().union(*truth) if truth else frozenset()
    known = judged.grounds.knowledge
    wrong = max((p for name, p in chance.items() if name not in right), default=0.0)
    true = max((p for name, p in chance.items() if name in right), default=0.0)
    each = [max((chance.get(name, 0.0) for name in ways), default=0.0) for ways in truth]
    runner_up = wrong / max(wrong, true) if truth and wrong > 0.0 else (0.0 if truth else wrong)
    about = {known.repairs[name].component for name in right if name in known.repairs}
    rows = [known.codes[code] for code in codes if code in known.codes]
    misleading = sum(row.component not in about for row in rows) / len(rows) if rows else 0.0
    shares = np.array([*chance.values(), judged.assessment.nothing], dtype=np.float64)
    total = float(shares.sum())
    bits = float(entropy_bits(shares / total)) if total > 0.0 else 0.0
    tests = sum(mark.kind == "test" for mark in best)
    named = min(each) if each else judged.assessment.nothing
    return Difficulty(
        round(bits, 3), tests, round(runner_up, 3), round(misleading, 3), len(truth), round(min(named, 1.0), 3)
    )
