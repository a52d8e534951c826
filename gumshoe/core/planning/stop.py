"""When there is enough to name the fault, and whether that would be a verdict or a guess."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from gumshoe.core.planning.next_test import ACT_ON
from gumshoe.core.suspects.posterior import Assessment, Suspect
from gumshoe.core.words import share

ENOUGH = ACT_ON
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
    if suspect.proven_by and suspect.probability >= ENOUGH:
        return StandingOf(Standing.PROVEN, f"{shown.capitalize()}, shown by: {_shown(suspect)}.")
    if suspect.proven_by:
        return StandingOf(
            Standing.LIKELY, f"Seen in a test ({_shown(suspect)}), but other evidence leaves it at {shown}: a guess."
        )
    if suspect.probability >= ENOUGH:
        return StandingOf(Standing.LIKELY, f"{shown.capitalize()}, but no test shows it directly: a guess.")
    return StandingOf(Standing.OPEN, f"{shown.capitalize()} only, and no test shows it directly: a guess.")


def _shown(suspect: Suspect) -> str:
    return "; ".join(clue.words for clue in suspect.proven_by)
