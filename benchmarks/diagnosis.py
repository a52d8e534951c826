#!/usr/bin/env python3
"""Does it pay to think? Every fault that the stand-ins can have and somebody would notice, worked with the real tests,
to the repair: faults of parts, of wires, and two at once.

Over eight kinds of car. What the driver felt is the complaint (``practice/heard.py``); which repairs cure is found in
the physics (``practice/cures.py``), whatever our tables call the fault; one that no repair of ours reaches is a
failure. Reports the share right first time, minutes, money and good parts renewed, against the *most frequent fix for
the first code*, a random order, and a man who knew the fault from the start (which is the floor: a proven repair and
nothing else) in the same run; and the calibration of the stated probabilities (Brier score, expected calibration error
in ten bins). What is stated is taken for what the physics cannot tell apart by a repair (``alike``): a loose plug that
either of two repairs cures is one statement, their sum, and not two that both came true. Writes
benchmarks/figures/diagnosis.json.

    .venv/bin/python benchmarks/diagnosis.py [--seeds 1] [--begin N] [--parts N] [--wires N] [--pairs N] [--only "NAME"]
"""

from __future__ import annotations

import argparse
import json
import statistics
import sys
import time
from collections.abc import Callable, Iterable
from concurrent.futures import ProcessPoolExecutor, as_completed
from copy import deepcopy
from dataclasses import dataclass, replace
from pathlib import Path
from random import Random
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from benchmarks.technician import in_random_order  # noqa: E402
from gumshoe.core.planning import Strategy  # noqa: E402
from gumshoe.practice.cars import CARS, Car  # noqa: E402
from gumshoe.practice.cures import cures  # noqa: E402
from gumshoe.practice.heard import Drives  # noqa: E402
from gumshoe.practice.trainee import (  # noqa: E402
    Job,
    Technician,
    Truth,
    first_misread,
    knowing_it,
    most_frequent_for_the_first_code,
    work_by,
)

BINS, LEAST = 10, 0.01
BASELINE = "most frequent fix for the first code"
FORESIGHT = "knowing it from the start"
MISREAD, SLIPS, SLIP_RATE = "first test misread", "one test in twenty misread", 0.05
Line = Callable[[Technician], None]


def lines(seed: str, every: bool) -> dict[str, Line]:
    """The ways of working that are compared, by name: ``every`` one, or those that the goals speak of. ``seed``: of the
    case, so that in each another test is misread."""
    luck = Random(seed)
    others = {way.value: work_by(way) for way in Strategy} | {"random order": in_random_order(seed)} if every else {}
    return others | {
        Strategy.TELLING.value: work_by(Strategy.TELLING),
        MISREAD: work_by(Strategy.TELLING, first_misread),
        SLIPS: work_by(Strategy.TELLING, lambda _number: luck.random() < SLIP_RATE),
        BASELINE: most_frequent_for_the_first_code,
        FORESIGHT: knowing_it,
    }


@dataclass(frozen=True)
class Task:
    """One car to be worked: index of the kind, its faults, a seed, and whether every way of working is tried."""

    index: int
    defects: tuple[str, ...]
    seed: int
    every: bool = False


@dataclass(frozen=True)
class Worked:
    """One car, worked by every line; no jobs when nobody would bring it. ``curable``: whether our tables know a repair
    that reaches each of its faults."""

    car: str
    defects: tuple[str, ...]
    jobs: dict[str, Job]
    curable: bool = True
    codes: bool = True
    truth: tuple[frozenset[str], ...] = ()

    @property
    def named(self) -> str:
        return f"{self.car}: {' and '.join(self.defects)}"


def technician(car: Car, task: Task, state: dict[str, Any], felt: Drives, truth: Truth = ()) -> Technician:
    """Somebody at the car as it came from its drives."""
    standing = car.fresh(*task.defects, seed=task.seed)
    standing.restore(state)
    return Technician(standing, car.known, car.described.specification, truth, deepcopy(felt))


def noticed(task: Task) -> bool:
    """Whether somebody would bring the car for each of its faults alone: two at once are two that a person notices."""
    car = CARS[task.index]
    alone = (replace(task, defects=(defect,)) for defect in task.defects)
    return all(technician(car, one, *car.driven(*one.defects, seed=one.seed)).noticed for one in alone)


def worked(task: Task) -> Worked:
    """Work one case. A car that nobody would bring, or of two faults one that nobody would, has no jobs."""
    car = CARS[task.index]
    if len(task.defects) > 1 and not noticed(task):
        return Worked(car.model, task.defects, {})
    state, felt = car.driven(*task.defects, seed=task.seed)
    truth = tuple(cures(car.fresh(defect, seed=task.seed), car.known) for defect in task.defects)
    jobs = {}
    codes = False
    for name, work in lines(f"{car.model} {task.defects} {task.seed}", task.every).items():
        man = technician(car, task, state, felt, truth)
        codes = bool(man.seen.engine and man.seen.engine.codes)
        if not man.noticed:
            return Worked(car.model, task.defects, {})
        work(man)
        jobs[name] = man.job
    return Worked(car.model, task.defects, jobs, all(truth), codes, truth)


