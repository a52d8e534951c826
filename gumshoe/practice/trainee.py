"""An automatic technician: scans, records, tests and repairs a stand-in by a strategy, to the end of the case.

It knows of the car only what a person would: what the control unit says, and what is seen or measured at a point
(``seen.py``). Every step it takes is marked with what it cost so far, and how likely the truth was then said to be.
"""

from __future__ import annotations

import random
import re
from collections.abc import Callable
from dataclasses import dataclass, field

from gumshoe.core.clues import OnRecord, TestOutcome
from gumshoe.core.judgement import Grounds, Judged, Kept
from gumshoe.core.knowledge.by_place import ASKED, CYLINDER, PLUG, plug_of
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.outcomes import decide
from gumshoe.core.knowledge.rows import ReadingRow, Specification, TestRow
from gumshoe.core.knowledge.values import Origin
from gumshoe.core.planning import Costs, Strategy, best_step, somebody_pointed_at
from gumshoe.core.planning.next_action import Act
from gumshoe.core.planning.next_test import relevant_faults
from gumshoe.core.powertrain.misfires import mask_of
from gumshoe.core.signals.trims import RegionTrim
from gumshoe.core.suspects import Assessment
from gumshoe.core.work.offers import check_outcomes, located, repair_of
from gumshoe.practice.cars import USUAL_DRIVES, drive
from gumshoe.practice.cures import is_sound
from gumshoe.practice.heard import Drives
from gumshoe.practice.seen import CHECKS, POINTS, READS, cylinder_of, snapshot, trims
from gumshoe.simulator.drives import start
from gumshoe.simulator.finding import Finding, running
from gumshoe.simulator.hands import observe
from gumshoe.simulator.vehicle import Key, Vehicle

MOST_STEPS = 25
AGAIN_MINUTES = 4.0
"""What it takes to see again what was found before, with everything still laid out."""
RUNS = frozenset({"running", "road", "warm"})
"""What a test may need that means a running engine."""
GIVES_UP = 6
"""So many repairs without an end, and the car goes to somebody else."""

Truth = tuple[frozenset[str], ...]
"""Of each fault the repairs that cure it."""


def likely(truth: Truth, found: Assessment) -> float:
    """How likely the faults that are there are said to be: the mean of their chances, each by whatever cures it; of a
    sound car, that nothing is wrong."""
    chances = [min(sum(item.probability for item in found.suspects if item.row.repair in ways), 1.0) for ways in truth]
    return sum(chances) / len(chances) if chances else found.nothing


@dataclass(frozen=True)
class Mark:
    """A step of a line: minutes and money so far, what was done (``scan``, ``test`` or ``repair``, its id and words),
    and how likely the faults that are in the car were then said to be."""

    minutes: float
    money: float
    kind: str
    id: str
    words: str
    truth: float


@dataclass
class Job:
    """What it took: minutes, money, repairs in order, the good parts among them, whether the first was right."""

    minutes: float = 0.0
    money: float = 0.0
    tests: list[str] = field(default_factory=list)
    repairs: list[str] = field(default_factory=list)
    faults: int = 1
    good_parts: int = 0
    cured: bool = False
    stated: list[dict[str, float]] = field(default_factory=list)
    """How likely each repair was said to be needed: when the codes were read, and before each repair."""
    at_peace: bool = False
    """What is left wrong, if anything, shows itself to nobody: neither a code nor anything the driver feels."""
    mended: int = 0
    """Repairs that put something right."""
    marks: list[Mark] = field(default_factory=list)
    proven_wrong: bool = False
    """Whether a good part was renewed, or a good joint mended, on the strength of a test that showed it."""

    @property
    def first_time(self) -> bool:
        """Whether every repair mended something, and none was one too many (one set of plugs may mend two faults)."""
        return (self.cured or self.at_peace) and len(self.repairs) == min(self.mended, self.faults)


