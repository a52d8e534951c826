#!/usr/bin/env python3
"""Does it pay to think? Every fault the stand-in can have, worked by each strategy with the real tests, to the repair.

Over three kinds of car. Reports the share right first time, minutes, money and good parts renewed, against the *most
frequent fix for the first code*, a random order, and a man who knew the fault from the start (which is the floor: a
proven repair and nothing else) in the same run; and the calibration of the stated probabilities (Brier score, expected
calibration error in ten bins). Writes benchmarks/figures/diagnosis.json.

    .venv/bin/python benchmarks/diagnosis.py [--seeds 1] [--cars 3] [--only "PART OF CAR OR DEFECT"]
"""

from __future__ import annotations

import argparse
import json
import statistics
import sys
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from random import Random
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from benchmarks.technician import (  # noqa: E402
    Job,
    Technician,
    first_misread,
    in_random_order,
    knowing_it,
    most_frequent_for_the_first_code,
    work_by,
)
from benchmarks.truths import CARS, suspect_of  # noqa: E402
from gumshoe.core.planning import Strategy  # noqa: E402

BINS = 10
BASELINE = "most frequent fix for the first code"
FORESIGHT = "knowing it from the start"
MISREAD, SLIPS, SLIP_RATE = "first test misread", "one test in twenty misread", 0.05
Line = Callable[[Technician], None]


def lines(seed: int) -> dict[str, Line]:
    """Every way of working that is compared, by name."""
    luck = Random(seed)
    return {way.value: work_by(way) for way in Strategy} | {
        MISREAD: work_by(Strategy.TELLING, first_misread),
        SLIPS: work_by(Strategy.TELLING, lambda _number: luck.random() < SLIP_RATE),
        BASELINE: most_frequent_for_the_first_code,
        "random order": in_random_order(seed),
        FORESIGHT: knowing_it,
    }


@dataclass(frozen=True)
class Worked:
    """One fault of one car, worked by every line; no jobs when the car had set no code and nobody would bring it."""

    car: str
    defect: str
    jobs: dict[str, Job]


def worked(task: tuple[int, str, int]) -> Worked:
    """Work one case: (index of the car, defect, seed)."""
    index, defect, seed = task
    car = CARS[index]
    state, jobs = car.driven(defect, seed), {}
    for name, work in lines(seed).items():
        standing = car.fresh(defect, seed)
        standing.restore(state)
        truth = suspect_of(defect, car.built)
        man = Technician(standing, car.known, car.described.specification, truth, car.odometer_km)
        if not (man.seen.engine and man.seen.engine.codes):
            return Worked(car.model, defect, {})
        work(man)
        jobs[name] = man.job
    return Worked(car.model, defect, jobs)


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


def summary(jobs: list[Job]) -> dict[str, float]:
    """Means over the cases."""
    return {
        "right_first_time": round(statistics.mean(job.first_time for job in jobs), 3),
        "cured_at_all": round(statistics.mean(job.cured for job in jobs), 3),
        "minutes": round(statistics.mean(job.minutes for job in jobs), 1),
        "money": round(statistics.mean(job.money for job in jobs), 2),
        "good_parts": round(statistics.mean(job.good_parts for job in jobs), 3),
        "proven_and_wrong": round(statistics.mean(job.proven_wrong for job in jobs), 3),
        "tests": round(statistics.mean(len(job.tests) for job in jobs), 2),
    }


def compared(cases: list[Worked]) -> dict[str, Any]:
    """The table of a group of cases, and what we pay against the baseline."""
    table = {name: summary([case.jobs[name] for case in cases]) for name in cases[0].jobs}
    ours, floor, line = (table[name]["money"] for name in (Strategy.TELLING.value, FORESIGHT, BASELINE))
    return {
        "cases": len(cases),
        "strategies": table,
        "money_ratio": round(ours / line, 3),
        "money_ratio_of_foresight": round(floor / line, 3),
        "spent_on_finding_it": {"ours": round(ours - floor, 2), "baseline": round(line - floor, 2)},
    }


def main() -> int:
    """Run everything on all cores, print a table, write the figures."""
    reader = argparse.ArgumentParser(description=__doc__)
    reader.add_argument("--seeds", type=int, default=1)
    reader.add_argument("--cars", type=int, default=len(CARS))
    reader.add_argument("--only", default="")
    options = reader.parse_args()
    tasks = [
        (index, defect, seed)
        for index in range(options.cars)
        for defect in CARS[index].defects
        for seed in range(options.seeds)
        if options.only in f"{CARS[index].model} {defect}"
    ]
    began = time.monotonic()
    with ProcessPoolExecutor() as pool:
        everyone = list(pool.map(worked, tasks))
    brought = [case for case in everyone if case.jobs]
    ours = Strategy.TELLING.value
    figures: dict[str, Any] = {
        **compared(brought),
        "by_car": {
            car.model: compared(own) for car in CARS if (own := [case for case in brought if case.car == car.model])
        },
        "calibration": calibration([row for case in brought for row in case.jobs[ours].stated]),
        "no_suspect_here": [f"{car.model}: {name}" for car in CARS[: options.cars] for name in car.unnamed],
        "brought_no_code": sorted({f"{case.car}: {case.defect}" for case in everyone if not case.jobs}),
        "dearest": [
            f"{case.car}: {case.defect}: {case.jobs[ours].money - case.jobs[FORESIGHT].money:.0f} beyond the repair: "
            f"{case.jobs[ours].tests}"
            for case in sorted(brought, key=lambda case: case.jobs[FORESIGHT].money - case.jobs[ours].money)[:10]
        ],
        "not_right_first_time": [
            f"{case.car}: {case.defect}: {case.jobs[ours].tests} then {case.jobs[ours].repairs}"
            for case in brought
            if not case.jobs[ours].first_time
        ],
        "seconds": round(time.monotonic() - began),
    }
    folder = ROOT / "benchmarks" / "figures"
    folder.mkdir(exist_ok=True)
    if not options.only:
        (folder / "diagnosis.json").write_text(json.dumps(figures, indent=1) + "\n", encoding="utf-8")
    else:
        for case in brought:
            print(
                case.car,
                case.defect,
                *(
                    f"{name}: {round(job.money)} {job.tests} {job.repairs};"
                    for name, job in case.jobs.items()
                    if name in (ours, BASELINE)
                ),
            )
    print(json.dumps(figures, indent=1))
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
