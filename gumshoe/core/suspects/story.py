"""The case for a suspect against the next best, in at most four sentences as a technician would say them.

Both are judged alone, as if each were the only fault: what each would bring, and what speaks for one and not the other.
"""

from __future__ import annotations

from collections.abc import Iterable

from gumshoe.core.clues.model import Clue, ClueKind, Presence
from gumshoe.core.suspects.posterior import Assessment, Suspect
from gumshoe.core.suspects.weighing import SPEAKS

MOST = 3
"""So many clues are named in one sentence."""
RIVALS = 120
"""So many of the likeliest are looked at for a rival."""
RARER = 2.0
"""From this ratio on one suspect is said to be rarer than another."""


def story(assessment: Assessment, name: str) -> tuple[str, ...]:
    """Why this suspect and not the next best one. Empty where the suspect is not known."""
    suspect = assessment.suspect(name)
    if suspect is None or assessment.alone is None:
        return ()
    rival = _rival(assessment, suspect)
    told = _alone(assessment, suspect.id)
    fits = [clue for clue, ratio in told if ratio > SPEAKS]
    sentences = [f"{_first(suspect.row.words)} fits {_listed(fits)}." if fits else _nothing(suspect)]
    odd = [clue for clue, ratio in told if ratio < -SPEAKS]
    if odd:
        sentences.append(f"It does not fit {_listed(odd)}.")
    if rival is not None:
        sentences.append(_against(assessment, suspect, rival))
    if suspect.proven_by:
        sentences.append(f"A test has shown it: {_listed(suspect.proven_by)}.")
    elif rival is not None and suspect.probability >= SURE:
        sentences.append("No test has shown it yet.")
    return tuple(sentences)


SURE = 0.5
"""From this probability on it is worth saying that no test has shown a suspect."""


def _rival(assessment: Assessment, suspect: Suspect) -> Suspect | None:
    """The best other suspect that would need another repair, is no part of the same explanation and fits one of the
    clues that speak loudest for the suspect: a fault of another kind, there at the same time, is no rival. The best of
    any kind where none does."""
    together = assessment.best if suspect.id in assessment.best else ()
    others = [
        item
        for item in assessment.suspects
        if item.id not in together and item.id != suspect.id and item.row.repair != suspect.row.repair
    ]
    loudest = set(_fits(assessment, suspect.id)[:MOST])
    rivals = (item for item in others[:RIVALS] if loudest.intersection(_fits(assessment, item.id)))
    return next(rivals, next(iter(others), None))


def _fits(assessment: Assessment, name: str) -> list[Clue]:
    """What is on record that the suspect would bring, the loudest first."""
    return [clue for clue, ratio in _alone(assessment, name) if ratio > SPEAKS and clue.value != Presence.ABSENT]


def _alone(assessment: Assessment, name: str) -> list[tuple[Clue, float]]:
    """Each clue with log P(clue | only this fault) − log P(clue | no fault), the loudest first."""
    alone = assessment.alone
    assert alone is not None
    place = alone.faults.index(name) + 1
    shares = alone.shares
    found = [
        (clue, float(values[place] - values[0]))
        for clue, values in ((clue, shares.of(index)) for index, clue in enumerate(shares.clues))
    ]
    return sorted(found, key=lambda row: -abs(row[1]))


def _against(assessment: Assessment, suspect: Suspect, rival: Suspect) -> str:
    ours, theirs = dict(_alone(assessment, suspect.id)), dict(_alone(assessment, rival.id))
    apart = sorted(((ours[clue] - theirs[clue], clue) for clue in ours), key=lambda row: -row[0])
    telling = [clue for gap, clue in apart if gap > SPEAKS]
    name = _first(rival.row.words)
    if telling:
        missing = [clue for clue in telling if clue.value == Presence.ABSENT]
        there = [clue for clue in telling if clue.value != Presence.ABSENT]
        if there:
            return f"{name} would not bring {_listed(there)} as readily."
        return f"{name} would usually bring more: {_listed(missing)}."
    ratio = suspect.prior / max(rival.prior, 1e-12)
    if ratio > RARER:
        return f"{name} would look the same so far; it is the rarer fault on such a car."
    if ratio < 1.0 / RARER:
        return f"{name} would look the same so far, and is the more common fault on such a car."
    return f"{name} would look the same so far: only a test tells the two apart."


def _nothing(suspect: Suspect) -> str:
    return f"Nothing on record points at {suspect.row.words}: it is as likely as on any such car."


def _listed(clues: Iterable[Clue]) -> str:
    rows = list(dict.fromkeys(_words(clue) for clue in clues))[:MOST]
    return rows[0] if len(rows) == 1 else f"{', '.join(rows[:-1])} and {rows[-1]}"


def _words(clue: Clue) -> str:
    words = clue.words
    if clue.kind is ClueKind.SYMPTOM:
        return f"“{words.removeprefix('Customer: ')}”"
    if clue.kind is ClueKind.CODE:
        return words.split(":")[0]
    return f"“{words}”"


def _first(words: str) -> str:
    return words[:1].upper() + words[1:]
