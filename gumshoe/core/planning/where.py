"""Where a test is made on this car, as its suspects stand: which cylinder is swapped with which, what is wiggled."""

from __future__ import annotations

from collections.abc import Iterable

from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.rows import TestRow
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.powertrain.positions import bank_of, companion
from gumshoe.core.suspects.posterior import Assessment

PLACES = 5
WORTH_TOUCHING = 0.02
"""Suspects less likely than this name no place."""


STANDING = ("engine off", "key on, engine off")


def wants_standing(test: TestRow) -> bool:
    """Whether a test is made with the engine off, all of it."""
    return "running" not in test.needs and any(need in STANDING for need in test.needs)


def where(test: TestRow, knowledge: Knowledge, assessment: Assessment, misfiring: Iterable[int]) -> str:
    """Where to make the test, in a sentence; empty where its steps say it already."""
    bad = sorted(set(misfiring))
    if "misfire" in test.once and test.swaps:
        if len(bad) == 1 and (good := swap_with(knowledge.powertrain, bad)):
            return f"Cylinder {bad[0]} misfires: swap with cylinder {good}, which does not."
        return "Which cylinder misfires is not clear yet: look at the misfire counters first."
    if "misfire" in test.once and bad:
        return f"At cylinder {' and '.join(map(str, bad))}; a good one beside it for comparison."
    if test.id in ("wiggle", "provoke"):
        names = dict.fromkeys(
            knowledge.components[row.row.component].words
            for row in assessment.suspects
            if row.probability >= WORTH_TOUCHING and row.row.component in knowledge.components
        )
        if names:
            return f"Begin at: {', '.join(list(names)[:PLACES])}: plug, then along its harness."
    return ""


def swap_with(powertrain: Powertrain, misfiring: Iterable[int]) -> int | None:
    """A good cylinder to swap with: of the same bank where there is one, and not the one that fires with it."""
    bad = set(misfiring)
    first = min(bad)
    good = [n for n in range(1, powertrain.cylinders + 1) if n not in bad]
    pair = companion(powertrain, first)

    def rank(n: int) -> tuple[bool, bool, int, int]:
        return bank_of(powertrain, n) != bank_of(powertrain, first), n == pair, abs(n - first), n

    return min(good, key=rank, default=None)
