"""Runs a case of a casebook and says which of its expectations are met. The format is in ``docs/casebook.md``."""

from __future__ import annotations

import copy
import json
import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from gumshoe.core.casefile import read_case
from gumshoe.core.casefile.assess import CaseAssessment, assess_file
from gumshoe.core.casefile.model import CaseFile
from gumshoe.core.casefile.probe import CircuitRead, probe_file
from gumshoe.core.casefile.proving import plan_file
from gumshoe.core.errors import GumshoeError

SHOWN, FIRST, TOP, BOTH = 8, 3, 4, 0.4
CALM = ("echo", "self", "stale")


@dataclass(frozen=True)
class Outcome:
    """Of one expectation: whether it is met, where, what was wanted and what came out."""

    met: bool
    words: str


@dataclass(frozen=True)
class Told:
    """What the tool says of a case at one stage."""

    case: CaseFile
    found: CaseAssessment
    circuits: tuple[CircuitRead, ...]

    @property
    def ranked(self) -> list[tuple[str, float]]:
        return [(item.row.words, item.probability) for item in self.found.assessment.suspects[:SHOWN]]

    @property
    def next(self) -> list[str]:
        return [item.test.words for item in self.found.proposals[:FIRST]]

    @property
    def drive(self) -> str:
        return f"{self.found.advice.title} {self.found.advice.words}"

    def title(self, code: str) -> str:
        rows = (row for row in self.found.read.codes if row.code == code)
        return next((row.row.title if row.row else row.structure_words for row in rows), "absent")

    def role(self, code: str) -> str:
        return next((row.role.name.lower() for row in self.found.read.codes if row.code == code), "absent")


def cases_of(file: Path) -> list[dict[str, Any]]:
    """The cases of a file."""
    found: list[dict[str, Any]] = json.loads(file.read_text(encoding="utf-8")).get("cases", [])
    return found


def run(entry: dict[str, Any]) -> list[Outcome]:
    """Every expectation of every stage of a case."""
    document = {"format": "gumshoe-case", "version": 1, **copy.deepcopy(entry["case"])}
    results = []
    for number, stage in enumerate([entry, *entry.get("then", [])]):
        for key, value in stage.get("add", {}).items():
            document[key] = [*document.get(key, []), *value] if isinstance(value, list) else value
        at = f"{entry['id']} {entry['title']}" + (f", stage {number}" if number else "")
        try:
            case = read_case(json.dumps(document))
            told = Told(case, assess_file(case), probe_file(case))
        except GumshoeError as error:
            results += [Outcome(False, f"{at}: refused: {error}") for _ in stage["expect"]]
            continue
        for wanted in stage["expect"]:
            asked = {key: value for key, value in wanted.items() if key not in ("why", "of")}
            ((key, value),) = asked.items()
            met, got = EXPECTATIONS[key](told, value, wanted)
            results.append(Outcome(met, f"{at}: wanted {asked}, got {got}"))
    return results


def score(entries: Iterable[dict[str, Any]]) -> tuple[int, int, int, int, list[str]]:
    """Of many cases: (whole, cases, met, expectations, what was not met)."""
    whole = count = met = asked = 0
    failed = []
    for entry in entries:
        results = run(entry)
        good = sum(item.met for item in results)
        whole, count = whole + (good == len(results)), count + 1
        met, asked = met + good, asked + len(results)
        failed += [item.words for item in results if not item.met]
    return whole, count, met, asked, failed


def has(pattern: str, words: str) -> bool:
    return re.search(pattern, words, re.IGNORECASE) is not None


def many(value: Any) -> list[str]:
    return value if isinstance(value, list) else [value]


# -- expectations -----------------------------------------------------------------------------------------

Check = Callable[[Told, Any, dict[str, Any]], tuple[bool, str]]


def _among(told: Told, value: Any, first: int) -> list[bool]:
    return [any(has(pattern, words) for words, _ in told.ranked[:first]) for pattern in many(value)]


def _shown(told: Told) -> str:
    return "; ".join(f"{words} {share:.2f}" for words, share in told.ranked[:TOP])