class Technician:
    """One case on one car."""

    def __init__(
        self,
        car: Vehicle,
        known: Knowledge,
        specification: Specification,
        truth: Truth,
        felt: Drives,
        drives: tuple[str, ...] = USUAL_DRIVES,
    ) -> None:
        """``drives``: what it is driven after a repair that did not mend all."""
        self.car, self.known, self.specification, self.truth = car, known, specification, truth
        self.felt, self.costs, self.job = felt, Costs(), Job(faults=len(truth))
        self.drives, self.way, self._kept = drives, Strategy.TELLING, Kept(2)
        self.seen = snapshot(car)
        self.trims: tuple[RegionTrim, ...] = ()
        self.outcomes: list[TestOutcome] = []
        self.failed: list[tuple[str, str, str]] = []
        self.changed, self.cannot = False, set[str]()
        self.slips: Callable[[int], bool] = lambda number: False
        self._done = self._made = 0
        self.again = set[tuple[str, str]]()
        self.luck = random.Random(f"{sorted(map(sorted, truth))} {car.odometer_km}")

    def judged(self) -> Judged:
        """The judgement as every page takes it, by this one's way to work."""
        evidence = OnRecord(
            symptoms=self.felt.symptoms(),
            symptom_source=("what was felt", "1"),
            lamp=self.felt.lamp(self.car),
            module=self.seen.engine,
            scan_source=("scan", "1"),
            trims=tuple((trim, "r", "1") for trim in self.trims),
            tests=tuple(self.outcomes),
            failed_repairs=tuple(self.failed),
            specification=self.specification,
        )
        km, costs = self.car.odometer_km, self.costs
        return self._kept.of(Grounds(self.known, evidence, self.seen, odometer_km=km, costs=costs, way=self.way))

    def note(self, found: Assessment) -> None:
        """Keep how likely each repair is said to be needed."""
        stated: dict[str, float] = {}
        for item in found.suspects:
            stated[item.row.repair] = stated.get(item.row.repair, 0.0) + item.probability
        self.job.stated.append(stated)

    def mark(self, kind: str, name: str = "", words: str = "") -> None:
        """Write a step down, with what is now thought of it."""
        done = self.job.cured or self.job.at_peace
        truth = 1.0 if done else likely(self.truth, self.judged().assessment)
        self.job.marks.append(Mark(self.job.minutes, self.job.money, kind, name, words, truth))

    def test(self, test: TestRow) -> bool:
        """Make a test; False when the car has nothing to show for it."""
        self.job.minutes += test.minutes
        self.job.money += self.costs.of_minutes(test.minutes)
        self.job.tests.append(test.id)
        if test.measures:
            self.trims = trims(self.car)
            return test.measures in self.judged().measured  # the engine may never have run where it was asked for
        self.bring_to(test)
        if test.runs and not (running(self.car) or self.car.hybrid):
            self.car.stop()
            return False
        readings = {}
        for reading in test.readings:
            finding = observe(self.car, reading.point)
            value = self.read(test, reading, finding) if finding else None
            if value is None:
                self.car.stop()
                return False
            readings[reading.key] = value
        self.car.stop()
        outcome = decide(test, readings, self.specification).id
        if self.slips(self._made):
            outcome = self.luck.choice([item.id for item in test.outcomes if item.id != outcome])
        self._made += 1
        self.outcomes.append(TestOutcome(test.id, outcome, "stand-in", self._now()))
        return True

    def bring_to(self, test: TestRow) -> None:
        """The car as the test wants it: idling (or at least cranked), key on, or key off and at rest."""
        if not RUNS.isdisjoint(test.needs):
            self.car.begin(start(60.0))
            self.car.run(62.0)
        elif "key on, engine off" in test.needs:
            self.car.turn_key(Key.ON)
            self.car.run(2.0)
        else:
            self.car.turn_key(Key.OFF)
            self.car.run(5.0)

    def sees_otherwise(self, judged: Judged, suspect: str) -> bool:
        """Before anything is renewed the one finding on which it rests is seen once more; whether it was not so."""
        one = judged.once_more(suspect)
        if one is None or one.result is None or one.result in self.again:
            return False
        test, before = self.known.tests[one.result[0]], one.result[1]
        self.again.add(one.result)
        booked = self.job.minutes, self.job.money
        if not self.test(test):
            return False
        least = min(test.minutes, AGAIN_MINUTES)
        self.job.minutes, self.job.money = booked[0] + least, booked[1] + self.costs.of_minutes(least)
        return self.outcomes[-1].outcome != before

    def _now(self) -> str:
        """The time of an entry: they follow each other."""
        self._done += 1
        return f"{self._done:04}"

    def read(self, test: TestRow, reading: ReadingRow, finding: Finding) -> float | str | None:
        """Put a finding into the form."""
        if reading.kind == "number":
            return finding.value
        if reading.key == CYLINDER:
            return cylinder_of(finding.words)
        if reading.key == PLUG:
            return self._plug(test, reading, finding)
        if reading.key in ASKED:
            said = set(re.findall(r"[a-z]+|\d+", finding.words.lower()))
            named = (option for option in reading.options[1:] if {reading.key, *option.split()} <= said)
            return next(named, reading.options[0])
        rules = CHECKS if test.origin is Origin.GENERATED else READS.get(test.id, ())
        if "good under load" in reading.options:
            rules = POINTS
        if rules:
            return next((option for word, option in rules if word in finding.words), None)
        said = set(re.findall(r"[a-z]{3,}|\d+", finding.words.lower()))

        def overlap(option: str) -> tuple[float, int]:
            """How much of the option the finding says, and of two that it says whole the one that says more."""
            words = set(re.findall(r"[a-z]{3,}|\d+", option.lower()))
            return len(words & said) / max(len(words), 1), len(words)

        best = max(reading.options, key=overlap)
        return best if overlap(best)[0] > 0.0 else None

    def _plug(self, test: TestRow, reading: ReadingRow, finding: Finding) -> str:
        """Which plug is meant, where the finding names the parts of one."""
        words = finding.words.replace(" ", "_")
        named = [name for name in self.known.components if name in words]
        whole = [name for name in named if not any(name != other and name in other for other in named)]
        plugs = {plug_of(self.known.components[name]) for name in whole}
        told = next((item.words for item in test.outcomes if {item.place} == plugs), "")
        return next((option for option in reading.options[1:] if told.endswith(f": {option}")), reading.options[0])

    def repair(self, name: str) -> bool:
        """Carry a repair out and prove it; True when nothing is left wrong, or nothing that anybody would notice.
        What mended something, and not all, is seen by the drive after it: the car is read anew. (The proof itself is
        measured by ``proving.py``; here its verdict is taken as right.)"""
        row = self.known.repairs[name]
        self.job.minutes += row.minutes + self.costs.proof_minutes
        self.job.money += self.costs.of_repair(row)
        self.changed = self.car.carry_out(row.component, self.known.reached_by(name), work=row.work)
        self.job.repairs.append(name)
        self.job.cured = is_sound(self.car)
        self.job.mended += self.changed
        if not self.changed:
            self.job.good_parts += float(row.parts) > 0.0
            self.failed.append((name, "j", self._now()))
        elif not self.job.cured:
            self.outcomes = [row for row in self.outcomes if not self.showed(row, name)]
            self.car.clear()
            self.felt, self.trims = Drives(self.felt.usual), ()
            drive(self.car, self.felt, self.drives)
            self.seen = snapshot(self.car)
            self.job.at_peace = not self.noticed
        return self.job.cured or self.job.at_peace

    @property
    def noticed(self) -> bool:
        """Whether anybody would bring the car: for a code, or for what the driver feels."""
        return bool(self.seen.engine and self.seen.engine.codes) or bool(self.felt.symptoms())

    def showed(self, row: TestOutcome, repair: str) -> bool:
        """Whether a finding showed what this repair has put right: then it is of yesterday."""
        outcome = self.known.tests[row.test].outcome(row.outcome)
        shown = self.known.proven_by(outcome.proves) if outcome else frozenset()
        return any(self.known.faults[name].repair == repair for name in shown)


