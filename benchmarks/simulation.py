#!/usr/bin/env python3
"""How fast the stand-ins live: every kind driven a mixed drive, against the clock on the wall.

    .venv/bin/python -m benchmarks.simulation

Baseline in the same run: real time (1), and a million additions in plain Python, which tell the machine's speed.
"""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from gumshoe.simulator.drives import PROFILES  # noqa: E402
from gumshoe.simulator.engine import DT  # noqa: E402
from gumshoe.simulator.models import models  # noqa: E402
from gumshoe.simulator.vehicle import Identity, Vehicle  # noqa: E402

GOAL = 50.0
FIGURES = Path(__file__).parent / "figures" / "simulation.json"


def times_real(kind: str, *defects: str) -> float:
    """How many times faster than real time one car of that kind lives."""
    car = Vehicle(Identity("UY0TN16A9G2000001", "B", 1), models()[kind], defects=defects, seed=3, coolant_c=64.0)
    car.begin(PROFILES["brief"])
    steps, begun = 0, time.perf_counter()
    while car.driving:
        car.step()
        steps += 1
    return steps * DT / (time.perf_counter() - begun)


def main() -> int:
    """Every kind, sound and with wires that come and go; writes the figures."""
    begun, total = time.perf_counter(), 0
    for number in range(1_000_000):
        total += number
    plain_ms = 1000.0 * (time.perf_counter() - begun)
    found = {}
    for kind in models():
        sound, moody = times_real(kind), times_real(kind, "coolant-sensor-vibration")
        found[kind] = {"sound": round(sound, 1), "wires that come and go": round(moody, 1)}
        print(f"{kind:12} {sound:6.0f} times real time, with a wire that comes and goes {moody:.0f}")
    least = min(min(row.values()) for row in found.values())
    verdict = "met" if least >= GOAL else "MISSED"
    print(f"least {least:.0f} times (goal {GOAL:.0f}: {verdict}); a million additions took {plain_ms:.0f} ms")
    FIGURES.parent.mkdir(exist_ok=True)
    FIGURES.write_text(json.dumps({"kinds": found, "least": least, "plain_ms": plain_ms}, indent=1) + "\n")
    return 0 if least >= GOAL else 1


if __name__ == "__main__":
    raise SystemExit(main())