def _shares(told: Told, value: dict[str, float]) -> list[tuple[float, float]]:
    """For each pattern: what is asked, and the highest share of a suspect that it fits."""
    return [
        (asked, max((p for words, p in told.ranked if has(pattern, words)), default=0.0))
        for pattern, asked in value.items()
    ]


def _circuit(told: Told, wanted: dict[str, Any]) -> CircuitRead | None:
    of = wanted.get("of")
    return next((row for row in reversed(told.circuits) if of in (None, row.document()["component"])), None)


def _fault(told: Told, value: str, wanted: dict[str, Any]) -> tuple[bool, str]:
    read = _circuit(told, wanted)
    if read is None:
        return False, "no such circuit"
    one = read.document()
    words = {row["id"]: row["words"] for row in one["faults"]}
    leading = one["faults"][0]["id"] if one["faults"] else ""
    group = next((row["faults"] for row in one["groups"] if leading in row["faults"]), [leading])
    named = [words.get(name, name) for name in {leading, *group}]
    return any(has(value, name) for name in named), "; ".join(named)


def _stands(told: Told, value: bool, wanted: dict[str, Any]) -> tuple[bool, str]:
    read = _circuit(told, wanted)
    one = read.document() if read else {}
    stands = bool((one.get("conclusion") or {}).get("stands"))
    return stands is value, str(one.get("conclusion"))


def _probe_next(told: Told, value: str, wanted: dict[str, Any]) -> tuple[bool, str]:
    read = _circuit(told, wanted)
    probes = [str(row["probe"]) for row in read.document()["next"][:FIRST]] if read else []
    return any(has(value, probe) for probe in probes), "; ".join(probes)


def _proof(told: Told, value: str, _wanted: dict[str, Any]) -> tuple[bool, str]:
    plan = plan_file(told.case).document()
    rows = [row["words"] for row in (*plan["conditions"], *plan["circumstances"])]
    rows += [segment["words"] for trip in plan["drive"]["trips"] for segment in trip["segments"]]
    return any(has(value, row) for row in rows), "; ".join(rows)


EXPECTATIONS: dict[str, Check] = {
    "leader": lambda told, value, _: (all(_among(told, value, 1)), _shown(told)),
    "not_leader": lambda told, value, _: (not any(_among(told, value, 1)), _shown(told)),
    "top": lambda told, value, _: (all(_among(told, value, TOP)), _shown(told)),
    "not_top": lambda told, value, _: (not any(_among(told, value, FIRST)), _shown(told)),
    "both": lambda told, value, _: (all(p >= BOTH for _, p in _shares(told, dict.fromkeys(value, BOTH))), _shown(told)),
    "at_least": lambda told, value, _: (all(p >= asked for asked, p in _shares(told, value)), _shown(told)),
    "at_most": lambda told, value, _: (all(p <= asked for asked, p in _shares(told, value)), _shown(told)),
    "next": lambda told, value, _: (any(has(v, w) for v in many(value) for w in told.next), "; ".join(told.next)),
    "not_next": lambda told, value, _: (
        not any(has(v, w) for v in many(value) for w in told.next),
        "; ".join(told.next),
    ),
    "drive": lambda told, value, _: (has(value, told.drive), told.drive),
    "not_drive": lambda told, value, _: (not has(value, told.drive), told.drive),
    "stop": lambda told, value, _: (told.found.advice.stop is value, told.drive),
    "chase": lambda told, value, _: (
        bool(told.found.read.codes) and told.found.read.codes[0].code in many(value),
        " ".join(row.code for row in told.found.read.codes),
    ),
    "echo": lambda told, value, _: (
        all(told.role(code) in CALM for code in many(value)),
        str({code: told.role(code) for code in many(value)}),
    ),
    "not_echo": lambda told, value, _: (
        all(told.role(code) in ("chase", "separate") for code in many(value)),
        str({code: told.role(code) for code in many(value)}),
    ),
    "title": lambda told, value, _: (
        all(has(pattern, told.title(code)) for code, pattern in value.items()),
        str({code: told.title(code) for code in value}),
    ),
    "fault": _fault,
    "stands": _stands,
    "probe_next": _probe_next,
    "proof": _proof,
}
