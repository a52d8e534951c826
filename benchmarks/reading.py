#!/usr/bin/env python3
"""Time to read a case of 40 codes over 12 modules: clues, posterior over sets of up to three, roles and order.

Baseline in the same run: the posterior by its definition in plain Python, over the same suspects, sets of up to two
only (sets of three by this way would take hours). Writes benchmarks/figures/reading.json.

    .venv/bin/python benchmarks/reading.py
"""

from __future__ import annotations

import itertools
import json
import math
import platform
import statistics
import sys
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from gumshoe.core.clues import Clue, OnRecord, extract  # noqa: E402
from gumshoe.core.codes import CodeState  # noqa: E402
from gumshoe.core.knowledge.catalogue import Knowledge, expand  # noqa: E402
from gumshoe.core.knowledge.presets import describe  # noqa: E402
from gumshoe.core.obd.snapshot import ModuleSnapshot, StoredCode  # noqa: E402
from gumshoe.core.suspects import Assessment, assess  # noqa: E402
from gumshoe.core.suspects.rates import priors  # noqa: E402
from gumshoe.core.suspects.relations import read_codes  # noqa: E402

CODES = [
    "P0171",
    "P0174",
    "P0300",
    "P0302",
    "P0016",
    "P0011",
    "P0113",
    "P0102",
    "P0352",
    "P0444",
    "P0447",
    "P0030",
    "P0036",
    "P0299",
    "P0455",
    "P0441",
    "P0562",
    "P0700",
    "P0741",
    "P0715",
    "U0100",
    "U0101",
    "U0121",
    "U0131",
    "U0140",
    "U0155",
    "U0164",
    "U0151",
    "U0401",
    "U0402",
    "U0422",
    "U0423",
    "U0415",
    "U0447",
    "U0146",
    "P0638",
    "P2111",
    "P2135",
    "P0606",
    "P0420",
]
MODULES, ROUNDS = 12, 15
LIMIT_MS = 50.0


def modules() -> list[ModuleSnapshot]:
    """The codes dealt out over the modules."""
    return [
        ModuleSnapshot(0x7E8 + n, codes=tuple(StoredCode(code, CodeState.CONFIRMED) for code in CODES[n::MODULES]))
        for n in range(MODULES)
    ]


def read(known: Knowledge, parts: list[ModuleSnapshot]) -> tuple[Assessment, tuple[Clue, ...]]:
    """What the Read page computes."""
    clues = extract(OnRecord(module=parts[0], others=tuple(parts[1:])), known)
    found = assess(known, clues)
    read_codes(dict.fromkeys(CODES, (CodeState.CONFIRMED,)), known, found)
    return found, clues


def plain(known: Knowledge, clues: tuple[Clue, ...], names: list[str]) -> float:
    """Seconds for the posterior by its definition over sets of up to two."""
    prior = dict(zip(names, priors(known, names, None), strict=True))
    began, total = time.perf_counter(), 0.0
    for size in range(3):
        for chosen in itertools.combinations(names, size):
            weight = math.prod(prior[name] / (1 - prior[name]) for name in chosen)
            for clue in clues:
                if clue.kind.value != "code":
                    continue
                absent = 1.0 - known.leaks[clue.variable]
                for name in chosen:
                    absent *= 1.0 - known.faults[name].codes.get(clue.variable, 0.0)
                weight *= absent if clue.value == "absent" else 1.0 - absent
            total += weight
    return time.perf_counter() - began


def main() -> int:
    """Run, print, write the figures; the exit code says whether the limit holds."""
    known = expand(
        describe(
            {
                "layout": "V",
                "cylinders": 6,
                "phasers": "both",
                "injection": "direct",
                "induction": "turbo",
                "egr": True,
                "secondary_air": True,
                "evap": "leak detection pump",
                "gearbox": "automatic with torque converter",
                "air_metering": "both",
            }
        )
    )
    parts = modules()
    began = time.perf_counter()
    found, clues = read(known, parts)
    first = (time.perf_counter() - began) * 1000.0
    times = []
    for _ in range(ROUNDS):
        began = time.perf_counter()
        read(known, parts)
        times.append((time.perf_counter() - began) * 1000.0)
    model = found.model
    assert model is not None
    by_definition = plain(known, clues, list(model.faults)) * 1000.0
    figures = {
        "python": platform.python_version(),
        "suspects": len(known.faults),
        "clues": len(clues),
        "sets": len(model.sets),
        "first_ms": round(first, 1),
        "median_ms": round(statistics.median(times), 1),
        "baseline_pairs_by_definition_ms": round(by_definition, 1),
        "ratio": round(by_definition / statistics.median(times), 1),
        "limit_ms": LIMIT_MS,
    }
    folder = ROOT / "benchmarks" / "figures"
    folder.mkdir(exist_ok=True)
    (folder / "reading.json").write_text(json.dumps(figures, indent=1) + "\n", encoding="utf-8")
    print(json.dumps(figures, indent=1))
    return 0 if figures["median_ms"] <= LIMIT_MS else 1


if __name__ == "__main__":
    raise SystemExit(main())
