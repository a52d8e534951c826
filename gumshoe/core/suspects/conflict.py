"""Tests that contradict each other, and which of them, if it was misread, makes the rest fit.

A test fits the others when they make what it showed no less likely than it was without them; findings that one set of
faults explains make each other likelier. What becomes much less likely contradicts them: the conflict of findings of
Jensen, Chamberlain, Nordahl & Jensen (*Analysis in HUGIN of data conflict*, 1991), one finding against the others.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from gumshoe.core.clues.model import Clue, ClueKind
from gumshoe.core.suspects.likelihood import Floats
from gumshoe.core.suspects.posterior import RATHER, Assessment, Suspect

CONFLICT = math.log(4.0)
"""A finding that the other tests make less likely by this factor contradicts them (common practice)."""
RARE = 0.20
"""… where it is then no likelier than this."""
CONFIRMED = 2
"""A test made so often with the same result is not doubted any more."""


@dataclass(frozen=True)
class Conflict:
    """A finding that does not fit the other tests: how likely it was without them, and how likely it is with them."""

    odd: Clue
    others: tuple[Clue, ...]
    before: float
    now: float

    @property
    def words(self) -> str:
        """What is said on the page."""
        rest = "; ".join(f"“{clue.words}”" for clue in self.others)
        return (
            f"“{self.odd.words}” does not fit the other tests ({rest}). If it was misread, they fit: make it again "
            "before anything is renewed."
        )


def conflict_in(assessment: Assessment, made: Iterable[str] = ()) -> Conflict | None:
    """The finding that contradicts the other tests most; None where they fit. ``made``: every test made, as often as it
    was: one that was confirmed is not the odd one."""
    model, weights = assessment.model, assessment.weights
    tests = [
        item for item in assessment.clues if item.kind is ClueKind.TEST and not item.doubtful and item.weight > 0.0
    ]
    if model is None or weights is None or len(tests) < 2:
        return None
    said = [clue.weight * model.log_likelihood(clue) for clue in tests]
    now = np.log(np.maximum(weights, 1e-300))
    before = now - sum(said)
    before -= _log_sum(before)
    often, found = Counter(made), list[tuple[float, int, float, float]]()
    for index, values in enumerate(said):
        rest = now - values
        alone, given_rest = _log_sum(before + values), _log_sum(now) - _log_sum(rest)
        if often[tests[index].variable] < CONFIRMED and given_rest < math.log(RARE):
            found.append((alone - given_rest, index, math.exp(alone), math.exp(given_rest)))
    surprise, odd, was, is_now = max(found, default=(0.0, 0, 0.0, 0.0))
    if surprise < CONFLICT:
        return None
    others = tuple(clue for index, clue in enumerate(tests) if index != odd and _speaks(said[index]))
    return Conflict(tests[odd], others, was, is_now)


def without(assessment: Assessment, clue: Clue, suspect: str) -> float:
    """How likely a suspect would be if one test had not been made; 0 for one that is not enumerated."""
    model, weights = assessment.model, assessment.weights
    if model is None or weights is None or suspect not in model.faults:
        return 0.0
    rest = np.log(np.maximum(weights, 1e-300)) - clue.weight * model.log_likelihood(clue)
    holds = (model.sets == model.faults.index(suspect)).any(axis=1)
    return math.exp(_log_sum(rest[holds]) - _log_sum(rest))


def rests_on(
    assessment: Assessment, suspect: Suspect, made: Iterable[tuple[str, str]] = (), enough: float = RATHER
) -> Clue | None:
    """The one finding on which the case against a suspect rests: without it he would be less likely than ``enough``.
    None where more than that speaks for it, or where it was made again and came out the same. ``made``: every test
    made and how it came out, as often as it was."""
    one = suspect.proven_by[0] if len(suspect.proven_by) == 1 else None
    if one is None or one.result is None or Counter(made)[one.result] >= CONFIRMED:
        return None
    return one if without(assessment, one, suspect.id) < enough else None


def _speaks(values: Floats) -> bool:
    return bool(np.ptp(values) > math.log(2.0))


def _log_sum(values: Floats) -> float:
    top = float(values.max())
    return top + math.log(float(np.exp(values - top).sum()))
