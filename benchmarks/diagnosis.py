#!/usr/bin/env python3
"""Does it pay to think? Every fault the stand-in can have, worked by each strategy with the real tests, to the repair.

Reports the share right first time, minutes, money and good parts renewed, against the *most frequent fix for the
first code* and a random order in the same run; and the calibration of the stated probabilities (Brier score, expected
calibration error in ten bins). Writes benchmarks/figures/diagnosis.json.

    .venv/bin/python benchmarks/diagnosis.py [--seeds 1] [--only PART-OF-A-DEFECT]
"""

from __future__ import annotations

import argparse
import json
import statistics
import sys
import time
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from benchmarks.technician import (  # noqa: E402
    Job,
    Technician,
    in_random_order,
    most_frequent_for_the_first_code,
    work_by,
)
from gumshoe.core.knowledge.catalogue import expand  # noqa: E402
from gumshoe.core.knowledge.platform import platforms  # noqa: E402
from gumshoe.core.planning import Strategy  # noqa: E402
from gumshoe.simulator.drives import PROFILES  # noqa: E402
from gumshoe.simulator.parts import DEFECTS  # noqa: E402
from gumshoe.simulator.vehicle import Identity, Vehicle  # noqa: E402

BINS = 10
CARS = ((61_000.0, 64.0), (131_000.0, 21.0), (212_000.0, 40.0))
"""The cars of a run: odometer and the coolant temperature they were found at; all of the one engine we have."""
TRUTHS = {
    "crankcase-hose-split": "crankcase_hose_split",
    "booster-hose-cracked": "booster_hose_leak",
    "manifold-gasket": "manifold_gasket_leak",
    "duct-loose": "intake_duct_loose",
    "meter-low": "air_flow_meter_low",
    "pump-weak": "fuel_supply_weak",
    "purge-passing": "purge_valve_passing",
    "sensor-lean": "upstream_sensor_lean",
    "exhaust-leak": "exhaust_leak_upstream",
    "thermostat-open": "thermostat_open",
    "catalyst-worn": "catalyst_worn",
    "heater-open": "sensor_heater_open",
    "air-filter-clogged": "air_filter_clogged",
} | {
    f"{part}-{n}-{how}": f"{name}_{n}"
    for n in range(1, 5)
    for part, how, name in (
        ("coil", "weak", "coil_breakdown"),
        ("plug", "worn", "plug_bad"),
        ("injector", "clogged", "injector_weak"),
        ("compression", "low", "compression_low"),
    )
}


def driven(defect: str, seed: int, odometer: float, coolant: float) -> dict[str, Any]:
    """The state of a car with this defect after two mixed drives."""
    car = fresh(defect, seed, odometer, coolant)
    for _ in range(2):
        car.begin(PROFILES["mixed"])
        while car.driving:
            car.step()
    return car.save()


def fresh(defect: str, seed: int, odometer: float, coolant: float) -> Vehicle:
    """A car with this defect, not driven."""
    return Vehicle(
        Identity("UY0TN16A9E2004417", "B", 1), defects=(defect,), seed=seed, coolant_c=coolant, odometer_km=odometer
    )


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
        "tests": round(statistics.mean(len(job.tests) for job in jobs), 2),
    }


def main() -> int:
    """Run everything, print a table, write the figures."""
    reader = argparse.ArgumentParser(description=__doc__)
    reader.add_argument("--seeds", type=int, default=1)
    reader.add_argument("--cars", type=int, default=len(CARS))
    reader.add_argument("--only", default="")
    options = reader.parse_args()
    platform = platforms()["ostrel_tern_16"]
    known = expand(platform.powertrain, platform.local)
    ways = {way.value: work_by(way) for way in Strategy}
    jobs: dict[str, list[Job]] = {name: [] for name in (*ways, "most frequent fix for the first code", "random order")}
    silent, wrong, began = [], [], time.monotonic()
    for defect in (name for name in DEFECTS if name in TRUTHS and options.only in name):
        for odometer, coolant in CARS[: options.cars]:
            for seed in range(options.seeds):
                state = driven(defect, seed, odometer, coolant)
                lines = ways | {
                    "most frequent fix for the first code": most_frequent_for_the_first_code,
                    "random order": in_random_order(seed),
                }
                for name, work in lines.items():
                    car = fresh(defect, seed, odometer, coolant)
                    car.restore(state)
                    man = Technician(car, known, platform.specification, TRUTHS[defect], odometer)
                    if not (man.seen.engine and man.seen.engine.codes):
                        silent.append(f"{defect} at {odometer:.0f} km")
                        break  # no code, no lamp, no complaint: nobody would bring this car
                    work(man)
                    jobs[name].append(man.job)
                    if name == Strategy.TELLING.value and not man.job.first_time:
                        wrong.append(f"{defect} at {odometer:.0f} km: {man.job.tests} then {man.job.repairs}")
    figures: dict[str, Any] = {
        "cases": len(jobs[Strategy.TELLING.value]),
        "brought_no_code": sorted(set(silent)),
        "seconds": round(time.monotonic() - began),
        "strategies": {name: summary(found) for name, found in jobs.items() if found},
        "calibration": calibration([row for job in jobs[Strategy.TELLING.value] for row in job.stated]),
        "not_right_first_time": wrong,
    }
    ours = figures["strategies"][Strategy.TELLING.value]["money"]
    figures["money_ratio"] = round(ours / figures["strategies"]["most frequent fix for the first code"]["money"], 3)
    folder = ROOT / "benchmarks" / "figures"
    folder.mkdir(exist_ok=True)
    if not options.only:
        (folder / "diagnosis.json").write_text(json.dumps(figures, indent=1) + "\n", encoding="utf-8")
    print(json.dumps(figures, indent=1))
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