def best_repair(man: Technician, found: Assessment) -> str:
    """The likeliest repair per cost among those not tried."""
    chance: dict[str, float] = {}
    relevant = relevant_faults(found, found.model) if found.model else frozenset()
    left = [item for item in found.suspects if item.row.repair not in man.job.repairs]
    for item in left:
        if item.id in relevant or not any(other.id in relevant for other in left):
            chance[item.row.repair] = chance.get(item.row.repair, 0.0) + item.probability

    def ratio(name: str) -> float:
        row = man.known.repairs[name]
        return chance[name] / man.costs.of_repair(row)

    return max(sorted(chance), key=ratio)


def first_misread(number: int) -> bool:
    """The first test of a case is misread, and no other."""
    return number == 0


def work_by(strategy: Strategy, slips: Callable[[int], bool] | None = None) -> Callable[[Technician], None]:
    """A technician who does what the pages say is next. ``slips``: whether the test of that number is misread."""

    def work(man: Technician) -> None:
        man.slips, man.way = slips or man.slips, strategy
        man.note(man.judged().assessment)
        man.mark("scan", words="read the codes")
        for _ in range(MOST_STEPS):
            judged = man.judged()
            test = None if strategy is Strategy.FREQUENT else advised_test(man, judged)
            if test is not None:
                if not man.test(test):
                    man.cannot.add(test.id)
                man.mark("test", test.id, test.words)
                continue
            found, action = judged.assessment, judged.next
            if action.act is Act.WATCH and strategy is not Strategy.FREQUENT:
                return  # nobody is pointed at: the car goes home unrepaired
            wanted = repair_of(man.known, action.suspect, located(man.known, check_outcomes(man.known, man.outcomes)))
            follows = wanted not in ("", *man.job.repairs) and strategy is not Strategy.FREQUENT
            if follows and action.act is Act.NAME and man.sees_otherwise(judged, action.suspect):
                continue
            name = wanted if follows else best_repair(man, found)
            man.note(found)
            cured = man.repair(name)
            man.mark("repair", name, man.known.repairs[name].words)
            man.job.proven_wrong |= action.act is Act.NAME and follows and not man.changed
            if cured or len(man.job.repairs) >= GIVES_UP:
                return

    return work


