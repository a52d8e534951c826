"""The clue that condemned the part, measured again after the repair.

Which clues condemned it is settled when the verdict is given; afterwards the newest record of the same test, or of the
same graded clue, must no longer be what the fault makes likely. What was only seen (a split hose) is not asked for
again: it is gone with the part.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from gumshoe.core.clues import Clue, ClueKind
from gumshoe.core.clues.misfire_seen import chance_of
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.proof.tracker import Condition
from gumshoe.core.suspects.posterior import Suspect

MOST = 3
"""So many clues are asked for again at most."""


@dataclass(frozen=True)
class Condemning:
    """A measured clue behind a verdict: what kind, of what, which value it had, and what would be asked for again."""

    kind: ClueKind
    variable: str
    value: str
    words: str


def condemning(knowledge: Knowledge, suspect: Suspect) -> tuple[Condemning, ...]:
    """The measured clues that condemn a suspect: those that show it directly first, then those that support it most."""
    direct = [clue for clue in suspect.proven_by if _measured(knowledge, clue)]
    strong = [entry.clue for entry in suspect.support if entry.strong and _measured(knowledge, entry.clue)]
    chosen: dict[tuple[str, str], Clue] = {}
    for clue in (*direct, *strong):
        chosen.setdefault((clue.kind.value, clue.variable), clue)
    return tuple(Condemning(clue.kind, clue.variable, clue.value, clue.words) for clue in list(chosen.values())[:MOST])


def _measured(knowledge: Knowledge, clue: Clue) -> bool:
    """Whether the clue came from a number rather than from looking."""
    if clue.kind is ClueKind.GRADED:
        return clue.variable in knowledge.variables
    if clue.kind is not ClueKind.TEST:
        return False
    test = knowledge.tests.get(clue.variable)
    return test is not None and any(item.kind == "number" for item in test.readings)


def measured_again(
    knowledge: Knowledge, suspect: str, wanted: Iterable[Condemning], later: Iterable[Clue]
) -> tuple[Condition, ...]:
    """One condition for each condemning clue. ``later``: the clues recorded since the repair, oldest first."""
    newest: dict[tuple[str, str], Clue] = {(clue.kind.value, clue.variable): clue for clue in later}
    rows = []
    for item in wanted:
        words = f"Measured again after the repair: {_asked(knowledge, item)} (was: {item.words})"
        clue = newest.get((item.kind.value, item.variable))
        if clue is None:
            rows.append(Condition(words, False, "not measured yet", 0.0, signal=True))
            continue
        good = not _speaks_for(knowledge, suspect, clue)
        shown = clue.words + ("" if good else ": still what the fault does")
        rows.append(Condition(words, good, shown, 1.0 if good else 0.0, signal=True))
    return tuple(rows)


def _asked(knowledge: Knowledge, item: Condemning) -> str:
    if item.kind is ClueKind.TEST:
        return knowledge.tests[item.variable].words if item.variable in knowledge.tests else item.variable
    return knowledge.variables[item.variable].name if item.variable in knowledge.variables else item.variable


def _speaks_for(knowledge: Knowledge, suspect: str, clue: Clue) -> bool:
    """Whether the fault makes the clue's value likelier than a good car does."""
    fault = knowledge.faults.get(suspect)
    if clue.kind is ClueKind.TEST:
        test = knowledge.tests.get(clue.variable)
        with_fault: Mapping[str, float] = test.given.get(suspect, test.otherwise) if test else {}
        without: Mapping[str, float] = test.otherwise if test else {}
    elif clue.seen is not None:
        law = fault.misfire if fault else {}
        return chance_of(clue.seen, law) > chance_of(clue.seen, knowledge.misfires_unclaimed)
    else:
        variable = knowledge.variables.get(clue.variable)
        without = variable.normal if variable else {}
        with_fault = fault.graded.get(clue.variable, without) if fault else without
    return with_fault.get(clue.value, 0.0) > without.get(clue.value, 0.0)
