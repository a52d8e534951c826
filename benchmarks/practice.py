#!/usr/bin/env python3
"""The computer as a trainee: every exercise of every course, worked by the best line, by *most frequent fix first* and
by somebody who knew it from the start, in the same run.

Asks what the trainer promises: no exercise is unsolvable (the floor cures it, and so does the best line), none is
solved by the first screen alone (what is wrong is not already as good as named after the scan), the best line is not
beaten by more than chance, and the difficulty orders the exercises by what a worker without tests pays. Writes
gumshoe/practice/figures.json (the difficulty shown beside each exercise) and benchmarks/figures/practice.json.

    .venv/bin/python -m benchmarks.practice [--course ID] [--missing] [--drawn N]
"""

from __future__ import annotations

import argparse
import json
import statistics
import sys
import time
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict, dataclass
from itertools import islice
from math import comb
from pathlib import Path
from typing import Any

from scipy.stats import spearmanr

from gumshoe.core.errors import GumshoeError
from gumshoe.practice.courses import FIGURES, courses, drawn
from gumshoe.practice.difficulty import Difficulty
from gumshoe.practice.exercise import Exercise
from gumshoe.practice.prepared import BEST, FLOOR, FREQUENT, Prepared, prepare

ROOT = Path(__file__).resolve().parent.parent
SURE = 0.9
"""A repair that the first screen alone makes as likely as this is no exercise."""


@dataclass(frozen=True)
class Played:
    """One exercise, played; ``trouble``: why it is none."""

    course: str
    exercise: Exercise
    prepared: Prepared | None
    trouble: str
    seconds: float


def played(task: tuple[str, Exercise]) -> Played:
    """Prepare one exercise, which plays its lines."""
    began = time.monotonic()
    try:
        return Played(*task, prepare(task[1]), "", time.monotonic() - began)
    except GumshoeError as error:
        return Played(*task, None, str(error), time.monotonic() - began)


def no_better_than(wins: int, losses: int) -> float:
    """The chance of so many wins or more against the best line, if each were as likely as not (sign test)."""
    n = wins + losses
    return sum(comb(n, k) for k in range(wins, n + 1)) / 2**n if n else 1.0


def row_of(item: Played) -> dict[str, Any]:
    """What is kept of one."""
    assert item.prepared is not None
    told = item.prepared
    return {
        "course": item.course,
        "title": item.exercise.title,
        "difficulty": asdict(told.difficulty),
        "level": told.difficulty.level,
        "lines": {
            line.name: {
                "minutes": round(line.minutes, 1),
                "money": round(line.money, 2),
                "right_first": line.right_first,
                "cured": line.cured,
                "good_parts": line.good_parts,
            }
            for line in told.lines
        },
        "first_screen": told.difficulty.named,
    }


def summary(rows: list[dict[str, Any]], none: list[str]) -> dict[str, Any]:
    """Figures over all exercises, as ``row_of`` keeps them; ``none``: those that are none, with why."""
    lines = {name: [row["lines"][name] for row in rows] for name in (BEST, FREQUENT, FLOOR)}
    best, frequent, floor = (lines[name] for name in (BEST, FREQUENT, FLOOR))
    wins = sum(b["money"] > f["money"] + 1.0 for b, f in zip(best, frequent, strict=True) if f["cured"])
    losses = sum(b["money"] < f["money"] - 1.0 for b, f in zip(best, frequent, strict=True))
    told = [Difficulty(**row["difficulty"]) for row in rows]
    extra = [line["money"] - low["money"] for line, low in zip(frequent, floor, strict=True)]
    spent = [line["money"] - low["money"] for line, low in zip(best, floor, strict=True)]
    points = [item.points for item in told]
    return {
        "exercises": len(rows) + len(none),
        "no_exercise": none,
        "best_line_does_not_cure": [row["title"] for row, line in zip(rows, best, strict=True) if not line["cured"]],
        "solved_by_the_first_screen": [row["title"] for row in rows if row["first_screen"] > SURE],
        "best_right_first": round(statistics.mean(line["right_first"] for line in best), 3),
        "frequent_right_first": round(statistics.mean(line["right_first"] for line in frequent), 3),
        "money": {name: round(statistics.mean(line["money"] for line in lines[name]), 2) for name in lines},
        "best_dearer_than_frequent": wins,
        "best_cheaper_than_frequent": losses,
        "chance_of_that_if_alike": round(no_better_than(wins, losses), 4),
        "difficulty_orders": {
            "frequent_beyond_floor": round(float(spearmanr(points, extra).statistic), 3),
            "best_beyond_floor": round(float(spearmanr(points, spent).statistic), 3),
        },
        "levels": {level: sum(item.level == level for item in told) for level in range(1, 6)},
    }


def of(played_ones: list[Played]) -> dict[str, Any]:
    """Their figures."""
    return summary([row_of(item) for item in played_ones if item.prepared is not None], troubles(played_ones))


def troubles(played_ones: list[Played]) -> list[str]:
    """Those that are no exercise, with why."""
    return [f"{item.exercise.title}: {item.trouble}" for item in played_ones if item.prepared is None]


def main() -> int:
    reader = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    reader.add_argument("--course", default="", help="only this course; nothing is written then")
    reader.add_argument("--missing", action="store_true", help="only those that are not measured; the others stay")
    reader.add_argument("--drawn", type=int, default=0, help="so many drawn cars as well")
    options = reader.parse_args()
    held = json.loads(FIGURES.read_text(encoding="utf-8")) if FIGURES.exists() else {}
    tasks = [
        (course.id, exercise)
        for course in courses().values()
        for exercise in course.exercises
        if options.course in ("", course.id) and not (options.missing and exercise.digest in held)
    ]
    tasks += [("drawn", exercise) for exercise in islice(drawn(1), options.drawn)]
    rows = []
    with ProcessPoolExecutor(2) as pool:
        for item in pool.map(played, tasks):
            rows.append(item)
            told = item.trouble or " · ".join(
                f"{line.name} {line.minutes:.0f} min {line.money:.0f}{'' if line.right_first else ' not right'}"
                for line in (item.prepared.lines if item.prepared else ())
            )
            level = item.prepared.difficulty.words if item.prepared else "none"
            print(f"{item.course:13} {item.exercise.title:28} {level:10} {told} ({item.seconds:.0f} s)", flush=True)
    of_courses = [item for item in rows if item.course != "drawn"]
    if options.course:
        found = of(of_courses)
    else:
        now = {exercise.digest for course in courses().values() for exercise in course.exercises}
        kept = {digest: row for digest, row in held.items() if digest in now}
        kept |= {item.exercise.digest: row_of(item) for item in of_courses if item.prepared is not None}
        for row in kept.values():
            row["level"] = Difficulty(**row["difficulty"]).level
        FIGURES.write_text(json.dumps(kept, indent=1) + "\n", encoding="utf-8")
        found = summary(list(kept.values()), troubles(of_courses))
        target = ROOT / "benchmarks" / "figures" / "practice.json"
        target.write_text(json.dumps(found, indent=1) + "\n", encoding="utf-8")
    if options.drawn:
        found["drawn"] = of([item for item in rows if item.course == "drawn"])
    print(json.dumps(found, indent=1))
    return 0


if __name__ == "__main__":
    sys.exit(main())