def best_line(man: Technician) -> None:
    """Before each step what may come first is followed to the end in thought, and the step that costs least on average
    is taken (``best_step``)."""
    man.note(man.judged().assessment)
    man.mark("scan", words="read the codes")
    for _ in range(MOST_STEPS):
        judged = man.judged()
        if judged.next.act is Act.WATCH:
            return  # nobody is pointed at: the car goes home unrepaired
        done = judged.done | man.cannot
        step = best_step(judged.assessment, man.known, man.costs, done=done, known=judged.measured)
        test = man.known.tests[step.id] if step is not None and step.kind == "test" else None
        if test is None and not somebody_pointed_at(judged.assessment):
            test = advised_test(man, judged)  # nothing is repaired because it is the cheapest to try
        if test is not None:
            if not man.test(test):
                man.cannot.add(test.id)
            man.mark("test", test.id, test.words)
            continue
        if step is None or not somebody_pointed_at(judged.assessment):
            return  # the car goes home as it is
        name = _as_found(man, judged, step.id)
        man.note(judged.assessment)
        cured = man.repair(name)
        man.mark("repair", name, man.known.repairs[name].words)
        if cured or len(man.job.repairs) >= GIVES_UP:
            return


def _as_found(man: Technician, judged: Judged, repair: str) -> str:
    """The repair of the place that was found, where a check has found one; never one that was made already."""
    suspect = next((item.id for item in judged.assessment.suspects if item.row.repair == repair), "")
    found = repair_of(man.known, suspect, located(man.known, check_outcomes(man.known, man.outcomes)))
    name = found if found and found not in man.job.repairs else repair
    return name if name not in man.job.repairs else best_repair(man, judged.assessment)


def advised_test(man: Technician, judged: Judged) -> TestRow | None:
    """The test that is next, or the next one on the list where the car has nothing to show for it."""
    test = judged.next.test
    if test is None or test.id not in man.cannot:
        return test
    return next((item.test for item in judged.proposals if item.test.id not in man.cannot), None)


def most_frequent_for_the_first_code(man: Technician) -> None:
    """The line to beat: renew what most often cures the first code, then the next, without a test."""
    engine = man.seen.engine
    first = engine.codes[0].code if engine and engine.codes else ""
    misfire = first in man.known.codes and man.known.codes[first].evidence == "misfire"
    score: dict[str, float] = {}
    for fault in man.known.faults.values():
        link = fault.codes.get(first, 0.0)
        if misfire:
            link = max(link, fault.misfire.get(mask_of((int(first[3:]),)), 0.0))
        score[fault.repair] = score.get(fault.repair, 0.0) + fault.rate * link
    man.mark("scan", words="read the codes")
    for name in sorted(score, key=lambda repair: -score[repair])[:MOST_STEPS]:
        cured = man.repair(name)
        man.mark("repair", name, man.known.repairs[name].words)
        if cured:
            return


def knowing_it(man: Technician) -> None:
    """The floor: somebody tells what it is, and it is mended in the cheapest way that cures it."""
    for ways in man.truth:
        if ways:
            man.repair(min(sorted(ways), key=lambda name: man.costs.of_repair(man.known.repairs[name])))
