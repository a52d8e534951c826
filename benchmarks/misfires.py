#!/usr/bin/env python3
"""Misfires: is what stands behind a pattern of misfiring cylinders among the suspects, whatever the engine?

Every cylinder, every pair of cylinders and every whole bank of six engines, told by codes alone and by counters with
codes. A pattern is found where every cylinder of it is touched by one of the first eight suspects, or one stands
for exactly these; a bank where a point that its cylinders share comes before chain and gasket. Baseline in the same
run: the suspects ranked by what each explains alone (no sets, so no faults that add up).
Writes benchmarks/figures/misfires.json.

    .venv/bin/python benchmarks/misfires.py
"""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from itertools import combinations
from pathlib import Path
from random import Random

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from gumshoe.core.clues import OnRecord, extract  # noqa: E402
from gumshoe.core.codes import CodeState, TroubleCode  # noqa: E402
from gumshoe.core.knowledge.catalogue import Knowledge, expand  # noqa: E402
from gumshoe.core.obd.results import MonitorResult  # noqa: E402
from gumshoe.core.obd.snapshot import ModuleSnapshot, StoredCode  # noqa: E402
from gumshoe.core.obd.status import Monitor, MonitorStatus  # noqa: E402
from gumshoe.core.powertrain.description import Ignition, Layout, Numbering, Powertrain  # noqa: E402
from gumshoe.core.powertrain.misfires import mask_of  # noqa: E402
from gumshoe.core.powertrain.positions import bank_members  # noqa: E402
from gumshoe.core.suspects.posterior import assess  # noqa: E402

ENGINES = {
    "in-line three": Powertrain(cylinders=3, firing_order=(1, 3, 2)),
    "in-line four": Powertrain(),
    "in-line four, wasted spark": Powertrain(ignition=Ignition.WASTED_SPARK),
    "in-line six": Powertrain(cylinders=6, firing_order=(1, 5, 3, 6, 2, 4)),
    "V6": Powertrain(cylinders=6, layout=Layout.V, firing_order=(1, 4, 2, 5, 3, 6)),
    "V8": Powertrain(
        cylinders=8, layout=Layout.V, numbering=Numbering.ALTERNATING, firing_order=(1, 8, 4, 3, 6, 5, 7, 2)
    ),
}
MONITORS = ("misfire", "fuel system", "comprehensive components", "catalyst", "oxygen sensor", "EGR / VVT")
LOOKED_AT = 8


def patterns(engine: Powertrain) -> Iterator[tuple[str, tuple[int, ...]]]:
    """Singles, pairs and whole banks."""
    everyone = range(1, engine.cylinders + 1)
    yield from (("one", (n,)) for n in everyone)
    yield from (("pair", pair) for pair in combinations(everyone, 2))
    if engine.banks == 2:
        yield from (("bank", bank_members(engine, bank)) for bank in (1, 2))


def module(engine: Powertrain, dead: tuple[int, ...], counted: bool, rng: Random) -> ModuleSnapshot:
    """A scan: codes of the cylinders, and counters in which the cylinders misfire unequally often."""
    codes = [f"P03{n:02d}" for n in dead] + (["P0300"] if len(dead) > 1 and counted else [])
    results = []
    for n in range(1, engine.cylinders + 1) if counted else ():
        count = int(10 ** rng.uniform(2.0, 3.3)) if n in dead else rng.choice((0, 0, 1, 3, 8))
        results.append(MonitorResult(0xA1 + n, 0x0C, "misfire", "counts", float(count), 0.0, 65535.0))
    stored = tuple(StoredCode(TroubleCode(code), CodeState.CONFIRMED) for code in codes)
    monitors = tuple(Monitor(name, True, True) for name in MONITORS)
    status = MonitorStatus(True, len(codes), False, monitors)
    return ModuleSnapshot(0x7E8, status=status, codes=stored, results=tuple(results))


def found(knowledge: Knowledge, kind: str, dead: tuple[int, ...], names: list[str]) -> bool:
    rows = [knowledge.faults[name] for name in names[:LOOKED_AT]]
    wanted = mask_of(dead)
    whole = [row for row in rows if row.misfire.get(wanted, 0.0) >= 0.05]
    if kind == "bank":
        points = [names.index(row.id) for row in whole if row.members]
        dear = [place for place, name in enumerate(names) if name.startswith(("chain", "timing_tooth", "head_gasket"))]
        return bool(points) and min(points) < min(dear, default=len(names))
    touched = {n for row in rows for n in dead if row.misfire.get(mask_of((n,)), 0.0) >= 0.5}
    return bool(whole) or touched == set(dead)


def main() -> int:
    rng, told = Random(7), {}
    for name, engine in ENGINES.items():
        knowledge = expand(engine)
        for kind, dead in patterns(engine):
            for counted in (False, True):
                clues = extract(OnRecord(module=module(engine, dead, counted, rng)), knowledge)
                result = assess(knowledge, clues)
                ranked = [item.id for item in result.suspects]
                alone = assess(knowledge, clues, max_size=1)
                plain = [item.id for item in alone.suspects]
                row = told.setdefault(f"{kind}, {'counters' if counted else 'codes'}", [0, 0, 0])
                ok = found(knowledge, kind, dead, ranked)
                row[0] += 1
                row[1] += ok
                row[2] += found(knowledge, kind, dead, plain)
                if not ok and "-v" in sys.argv:
                    top = ", ".join(f"{item.id} {item.probability:.2f}" for item in result.suspects[:5])
                    print(name, dead, "counted" if counted else "codes", f"nothing {result.nothing:.2f}", top)
    figures = {
        key: {"patterns": count, "found": ours, "found one by one": base} for key, (count, ours, base) in told.items()
    }
    (ROOT / "benchmarks/figures/misfires.json").write_text(json.dumps(figures, indent=2) + "\n")
    for key, row in figures.items():
        print(f"{key:22s} {row['found']:4d} of {row['patterns']:4d}   (one by one {row['found one by one']})")
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
