"""What somebody did in an exercise: its steps on the shop's clock, each with what was known before and after it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from enum import StrEnum

from gumshoe.core.casefile import CaseFile
from gumshoe.core.casefile.assess import grounds_of, knowledge_of, recorded
from gumshoe.core.judgement import Judged
from gumshoe.core.planning import Costs, Step, Worth, worth_of
from gumshoe.core.signals.trims import NEEDED, RegionTrim, trims_by_region
from gumshoe.practice.trainee import Truth, likely


class Did(StrEnum):
    """Kinds of steps."""

    SCAN = "scan"
    TEST = "test"
    CIRCUIT = "circuit"
    HAND = "hand test"
    RECORDING = "recording"
    COMMAND = "command"
    TRACE = "trace"
    VERDICT = "verdict"
    REPAIR = "repair"
    CLEAR = "clear"
    PROCEDURE = "procedure"
    DRIVE = "drive"
    PROOF = "proof"
    HINT = "hint"
    END = "loose end"


TELLS = frozenset({Did.SCAN, Did.TEST, Did.CIRCUIT, Did.HAND, Did.RECORDING, Did.TRACE, Did.COMMAND})
"""Steps after which the suspects may stand otherwise."""
READINGS = frozenset({Did.CIRCUIT, Did.RECORDING})
WEIGHED = frozenset({Did.TEST, Did.REPAIR}) | READINGS
"""Steps that are weighed against the best one; of readings only the first."""
MINUTES: dict[Did, float] = {
    Did.SCAN: 5.0,
    Did.CIRCUIT: 3.0,
    Did.HAND: 10.0,
    Did.RECORDING: 2.0,
    Did.COMMAND: 4.0,
    Did.TRACE: 8.0,
    Did.CLEAR: 2.0,
    Did.PROCEDURE: 8.0,
    Did.HINT: 10.0,
}
"""What a step takes on the shop's clock where the tables do not say (common practice, round figures from memory): a
probe at a wire three minutes, a scan five. A hint costs as much as asking a colleague would."""


@dataclass(frozen=True)
class Taken:
    """A step: when it was entered, what it was, and what it took. ``id``: the test, the component or the repair;
    ``also``: the other repairs that were carried out with it, where a whole set was renewed."""

    at: datetime
    did: Did
    id: str
    words: str
    minutes: float
    money: float
    also: tuple[str, ...] = ()

    @property
    def repairs(self) -> frozenset[str]:
        """All repairs of the step."""
        return frozenset((self.id, *self.also)) if self.did is Did.REPAIR else frozenset()


@dataclass(frozen=True)
class Point:
    """A step with what it did: the clock and the bill after it, how likely the truth was said to be before and after,
    and what it was worth; None where it is not to be weighed. ``stop``: why the car was not to be driven then."""

    step: Taken
    minutes: float
    money: float
    before: float
    after: float
    worth: Worth | None
    stop: str = ""


def as_of(case: CaseFile, moment: datetime) -> CaseFile:
    """The case as it stood: what was entered until then. Trims are told from the recordings that there were."""

    def there(at: str) -> bool:
        return not at or _time(at) <= moment

    recordings = tuple(row for row in case.recordings if there(row.at))
    proof = case.proof if case.proof is not None and there(case.proof.at) else None
    kept = replace(
        case,
        scans=tuple(scan for scan in case.scans if _aware(scan.taken_at) <= moment),
        tests=tuple(row for row in case.tests if there(row.at)),
        hand_tests=tuple(row for row in case.hand_tests if there(row.at)),
        recordings=recordings,
        circuits=tuple(
            replace(row, readings=readings)
            for row in case.circuits
            if (readings := tuple(probe for probe in row.readings if there(probe.at)))
        ),
        events=tuple(
            replace(row, back_at=row.back_at if there(row.back_at) else "") for row in case.events if there(row.at)
        ),
        work=tuple(
            replace(row, did_not_help=row.did_not_help and proof is not None) for row in case.work if there(row.at)
        ),
        verdict=None,
        proof=proof,
    )
    return replace(kept, trims=_trims(kept))


def _trims(case: CaseFile) -> tuple[RegionTrim, ...]:
    """The newest trims of each region and bank."""
    newest: dict[tuple[int, str], RegionTrim] = {}
    powertrain = knowledge_of(case).powertrain
    for row in case.recordings:
        samples = recorded(row, powertrain)
        if not samples.missing(NEEDED):
            newest |= {(trim.bank, trim.region.value): trim for trim in trims_by_region(samples)}
    return tuple(newest.values())


def _time(text: str) -> datetime:
    return _aware(datetime.fromisoformat(text))


def _aware(moment: datetime) -> datetime:
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)


def points(case: CaseFile, steps: Sequence[Taken], truth: Truth, costs: Costs) -> tuple[Point, ...]:
    """Every step with what it did. Each state of the record is judged once."""
    found: list[Point] = []
    minutes = money = 0.0
    judged = Judged(grounds_of(as_of(case, datetime.min.replace(tzinfo=UTC)), costs))
    chance = likely(truth, judged.assessment)
    mended, weighed = frozenset[str](), set[str]()
    for number, step in enumerate(steps):
        minutes, money = minutes + step.minutes, money + step.money
        worth = None if step.did in READINGS and step.id in weighed else _worth(step, judged, costs)
        weighed.add(step.id)
        before, stop = chance, judged.advice.title if judged.advice.stop else ""
        last = number + 1 == len(steps) or steps[number + 1].at > step.at
        mended |= step.repairs
        if last and step.did in TELLS | {Did.PROOF, Did.REPAIR}:
            judged = Judged(grounds_of(as_of(case, step.at), costs))
        left = tuple(ways for ways in truth if mended.isdisjoint(ways))
        if truth and not left:
            chance = 1.0
        elif left != truth:
            chance = (len(truth) - len(left) + len(left) * likely(left, judged.assessment)) / len(truth)
        else:
            chance = likely(truth, judged.assessment)
        found.append(Point(step, minutes, money, before, chance, worth, stop))
    return tuple(found)


def _worth(step: Taken, judged: Judged, costs: Costs) -> Worth | None:
    """What a test or a repair was worth as things stood. The first reading at a circuit is weighed as its component's
    check, which is made of many; a recording as the test that it is."""
    knowledge = judged.grounds.knowledge
    kind = "repair" if step.did is Did.REPAIR else "test"
    known = knowledge.repairs if kind == "repair" else knowledge.tests
    name = f"check_{step.id}" if step.did is Did.CIRCUIT else step.id
    if step.did not in WEIGHED or name not in known:
        return None
    taken = Step(kind, name, step.words, step.minutes, step.money)
    return worth_of(taken, judged.assessment, knowledge, costs, known=judged.done | judged.measured)


def clock(steps: Iterable[Taken]) -> tuple[float, float]:
    """Minutes and money of some steps."""
    rows = list(steps)
    return sum(row.minutes for row in rows), sum(row.money for row in rows)
