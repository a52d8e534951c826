"""An automatic technician: scans, records, tests and repairs a stand-in by a strategy, to the end of the case.

It knows of the car only what a person would: what the control unit says, and what is seen or measured at a point. How a
person would put a finding into the entry form is written down here (READS), once for each test with a choice.
"""

from __future__ import annotations

import random
import re
import sys
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from gumshoe.core.clues import OnRecord, TestOutcome, extract  # noqa: E402
from gumshoe.core.knowledge.by_place import ASKED, CYLINDER  # noqa: E402
from gumshoe.core.knowledge.catalogue import Knowledge  # noqa: E402
from gumshoe.core.knowledge.outcomes import decide  # noqa: E402
from gumshoe.core.knowledge.rows import ReadingRow, Specification, TestRow  # noqa: E402
from gumshoe.core.planning import Costs, Strategy, in_order_of, propose  # noqa: E402
from gumshoe.core.planning.next_test import relevant_faults  # noqa: E402
from gumshoe.core.planning.strategies import CAN_CHANGE_BITS, is_quick_look  # noqa: E402
from gumshoe.core.powertrain.misfires import mask_of  # noqa: E402
from gumshoe.core.signals.trims import RegionTrim  # noqa: E402
from gumshoe.core.suspects import Assessment, assess  # noqa: E402
from gumshoe.core.suspects.conflict import conflict_in  # noqa: E402
from gumshoe.simulator.drives import start  # noqa: E402
from gumshoe.simulator.finding import Finding  # noqa: E402
from gumshoe.simulator.hands import observe  # noqa: E402
from gumshoe.simulator.parts import healthy  # noqa: E402
from gumshoe.simulator.vehicle import Vehicle  # noqa: E402
from tests.simulator.test_agreement import cylinder_of, snapshot, trims  # noqa: E402

MOST_STEPS = 25
PROVEN = 0.90

READS: dict[str, tuple[tuple[str, str], ...]] = {
    "look_hoses": (
        ("crankcase", "crankcase hose split"),
        ("booster", "booster hose split"),
        ("A split", "other hose split"),
        ("", "whole"),
    ),
    "look_ducts": (("slipped off", "loose or torn"), ("", "tight")),
    "smoke_intake": (
        ("No smoke", "nowhere"),
        ("crankcase", "crankcase ventilation hose"),
        ("booster", "brake booster hose"),
        ("manifold", "manifold joint"),
        ("duct", "duct behind the meter"),
        ("", "elsewhere"),
    ),
    "pinch_hoses": (("Idle changes", "changes"), ("", "does not change")),
    "booster_pedal": (("hiss", "stays hard or hisses"), ("", "sinks and holds")),
    "purge_suction": (("still suction", "suction"), ("", "none")),
    "exhaust_joint": (("Soot", "soot or ticking"), ("", "tight")),
    "look_filter": (("packed", "packed"), ("", "clean")),
    "coil_swap": (("moved", "moved with the coil"), ("stayed", "stayed"), ("", "cannot tell")),
    "look_connectors": (("Off:", "one off"), ("", "all home")),
    "look_throttle": (("carbon", "carbon ring"), ("sticks", "sticks or is jammed"), ("", "clean")),
    "look_cap": (("loose", "loose, cross-threaded or cracked"), ("", "tight and whole")),
    "look_oil": (("low", "low, overdue or wrong"), ("", "right")),
    "cam_command": (("", "all follow"),),
    "bearing_clearance": (("beyond", "beyond the limit"), ("", "within the limit")),
}
CHECKS = (
    ("circuit open", "circuit open"),
    ("does not answer", "circuit good, part does not answer"),
    ("", "circuit and part good"),
)
POINTS = (("Lost or dropping", "lost or dropping"), ("", "good under load"))


@dataclass
class Job:
    """What it took: minutes, money, repairs in order, the good parts among them, whether the first was right."""

    minutes: float = 0.0
    money: float = 0.0
    tests: list[str] = field(default_factory=list)
    repairs: list[str] = field(default_factory=list)
    good_parts: int = 0
    cured: bool = False
    stated: list[tuple[float, bool]] = field(default_factory=list)
    proven_wrong: bool = False
    """Whether a good part was renewed, or a good joint mended, on the strength of a test that showed it."""

    @property
    def first_time(self) -> bool:
        return self.cured and len(self.repairs) == 1


