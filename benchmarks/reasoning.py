#!/usr/bin/env python3
"""Time of the posterior and of the ranking of next tests: the V6 of the stand-ins, some 330 suspects, 80 clues.

Baseline in the same run: the same posterior over the same sets, by its definition in plain Python, set by set and clue
by clue; and the same ranking of tests by its definition. Also says what share of the posterior the sets that are not
enumerated can have. Writes benchmarks/figures/reasoning.json.

    .venv/bin/python benchmarks/reasoning.py
"""

from __future__ import annotations

import json
import math
import platform
import statistics
import sys
import time
from collections.abc import Callable
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from gumshoe.core.clues import Clue, ClueKind, OnRecord, TestOutcome, extract  # noqa: E402
from gumshoe.core.clues.misfire_seen import MisfireSeen, chances  # noqa: E402
from gumshoe.core.codes import CodeState  # noqa: E402
from gumshoe.core.knowledge.catalogue import Knowledge, expand  # noqa: E402
from gumshoe.core.knowledge.places import floored  # noqa: E402
from gumshoe.core.knowledge.platform import platforms  # noqa: E402
from gumshoe.core.obd.snapshot import ModuleSnapshot, StoredCode  # noqa: E402
from gumshoe.core.obd.status import CONTINUOUS_MONITORS, SPARK_MONITORS, Monitor, MonitorStatus  # noqa: E402
from gumshoe.core.planning import Costs, propose  # noqa: E402
from gumshoe.core.signals.regions import Region  # noqa: E402
from gumshoe.core.signals.trims import RegionTrim  # noqa: E402
from gumshoe.core.suspects import Assessment, assess  # noqa: E402
from gumshoe.core.suspects.likelihood import LEAST_SAY, P_OTHER_STAYS, P_REPAIR_BAD  # noqa: E402
from gumshoe.core.suspects.rates import priors  # noqa: E402

CODES = ("P0171", "P0174", "P0300", "P0302", "P0101", "P0507", "P0443", "P0030", "P0420", "P0128", "P0455")
SYMPTOMS = ("rough_idle", "high_idle", "hesitation", "low_power", "hiss", "fuel_smell", "work_intake", "oil_overdue")
TESTS = (("look_ducts", "tight"), ("exhaust_joint", "tight"), ("spark_tester", "good"), ("look_filter", "clean"))
CLUES, ROUNDS = 80, 15
POSTERIOR_MS, TESTS_MS = 100.0, 300.0


def evidence(known: Knowledge) -> tuple[Clue, ...]:
    """Eighty clues: codes and their absences, symptoms, trims of both banks, counters, tests."""
    monitors = tuple(
        Monitor(name, True, True, name in CONTINUOUS_MONITORS) for name in (*CONTINUOUS_MONITORS, *SPARK_MONITORS)
    )
    module = ModuleSnapshot(
        0x7E8,
        codes=tuple(StoredCode(code, CodeState.CONFIRMED) for code in CODES),
        status=MonitorStatus(True, len(CODES), False, monitors),
        values={"module_v": 14.1},
    )
    trims = [
        RegionTrim(region, 2.0, total, total, 1.0, rpm, 4.0, 99, 20.0, bank)
        for region, rpm, total in ((Region.WARM_IDLE, 820.0, 24.0), (Region.HIGH_IDLE, 2500.0, 7.0))
        for bank in (1, 2)
    ]
    outcomes = tuple(
        TestOutcome(name, wanted if wanted in known_ids(known, name) else known_ids(known, name)[-1], "t", "1")
        for name, wanted in TESTS
    )
    told = OnRecord(symptoms=SYMPTOMS, module=module, trims=tuple((t, "r", "1") for t in trims), tests=outcomes)
    found = extract(told, known)
    present = [clue for clue in found if clue.value != "absent"]
    return (*present, *[clue for clue in found if clue.value == "absent"][: CLUES - len(present)])


def known_ids(known: Knowledge, test: str) -> list[str]:
    """The outcomes of a test."""
    return [item.id for item in known.tests[test].outcomes]


def by_definition(known: Knowledge, found: Assessment, clues: tuple[Clue, ...]) -> list[float]:
    """The weight of every enumerated set, one clue after the other, in plain Python."""
    assert found.model is not None
    names = found.model.faults
    odds = dict(zip(known.faults, (p / (1 - p) for p in map(float, priors(known, known.faults, None))), strict=True))
    weights = []
    for row in found.model.sets.tolist():
        members = [names[index] for index in row if index < len(names)]
        weight = math.prod(odds[name] for name in members)
        for clue in clues:
            weight *= likelihood(known, clue, members) ** clue.weight
        weights.append(weight)
    return weights


