"""May it be driven? One answer from lamp, complaint, codes, tests and what the car told, with the reason.

What is not known is never called harmless: a code without a row, a code that no suspect explains and codes that could
not be read each say so. The dangers stand in ``dangers.toml`` (common practice).
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from enum import Enum
from fnmatch import fnmatchcase
from functools import cache
from pathlib import Path

from gumshoe.core.clues import TestOutcome
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.rows import DangerRow, DangersFile, WhenRow
from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.suspects.posterior import Assessment
from gumshoe.core.suspects.relations import CodeReading, Role

FILE = Path(__file__).parent.parent / "knowledge" / "dangers.toml"
SHOWN = 0.5
"""From this probability on, a suspect that a test has shown counts as there."""
WATCH = "Watch the lamp: if it flashes, stop."
MAY = "May be driven"
NOT_KNOWN = "Not known: look it up before driving"
ASIDE = (Role.STALE, Role.SELF)
"""Roles of codes that say nothing of the car's state now."""


@dataclass(frozen=True)
class DriveAdvice:
    """Whether the vehicle may be driven, in words for the customer. ``reasons``: the dangers behind it, by id;
    ``looks``: the tests that come before the engine runs for any other, each with its danger in words."""

    stop: bool
    title: str
    words: str
    reasons: tuple[str, ...] = ()
    looks: tuple[tuple[str, str], ...] = ()

    @property
    def sure(self) -> bool:
        """Whether it rests on something known: advice that ends in *not known* is no all-clear."""
        return self.title != NOT_KNOWN


class Mended(Enum):
    """How far the work is: nothing done that counts, done and cleared with its proof open, or proven."""

    NO = ""
    UNPROVEN = "unproven"
    PROVEN = "proven"


@dataclass(frozen=True)
class Situation:
    """What is known when somebody asks. ``tests``: the newest outcome by test; ``shown``: suspects a test has shown;
    ``values``: what the car told, by channel; ``unread``: what could not be read, in words; ``scanned``: whether codes
    were read at all; ``weighed``: codes that bear on a suspect which the tables
    describe for this powertrain."""

    readings: tuple[CodeReading, ...] = ()
    lamp: str = ""
    symptoms: frozenset[str] = frozenset()
    tests: Mapping[str, str] = field(default_factory=dict)
    shown: frozenset[str] = frozenset()
    values: Mapping[str, float] = field(default_factory=dict)
    unread: tuple[str, ...] = ()
    features: frozenset[str] = frozenset()
    weighed: frozenset[str] = frozenset()
    scanned: bool = True

    @property
    def today(self) -> tuple[CodeReading, ...]:
        """The codes that speak of the car as it is now."""
        return tuple(item for item in self.readings if item.role not in ASIDE)


@cache
def dangers() -> tuple[DangerRow, ...]:
    """The dangers, in the order they are told. Raises DataError with file and line."""
    return load_table(FILE, DangersFile).danger


def drive_advice(seen: Situation) -> DriveAdvice:
    """The advice that follows; old codes and those the work set count only where a danger says so."""
    holding = [row for row in dangers() if any(_holds(when, seen, row.history) for when in row.when)]
    looks = tuple((row.look, row.title) for row in holding if row.look and row.look not in seen.tests)
    return replace(_advice(seen, holding), looks=looks)


def _advice(seen: Situation, holding: list[DangerRow]) -> DriveAdvice:
    stops = [row for row in holding if row.stop]
    told = tuple(row.id for row in holding)
    rows = [item.row for item in seen.today if item.row is not None]
    urgent = [row for row in rows if row.severity == "now"]
    doubts = _doubts(seen)
    if stops:
        words = [row.words for row in stops]
        return DriveAdvice(True, stops[0].title, " ".join(dict.fromkeys(words)), told)
    if urgent:
        return DriveAdvice(True, "Do not drive on", " ".join(dict.fromkeys(row.advice for row in urgent)), told)
    if holding or doubts:
        # What was asked and is not known is not made harmless by what is; before a scan the danger itself leads.
        title = NOT_KNOWN if not holding or (doubts and seen.scanned) else holding[0].title
        return DriveAdvice(False, title, " ".join([*(row.words for row in holding), *doubts]), told)
    soon = [row for row in rows if row.severity != "can wait"]
    unlinked = [row.number for row in rows if row.number not in seen.weighed]
    if soon or unlinked:
        advice = soon[0].advice if soon else "Bring it to the workshop without haste and without load."
        if unlinked:
            advice += f" What {_listed(unlinked)} means for driving is not known here: look it up before a long way."
        return _said(f"{MAY} gently", advice)
    if rows:
        return _said(MAY, rows[0].advice)
    return DriveAdvice(False, "No code that limits driving", WATCH)


