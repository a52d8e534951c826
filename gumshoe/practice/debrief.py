"""The debrief: what was done against the best line, what it was worth, what it put in danger, whether it was proven."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from gumshoe.core.casefile import CaseFile
from gumshoe.core.casefile.assess import knowledge_of
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.planning import Costs
from gumshoe.practice.courses import system_of_fault
from gumshoe.practice.exercise import Exercise
from gumshoe.practice.prepared import BEST, FLOOR, FREQUENT, Line, Prepared
from gumshoe.practice.worked import Did, Point, Taken, points
from gumshoe.simulator.defects import defects_of

FUEL_PARTS = frozenset({"fuel_pump", "fuel_filter", "fuel_rail", "injector", "injectors", "fuel_pressure_regulator"})
"""Component classes behind whose joints fuel stands."""
HIGH_VOLTAGE = "high_voltage"
WORTH_SAYING = 5.0
"""A step that cost less than this more than the best one is not held against anybody (in the shop's currency)."""
LOOK_MINUTES = 10.0
"""A test that takes nothing apart and no longer than this is a look."""


@dataclass(frozen=True)
class Ended:
    """How the car was left: whether nothing is wrong with it, and what was not put back."""

    sound: bool
    open_ends: tuple[str, ...] = ()


@dataclass(frozen=True)
class Row:
    """One step of the line of time, in figures: clock and bill after it, the chance of the truth before and after, what
    it could have told (bits), what it cost more than the best one, and which that was."""

    did: str
    id: str
    words: str
    minutes: float
    money: float
    clock: float
    bill: float
    before: float
    after: float
    bits: float | None
    regret: float
    regret_minutes: float
    better: str
    good_part: bool = False


@dataclass(frozen=True)
class Debrief:
    """All of it, as it is kept with the attempt. ``truth``: what was wrong, in words; ``first``: whether the first
    repair was right and nothing good was renewed; ``proof``: what is to be said of it; ``lines``: those it is compared
    with."""

    truth: tuple[str, ...]
    system: str
    rows: tuple[Row, ...]
    lines: tuple[Line, ...]
    minutes: float
    money: float
    cured: bool
    first: bool
    good_parts: tuple[str, ...]
    dangers: tuple[str, ...]
    proof: str
    proven: bool
    looked_first: bool
    hints: int
    words: tuple[str, ...]

    def line(self, name: str) -> Line:
        """One of the lines, by its name."""
        return next(row for row in self.lines if row.name == name)

    @property
    def best(self) -> Line:
        return self.line(BEST)

    @property
    def frequent(self) -> Line:
        return self.line(FREQUENT)

    @property
    def regret(self) -> float:
        """The money that better steps would have saved, all of them together."""
        return sum(row.regret for row in self.rows)


def debrief(
    exercise: Exercise, prepared: Prepared, case: CaseFile, steps: Sequence[Taken], ended: Ended, costs: Costs
) -> Debrief:
    """Look back at an attempt; takes some seconds."""
    known, truth = knowledge_of(case), prepared.cures
    found = points(case, steps, truth, costs)
    repairs = [point.step for point in found if point.step.did is Did.REPAIR]
    good = tuple(known.repairs[step.id].component for step in repairs if _was_good(step, truth, known))
    good = tuple(name.replace("_", " ") for name in good)
    rows = tuple(_row(point, _was_good(point.step, truth, known)) for point in found)
    minutes, money = (found[-1].minutes, found[-1].money) if found else (0.0, 0.0)
    verdict = case.proof.verdict if case.proof else ""
    right = [step for step in repairs if any(step.repairs & ways for ways in truth)]
    first = ended.sound and not good and len(repairs) == len(right)
    defects = defects_of(exercise.kind.built)
    said = Debrief(
        truth=tuple(defects[name].words for name in exercise.faults) or ("nothing was wrong with this car",),
        system=system_of_fault(exercise.car, exercise.faults[0]) if exercise.faults else "",
        rows=rows,
        lines=tuple(prepared.line(name) for name in (BEST, FREQUENT, FLOOR)),
        minutes=minutes,
        money=money,
        cured=ended.sound,
        first=first,
        good_parts=good,
        dangers=_dangers(found, case, known, ended),
        proof=_of_proof(verdict, bool(repairs), ended.sound),
        proven=verdict == "proven",
        looked_first=_looked_first(found, known),
        hints=sum(point.step.did is Did.HINT for point in found),
        words=(),
    )
    return replace(said, words=_in_words(said))


def _row(point: Point, good: bool) -> Row:
    step, worth = point.step, point.worth
    return Row(
        step.did.value,
        step.id,
        step.words,
        step.minutes,
        step.money,
        point.minutes,
        point.money,
        round(point.before, 4),
        round(point.after, 4),
        round(worth.bits, 3) if worth is not None and step.did is not Did.REPAIR else None,
        round(worth.money, 2) if worth is not None else 0.0,
        round(worth.minutes, 1) if worth is not None else 0.0,
        worth.better.words if worth is not None and worth.better and worth.money >= WORTH_SAYING else "",
        good,
    )


def _was_good(step: Taken, truth: Sequence[frozenset[str]], known: Knowledge) -> bool:
    """Whether a part was renewed that was good; of a set that has the bad one in it nobody says so."""
    row = known.repairs.get(step.id) if step.did is Did.REPAIR else None
    return row is not None and float(row.parts) > 0.0 and not any(step.repairs & ways for ways in truth)


def _looked_first(found: Sequence[Point], known: Knowledge) -> bool:
    """Whether a look came before anything that takes apart, and before the first repair."""
    for point in found:
        test = known.tests.get(point.step.id) if point.step.did is Did.TEST else None
        if point.step.did is Did.REPAIR or (test is not None and test.invasive > 0):
            return False
        if test is not None and test.minutes <= LOOK_MINUTES:
            return True
    return False


def _dangers(found: Sequence[Point], case: CaseFile, known: Knowledge, ended: Ended) -> tuple[str, ...]:
    """What should not have been done, each kind told once."""
    kinds = (_driven(found), _cleared(found), _cranked(found, case, known), _high_voltage(found, known))
    said = [next(iter(rows), "") for rows in kinds]
    return (*filter(None, said), *(f"Left open: {words}." for words in ended.open_ends))


def _driven(found: Sequence[Point]) -> list[str]:
    """Driven when it was to stand."""
    return [
        f"It was driven although the advice was: {point.stop}. An unburnt charge ruins a catalyst."
        for point in found
        if point.stop and point.step.did in (Did.DRIVE, Did.PROOF)
    ]


def _cleared(found: Sequence[Point]) -> list[str]:
    """Cleared before anything was named."""
    kinds = [point.step.did for point in found]
    before = kinds[: kinds.index(Did.CLEAR)] if Did.CLEAR in kinds else [Did.VERDICT]
    named = Did.VERDICT in before or Did.REPAIR in before
    return (
        [] if named else ["Codes were cleared before a fault was named: the frames are only in the stored scan then."]
    )


def _cranked(found: Sequence[Point], case: CaseFile, known: Knowledge) -> list[str]:
    """Cranked while something that fuel stands behind was out."""
    said = []
    for event in case.events:
        part = known.components.get(event.off)
        if part is None or part.row.id not in FUEL_PARTS or event.did not in ("removed", "drained"):
            continue
        for point in found:
            test = known.tests.get(point.step.id) if point.step.did is Did.TEST else None
            moment = point.step.at.isoformat()
            open_then = event.at <= moment and (not event.back_at or moment < event.back_at)
            if test is not None and test.cranks and open_then:
                said.append(f"The engine was cranked with fuel in the air: {event.off.replace('_', ' ')} was off.")
    return said


def _high_voltage(found: Sequence[Point], known: Knowledge) -> list[str]:
    """Work on high voltage, of which no entry can say that the right people did it."""
    rows = [known.repairs.get(point.step.id) or known.tests.get(point.step.id) for point in found]
    return [
        f"“{row.words}” is work on high voltage: for qualified people only, switched off and measured dead before; "
        "nothing on record says that it was."
        for row in rows
        if row is not None and HIGH_VOLTAGE in row.cautions
    ]


def _of_proof(verdict: str, repaired: bool, sound: bool) -> str:
    if not repaired:
        return "Nothing was repaired, so there was nothing to prove."
    if verdict == "proven":
        return "The repair was proven by its drive."
    if verdict == "came back":
        return "The proof drive showed that it came back."
    if verdict:
        return "The proof was judged too early: the monitors had not run, or the conditions were not met."
    held = (
        "it was the right one, but nobody could know" if sound else "it was not the right one, and a drive would tell"
    )
    return f"The repair was not proven: {held}."


def _in_words(told: Debrief) -> tuple[str, ...]:
    """The page's first lines: what it was, how it went, and the one thing to do otherwise."""
    lines = [f"It was this: {'; '.join(told.truth)}."]
    spent = (
        f"{told.minutes:.0f} minutes and {told.money:.0f} in money, where the best line takes "
        f"{told.best.minutes:.0f} and {told.best.money:.0f}"
    )
    if told.first:
        lines.append(f"Right at the first repair, nothing good renewed: {spent}.")
    elif told.cured:
        renewed = f"{len(told.good_parts)} good part{'s' if len(told.good_parts) != 1 else ''} renewed on the way"
        lines.append(f"Mended in the end, {renewed if told.good_parts else 'not at the first try'}: {spent}.")
    else:
        lines.append(f"It left the shop as it came: {spent}.")
    worst = max(told.rows, key=lambda row: row.regret, default=None)
    if worst is not None and worst.regret >= WORTH_SAYING and worst.better:
        lines.append(
            f"The dearest step was “{worst.words}”: as things stood then it cost {worst.regret:.0f} more than "
            f"“{worst.better}” would have, on average."
        )
    elif told.rows:
        lines.append("No single step was much dearer than the best one would have been as things stood.")
    return tuple(lines)
