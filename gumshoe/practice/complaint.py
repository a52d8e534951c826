"""What the customer tells: from what was felt in the physics, in lay words, with what helps nobody and what errs."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path
from random import Random

from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.knowledge.values import Row, Words
from gumshoe.practice.exercise import Exercise
from gumshoe.practice.prepared import Prepared


@dataclass(frozen=True)
class SaidRow(Row):
    """Ways to say one thing; ``id``: the symptom or the lamp it stands for."""

    said: tuple[Words, ...]
    id: str = ""


@dataclass(frozen=True)
class ComplaintsFile(Row):
    symptom: tuple[SaidRow, ...]
    lamp: tuple[SaidRow, ...]
    plain: tuple[SaidRow, ...]
    nothing: tuple[SaidRow, ...]
    aside: tuple[SaidRow, ...]
    mistaken: tuple[SaidRow, ...]
    work: tuple[SaidRow, ...]
    since: tuple[SaidRow, ...]


@dataclass(frozen=True)
class Told:
    """A complaint as it is written down at the counter."""

    text: str
    since: str
    lamp: str
    symptoms: tuple[str, ...]
    recent_work: str


@cache
def table() -> ComplaintsFile:
    """The words. Raises DataError with file and line."""
    return load_table(Path(__file__).parent / "complaints.toml", ComplaintsFile)


def told(exercise: Exercise, prepared: Prepared) -> Told:
    """What the customer of this exercise says; the same each time."""
    luck, words = Random(f"{exercise.digest} {exercise.seed}"), table()
    since = luck.choice(words.since[0].said)

    def said(rows: tuple[SaidRow, ...], name: str = "") -> str:
        row = next(row for row in rows if row.id == name)
        return luck.choice(row.said).replace("{since}", since)

    parts = [said(words.symptom, name) for name in prepared.symptoms]
    if prepared.lamp != "out" or not parts:
        parts.insert(luck.randint(0, len(parts)), said(words.lamp, prepared.lamp))
    if not prepared.symptoms:
        parts.append(said(words.plain if exercise.faults else words.nothing))
    parts.append(said(words.aside))
    if luck.random() < 0.6:
        parts.insert(luck.randint(1, len(parts)), said(words.mistaken))
    lately = said(words.work) if luck.random() < 0.4 else ""
    text = exercise.complaint or " ".join(parts)
    text = " ".join((text, *exercise.remarks))
    return Told(text, since, prepared.lamp, prepared.symptoms, exercise.recent_work or lately)