def after_work(advice: DriveAdvice, mended: Mended) -> DriveAdvice:
    """What the advice for the car as it came in becomes with the work. A proof needs its drive, so the workshop may;
    what is not known stays not known."""
    if mended is Mended.NO or not advice.sure:
        return advice
    came = f"It came in with: {advice.title[:1].lower()}{advice.title[1:]}."
    if mended is Mended.PROVEN:
        words = "Should the lamp come on again, or anything feel as it did before, have it looked at."
        if advice.stop:
            words = f"{came} Try once more at the hand-over that this is gone. {words}"
        return DriveAdvice(False, "Mended and proven: may be driven", words, advice.reasons)
    if not advice.stop:
        return advice
    words = f"Mended, and not proven yet. {came} Make sure at a standstill that this is gone before it moves."
    return DriveAdvice(True, "Only the workshop drives it, for the proof", words, advice.reasons)


def _said(title: str, words: str) -> DriveAdvice:
    """The advice without saying its title twice: where the words begin with it, their first part becomes the title."""
    if title.startswith(MAY) and words.startswith((f"{MAY};", f"{MAY}.")):
        rest = words[len(MAY) :].lstrip(".; ")
        return DriveAdvice(False, title, rest[:1].upper() + rest[1:] or WATCH)
    if not words.startswith(title):
        return DriveAdvice(False, title, words)
    first = re.match(r"[^.;:]+", words)
    end = first.end() if first else 0
    rest = words[end:].lstrip(".;: ")
    return DriveAdvice(False, words[:end], rest[:1].upper() + rest[1:] or WATCH)


def _doubts(seen: Situation) -> list[str]:
    """What is not known and would have to be, in sentences."""
    found = []
    unknown = [item.code for item in seen.today if item.row is None]
    if unknown:
        found.append(
            f"What {_listed(unknown)} means is not known here: look it up in the maker's service information before it "
            "is driven. Until then treat it as serious: any warning lamp, noise, smell or heat, stop."
        )
    if seen.unread:
        found.append(f"Not read: {_listed(seen.unread)}. No code there is not shown: scan again before it is driven.")
    elif not seen.scanned:
        found.append("Nothing was read from the car yet: whether codes limit driving is not known.")
    return found


def _holds(when: WhenRow, seen: Situation, history: bool) -> bool:
    codes = {item.code for item in (seen.readings if history else seen.today)}
    made = {f"{test}: {outcome}" for test, outcome in seen.tests.items()}
    return (
        (not when.lamp or seen.lamp in when.lamp)
        and (not when.symptoms or bool(seen.symptoms.intersection(when.symptoms)))
        and (not when.codes or any(fnmatchcase(code, wanted) for code in codes for wanted in when.codes))
        and (not when.tests or bool(made.intersection(when.tests)))
        and (not when.shown or bool(seen.shown.intersection(when.shown)))
        and (not when.features or bool(seen.features.intersection(when.features)))
        and (not when.above or any(seen.values.get(key, limit) > limit for key, limit in when.above.items()))
    )


def _listed(items: Iterable[str]) -> str:
    row = list(items)
    return row[0] if len(row) == 1 else f"{', '.join(row[:-1])} and {row[-1]}"


def situation_of(
    readings: Iterable[CodeReading],
    knowledge: Knowledge,
    assessment: Assessment,
    *,
    lamp: str = "",
    symptoms: Iterable[str] = (),
    tests: Iterable[TestOutcome] = (),
    snapshot: Snapshot | None = None,
    scanned: bool = True,
) -> Situation:
    """What a case knows, for the advice. ``tests``: outcomes of the library's tests, the newest last; ``snapshot``: the
    scan that tells, None where codes were told without one."""
    engine = snapshot.engine if snapshot else None
    return Situation(
        readings=tuple(readings),
        lamp=lamp,
        symptoms=frozenset(symptoms),
        tests={item.test: item.outcome for item in tests},
        shown=frozenset(item.id for item in assessment.suspects if item.proven_by and item.probability >= SHOWN),
        values=dict(engine.values) if engine else {},
        unread=snapshot.codes_unread if snapshot else (),
        features=knowledge.powertrain.features,
        weighed=knowledge.weighed - knowledge.strangers,
        scanned=scanned,
    )