def likelihood(known: Knowledge, clue: Clue, members: list[str]) -> float:
    """P(clue | S) by its definition."""
    if clue.kind in (ClueKind.CODE, ClueKind.SYMPTOM):
        if clue.kind is ClueKind.CODE:
            leak = known.leaks[clue.variable]
        else:
            leak = known.complaints[clue.variable] if clue.brought else known.symptoms[clue.variable].leak
        absent = (1.0 - leak) * (1.0 - clue.explained)
        for name in members:
            fault = known.faults[name]
            absent *= 1.0 - (fault.codes if clue.kind is ClueKind.CODE else fault.symptoms).get(clue.variable, 0.0)
        return absent if clue.value == "absent" else 1.0 - absent
    if clue.kind is ClueKind.REPAIR:
        hit = [known.faults[name].repair == clue.variable for name in members]
        return (P_REPAIR_BAD if all(hit) else P_OTHER_STAYS) if any(hit) else 1.0
    if clue.seen is not None:
        return union_of(known, clue.seen, members)
    if clue.kind is ClueKind.GRADED:
        plain = floored(known.variables[clue.variable].normal)
        tables = [known.faults[n].graded[clue.variable] for n in members if clue.variable in known.faults[n].graded]
    else:
        test = known.tests[clue.variable]
        plain, tables = floored(test.otherwise), [test.given[n] for n in members if n in test.given]
    if not tables:
        return plain[clue.value]

    def says(table: dict[str, float]) -> float:
        return max(sum(share * math.log(share / plain[name]) for name, share in table.items()), LEAST_SAY)

    claims = [floored(table) for table in tables]
    total = sum(map(says, claims))
    return sum(says(table) / total * table[clue.value] for table in claims)


def union_of(known: Knowledge, seen: MisfireSeen, members: list[str]) -> float:
    """P(what was seen of a misfire | S): over everything that the laws of the members make misfire together."""
    told = chances(seen)
    laws = [known.misfires_unclaimed, *(law for name in members if (law := known.faults[name].misfire))]
    union = {0: 1.0}
    for law in laws:
        grown: dict[int, float] = {}
        for mask, chance in union.items():
            for own, share in law.items():
                grown[mask | own] = grown.get(mask | own, 0.0) + chance * share
        union = grown
    return sum(chance * float(told[mask]) for mask, chance in union.items())


def median_ms(work: Callable[[], object]) -> float:
    """Median time of a piece of work."""
    times = []
    for _ in range(ROUNDS):
        began = time.perf_counter()
        work()
        times.append((time.perf_counter() - began) * 1000.0)
    return statistics.median(times)


def main() -> int:
    """Run, print, write the figures; the exit code says whether the limits hold."""
    vehicle = platforms()["ostrel_dunlin_30"]
    known = expand(vehicle.powertrain, vehicle.local)
    clues = evidence(known)
    found = assess(known, clues)
    assert found.model is not None
    posterior = median_ms(lambda: assess(known, clues))
    ranked = propose(found, known, Costs())
    ranking = median_ms(lambda: propose(found, known, Costs()))
    began = time.perf_counter()
    by_definition(known, found, clues)
    plain = (time.perf_counter() - began) * 1000.0
    began = time.perf_counter()
    dropped = found.left_out
    counted = (time.perf_counter() - began) * 1000.0
    figures = {
        "python": platform.python_version(),
        "suspects": len(known.faults),
        "clues": len(clues),
        "sets": len(found.model.sets),
        "posterior_ms": round(posterior, 1),
        "posterior_limit_ms": POSTERIOR_MS,
        "tests_ranked": len(ranked),
        "ranking_ms": round(ranking, 1),
        "ranking_limit_ms": TESTS_MS,
        "baseline_posterior_by_definition_ms": round(plain, 1),
        "ratio": round(plain / posterior, 1),
        "left_out_threes": dropped.threes,
        "left_out_beyond_at_most": dropped.beyond,
        "left_out_ms": round(counted, 1),
    }
    folder = ROOT / "benchmarks" / "figures"
    folder.mkdir(exist_ok=True)
    (folder / "reasoning.json").write_text(json.dumps(figures, indent=1) + "\n", encoding="utf-8")
    print(json.dumps(figures, indent=1))
    return 0 if posterior <= POSTERIOR_MS and ranking <= TESTS_MS else 1


if __name__ == "__main__":
    raise SystemExit(main())
