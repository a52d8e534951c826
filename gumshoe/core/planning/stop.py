"""When there is enough to name the fault, and whether that would be a verdict or a guess."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from gumshoe.core.knowledge.rows import FaultRow
from gumshoe.core.planning.next_test import ACT_ON
from gumshoe.core.suspects.posterior import Assessment, Suspect
from gumshoe.core.words import share

ENOUGH = ACT_ON
LEAST_ALONE = 0.3
"""Below this nobody is named, whatever stands with it."""
LEADS = 0.5
"""From here on one suspect leads: what would show it is worth more than what tells the others apart."""


class Standing(StrEnum):
    """How far the case against a suspect has come."""

    PROVEN = "shown by a direct test"
    LIKELY = "likely, no direct test yet"
    OPEN = "open"


@dataclass(frozen=True)
class StandingOf:
    """The standing of one suspect, in words that go on the screen and in the report."""

    standing: Standing
    words: str

    @property
    def guess(self) -> bool:
        """A verdict without a direct test is a guess and is labelled so."""
        return self.standing is not Standing.PROVEN


def standing(assessment: Assessment, name: str) -> StandingOf:
    """Judge a verdict on this suspect: probability high enough *and* at least one direct test behind it."""
    suspect = assessment.suspect(name)
    if suspect is None:
        return StandingOf(Standing.OPEN, "Not among the suspects: nothing on record supports it.")
    shown = share(suspect.probability)
    enough = likely_enough(assessment, suspect)
    if suspect.proven_by and enough:
        rest = "" if suspect.probability >= ENOUGH else "; what else it may be is in the same place and mended with it"
        return StandingOf(Standing.PROVEN, f"{shown.capitalize()}, shown by: {_shown(suspect)}{rest}.")
    if suspect.proven_by:
        return StandingOf(
            Standing.LIKELY, f"Seen in a test ({_shown(suspect)}), but other evidence leaves it at {shown}: a guess."
        )
    if enough:
        return StandingOf(Standing.LIKELY, f"{shown.capitalize()}, but no test shows it directly: a guess.")
    return StandingOf(Standing.OPEN, f"{shown.capitalize()} only, and no test shows it directly: a guess.")


def likely_enough(assessment: Assessment, suspect: Suspect) -> bool:
    """Whether a suspect is likely enough to act on: itself, or together with what the same work puts right.

    That is what asks for the same repair, and of the same component what the same test shows with it: whether a
    terminal is loose or open is seen when it is mended.
    """
    if suspect.probability >= ENOUGH or suspect.probability < LEAST_ALONE:
        return suspect.probability >= ENOUGH
    model, weights = assessment.model, assessment.weights
    if model is None or weights is None:
        return False
    shown = {clue.id for clue in suspect.proven_by}
    repairs, own = model.knowledge.repairs, suspect.row

    def same_work(row: FaultRow) -> bool:
        wiring = repairs[row.repair].wiring and repairs[own.repair].wiring
        return row.repair == own.repair or (row.component == own.component and wiring)

    same = {
        item.id
        for item in assessment.suspects
        if same_work(item.row) or (item.row.component == own.component and shown & {clue.id for clue in item.proven_by})
    }
    places = [place for place, name in enumerate(model.faults) if name in same]
    return float(weights[np.isin(model.sets, places).any(axis=1)].sum()) >= ENOUGH


def _shown(suspect: Suspect) -> str:
    return "; ".join(clue.words for clue in suspect.proven_by)