def ways(index: int) -> list[frozenset[str]]:
    """Of the faults of a kind of car (all of its parts, every eighth of its wires) the repairs that cure each."""
    car = CARS[index]
    return [cures(car.fresh(key, seed=0), car.known) for key in (*car.defects, *car.wires[::8])]


def alike(together: Iterable[frozenset[str]]) -> dict[str, str]:
    """Each repair under one name with all that cure a fault which it cures too: a partition by part, wires and plug
    with it (and one for all injectors, since cleaning them cures each)."""
    root: dict[str, str] = {}

    def first(name: str) -> str:
        while root.setdefault(name, name) != name:
            name = root[name]
        return name

    for names in together:
        firsts = sorted(map(first, names))
        root.update(dict.fromkeys(firsts, firsts[0] if firsts else ""))
    return {name: first(name) for name in list(root)}


def statements(case: Worked, way: str, groups: dict[str, str]) -> list[tuple[float, bool]]:
    """What was said in a case, and whether it was so: of each group of repairs with one in a hundred."""
    needed = {groups.get(name, name) for names in case.truth for name in names}
    rows: list[tuple[float, bool]] = []
    for said in case.jobs[way].stated:
        chance: dict[str, float] = {}
        for name, p in said.items():
            group = groups.get(name, name)
            chance[group] = chance.get(group, 0.0) + p
        rows += [(min(p, 1.0), group in needed) for group, p in chance.items() if p >= LEAST]
    return rows


def calibration(stated: list[tuple[float, bool]]) -> dict[str, Any]:
    """Brier score, expected calibration error, and the reliability curve."""
    curve, error = [], 0.0
    for index in range(BINS):
        inside = [
            (p, true) for p, true in stated if index / BINS <= p < (index + 1) / BINS or (index == 9 and p == 1.0)
        ]
        if inside:
            mean, share = statistics.mean(p for p, _ in inside), statistics.mean(true for _, true in inside)
            curve.append({"stated": round(mean, 3), "was_so": round(share, 3), "n": len(inside)})
            error += len(inside) / len(stated) * abs(mean - share)
    brier = statistics.mean((p - true) ** 2 for p, true in stated) if stated else 0.0
    return {"n": len(stated), "brier": round(brier, 4), "ece": round(error, 4), "reliability": curve}


def stated_by(cases: list[Worked], way: str, groups: dict[str, dict[str, str]]) -> dict[str, Any]:
    """The calibration of all that one way of working said."""
    return calibration([row for case in cases for row in statements(case, way, groups[case.car])])


def summary(jobs: list[Job]) -> dict[str, float]:
    """Means over the cases."""
    return {
        "mended_and_nothing_good_renewed": round(statistics.mean(job.cured and not job.good_parts for job in jobs), 3),
        "right_first_time": round(statistics.mean(job.first_time for job in jobs), 3),
        "cured_at_all": round(statistics.mean(job.cured for job in jobs), 3),
        "minutes": round(statistics.mean(job.minutes for job in jobs), 1),
        "money": round(statistics.mean(job.money for job in jobs), 2),
        "good_parts": round(statistics.mean(job.good_parts for job in jobs), 3),
        "proven_and_wrong": round(statistics.mean(job.proven_wrong for job in jobs), 3),
        "tests": round(statistics.mean(len(job.tests) for job in jobs), 2),
    }


def compared(cases: list[Worked], groups: dict[str, dict[str, str]]) -> dict[str, Any]:
    """The table of a group of cases, and what we pay against the baseline. A fault that no repair of ours reaches is a
    failure; of money only those speak that can be cured. ``groups``: of each kind of car, see ``alike``."""
    curable = [case for case in cases if case.curable]
    table = {name: summary([case.jobs[name] for case in cases]) for name in cases[0].jobs}
    money = {name: statistics.mean(case.jobs[name].money for case in curable) for name in cases[0].jobs}
    ours, floor, line = (money[name] for name in (Strategy.TELLING.value, FORESIGHT, BASELINE))
    return {
        "cases": len(cases),
        "no_repair_reaches": len(cases) - len(curable),
        "strategies": table,
        "money_ratio": round(ours / line, 3),
        "money_ratio_of_foresight": round(floor / line, 3),
        "spent_on_finding_it": {
            "ours": round(ours - floor, 2),
            "baseline": round(line - floor, 2),
            "share": round((ours - floor) / max(line - floor, 1.0), 3),
        },
        "calibration": stated_by(cases, Strategy.TELLING.value, groups),
        "calibration_" + SLIPS.replace(" ", "_"): stated_by(cases, SLIPS, groups),
    }


def spread(keys: tuple[str, ...], most: int, luck: Random) -> list[str]:
    """So many of them, evenly from the whole list, begun anywhere."""
    step = max(len(keys) / max(most, 1), 1.0)
    begin = luck.random()
    return [keys[int((place + begin) * step) % len(keys)] for place in range(min(most, len(keys)))]