class Technician:
    """One case on one car."""

    def __init__(
        self, car: Vehicle, known: Knowledge, specification: Specification, truth: str, odometer_km: float
    ) -> None:
        self.car, self.known, self.specification, self.truth = car, known, specification, truth
        self.odometer_km, self.costs, self.job = odometer_km, Costs(), Job()
        self.seen = snapshot(car)
        self.trims: tuple[RegionTrim, ...] = ()
        self.outcomes: list[TestOutcome] = []
        self.failed: list[tuple[str, str, str]] = []
        self.slips: Callable[[int], bool] = lambda number: False
        self.luck = random.Random(f"{truth} {odometer_km}")

    def assess(self) -> Assessment:
        """The ranking as it stands."""
        evidence = OnRecord(
            module=self.seen.engine,
            trims=tuple((trim, "r", "1") for trim in self.trims),
            tests=tuple(self.outcomes),
            failed_repairs=tuple(self.failed),
            specification=self.specification,
        )
        return assess(self.known, extract(evidence, self.known), odometer_km=self.odometer_km)

    def note(self, found: Assessment) -> None:
        """Keep what was stated about each suspect worth mentioning, and whether it was so."""
        self.job.stated += [
            (item.probability, item.id == self.truth) for item in found.suspects if item.probability >= 0.01
        ]

    def test(self, test: TestRow) -> bool:
        """Make a test; False when the car has nothing to show for it."""
        self.job.minutes += test.minutes
        self.job.money += self.costs.of_minutes(test.minutes)
        self.job.tests.append(test.id)
        if test.measures:
            self.trims = trims(self.car)
            return True
        if "running" in test.needs or any(reading.kind == "number" for reading in test.readings):
            self.car.begin(start(60.0))
            self.car.run(62.0)
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
        if self.slips(len(self.outcomes)):
            outcome = self.luck.choice([item.id for item in test.outcomes if item.id != outcome])
        self.outcomes.append(TestOutcome(test.id, outcome, "stand-in", "1"))
        return True

    @staticmethod
    def read(test: TestRow, reading: ReadingRow, finding: Finding) -> float | str | None:
        """Put a finding into the form."""
        if reading.kind == "number":
            return finding.value
        if reading.key == CYLINDER:
            return cylinder_of(finding.words)
        if reading.key in ASKED:
            said = set(re.findall(r"[a-z]+|\d+", finding.words.lower()))
            named = (option for option in reading.options[1:] if {reading.key, *option.split()} <= said)
            return next(named, reading.options[0])
        rules = CHECKS if test.origin == "generated" else READS.get(test.id, ())
        if "good under load" in reading.options:
            rules = POINTS
        if rules:
            return next((option for word, option in rules if word in finding.words), None)
        said = set(re.findall(r"[a-z]{3,}|\d+", finding.words.lower()))

        def overlap(option: str) -> float:
            words = set(re.findall(r"[a-z]{3,}|\d+", option.lower()))
            return len(words & said) / max(len(words), 1)

        best = max(reading.options, key=overlap)
        return best if overlap(best) > 0.0 else None

    def repair(self, name: str) -> bool:
        """Carry a repair out and prove it; True when nothing is left wrong."""
        row = self.known.repairs[name]
        self.job.minutes += row.minutes + self.costs.proof_minutes
        self.job.money += self.costs.of_repair(row)
        changed = self.car.carry_out(row.component, self.known.reached_by(name), wiring=row.wiring)
        self.job.repairs.append(name)
        if not changed and float(row.parts) > 0.0:
            self.job.good_parts += 1
        self.failed.append((name, "j", "1"))
        self.job.cured = repr(self.car.parts) == repr(healthy(self.car.model))
        return self.job.cured


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
    """A technician who follows one of our strategies. ``slips``: whether the test of that number is misread."""

    def work(man: Technician) -> None:
        man.slips = slips or man.slips
        man.note(man.assess())
        for _ in range(MOST_STEPS):
            found = man.assess()
            lead = found.suspects[0]
            conflict = conflict_in(found, (row.test for row in man.outcomes))
            if conflict and strategy is not Strategy.FREQUENT:
                man.test(man.known.tests[conflict.odd.variable])
                continue
            proven = bool(lead.proven_by) and lead.probability >= PROVEN
            test = None
            if strategy is not Strategy.FREQUENT and not proven:
                known = {"trim_idle", "trim_2500"} if man.trims else set()
                rows = propose(found, man.known, man.costs, done=man.job.tests, known=known)
                if strategy is Strategy.TELLING:
                    useful = [row for row in rows if row.saving > 0.0]
                else:
                    useful = [
                        row
                        for row in in_order_of(strategy, rows)
                        if is_quick_look(row.test) and row.bits >= CAN_CHANGE_BITS
                    ]
                test = useful[0].test if useful else None
            if test is not None:
                man.test(test)
                continue
            name = lead.row.repair if proven and lead.row.repair not in man.job.repairs else best_repair(man, found)
            man.note(found)
            cured = man.repair(name)
            man.job.proven_wrong |= proven and not cured
            if cured:
                return

    return work


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
    for name in sorted(score, key=lambda repair: -score[repair])[:MOST_STEPS]:
        if man.repair(name):
            return


def knowing_it(man: Technician) -> None:
    """The floor: somebody tells what it is, and it is mended."""
    man.repair(man.known.faults[man.truth].repair)


def in_random_order(seed: int) -> Callable[[Technician], None]:
    """Repairs of suspects that the first code names, in any order."""

    def work(man: Technician) -> None:
        engine = man.seen.engine
        present = {item.code for item in engine.codes} if engine else set()
        names = sorted(
            {
                fault.repair
                for fault in man.known.faults.values()
                if present & set(fault.codes) or (fault.misfires and any(c.startswith("P03") for c in present))
            }
        )
        random.Random(seed).shuffle(names)
        for name in names[:MOST_STEPS]:
            if man.repair(name):
                return

    return work