def tasks(parts: int, wires: int, pairs: int, seeds: range, only: str, every: bool) -> dict[str, list[Task]]:
    """Faults of parts, of wires, and pairs of parts' faults, of every kind of car."""
    found: dict[str, list[Task]] = {"parts": [], "wires": [], "pairs": []}
    for seed in seeds:
        for index, car in enumerate(CARS):
            luck = Random(f"{car.model} {seed}")
            if only and only not in car.model and not any(only in key for key in car.defects):
                continue
            named = [key for key in car.defects if only in key or only in car.model]
            found["parts"] += [Task(index, (key,), seed, every) for key in spread(tuple(named), parts, luck)]
            found["wires"] += [Task(index, (key,), seed) for key in spread(car.wires, wires, luck)]
            for _ in range(pairs):
                first, second = luck.sample(car.defects, 2)
                found["pairs"].append(Task(index, (first, second), seed))
    return found


def main() -> int:
    """Run everything on all cores, print a table, write the figures."""
    reader = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    reader.add_argument("--seeds", type=int, default=1)
    reader.add_argument("--begin", type=int, default=0, help="the first seed: other faults, and other luck")
    reader.add_argument("--parts", type=int, default=1000, help="faults of parts, of each kind of car")
    reader.add_argument("--wires", type=int, default=20, help="faults of wires, of each kind of car")
    reader.add_argument("--pairs", type=int, default=40, help="pairs of faults, of each kind of car")
    reader.add_argument("--only", default="", help="part of the name of a car or fault")
    reader.add_argument("--every", action="store_true", help="try every way of working, not only those of the goals")
    reader.add_argument("--processes", type=int, default=2)
    options = reader.parse_args()
    began, ours = time.monotonic(), Strategy.TELLING.value
    seeds = range(options.begin, options.begin + options.seeds)
    groups = tasks(options.parts, options.wires, options.pairs, seeds, options.only, options.every)
    figures: dict[str, Any] = {}
    with ProcessPoolExecutor(options.processes) as pool:
        used = sorted({task.index for chosen in groups.values() for task in chosen})
        cured = dict(zip(used, pool.map(ways, used), strict=True))
        for group, chosen in groups.items():
            waiting = {pool.submit(worked, task): task for task in chosen}
            everyone, broke = [], []
            for count, done in enumerate(as_completed(waiting), 1):
                if done.exception() is not None:  # a stand-in that breaks is a finding, not the end of the run
                    broke.append(f"{waiting[done]}: {done.exception()!r}")
                    continue
                everyone.append(done.result())
                if count % 20 == 0:
                    print(f"{group}: {count} of {len(chosen)}, {(time.monotonic() - began) / 60.0:.0f} min", flush=True)
            brought = sorted((case for case in everyone if case.jobs), key=lambda case: case.named)
            if not brought:
                continue
            repairs = {
                CARS[index].model: alike(
                    [*found, *(names for case in brought if case.car == CARS[index].model for names in case.truth)]
                )
                for index, found in cured.items()
            }
            figures[group] = {
                **compared(brought, repairs),
                "by_car": {
                    car.model: compared([case for case in brought if case.car == car.model], repairs)
                    for car in CARS
                    if any(case.curable and case.car == car.model for case in brought)
                },
                "by_complaint_alone": sum(not case.codes for case in brought),
                "nobody_noticed": len(everyone) - len(brought),
                "broke": broke,
                "no_repair_of_ours_reaches": [case.named for case in brought if not case.curable],
                "not_right": [
                    f"{case.named}: {case.jobs[ours].tests} then {case.jobs[ours].repairs}"
                    for case in brought
                    if case.curable and not (case.jobs[ours].first_time and case.jobs[ours].cured)
                ],
                "not_right_where_misread": [
                    f"{case.named}: {case.jobs[MISREAD].tests} then {case.jobs[MISREAD].repairs}"
                    for case in brought
                    if case.curable and not (case.jobs[MISREAD].first_time and case.jobs[MISREAD].cured)
                ],
                "proven_and_wrong": [case.named for case in brought if case.jobs[ours].proven_wrong],
                "dearest": [
                    f"{case.named}: {case.jobs[ours].money - case.jobs[FORESIGHT].money:.0f} beyond the repair: "
                    f"{case.jobs[ours].tests}"
                    for case in sorted(
                        (case for case in brought if case.curable),
                        key=lambda case: case.jobs[FORESIGHT].money - case.jobs[ours].money,
                    )[:10]
                ],
                "seconds": round(time.monotonic() - began),
            }
            print(json.dumps({group: figures[group]}, indent=1), flush=True)
            if not options.only:
                folder = ROOT / "benchmarks" / "figures"
                folder.mkdir(exist_ok=True)
                (folder / "diagnosis.json").write_text(json.dumps(figures, indent=1) + "\n", encoding="utf-8")
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
