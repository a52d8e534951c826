"""Our catalogue beside a second recollection of the standard, where that lies beside the project: no difference is left
undecided, no sure number is missing, and no two codes have one title."""

from __future__ import annotations

import re
import subprocess
import sys
import tomllib
import unittest
from pathlib import Path

from gumshoe.core.knowledge.code_catalogue import composed_codes

ROOT = Path(__file__).resolve().parents[2]
BESIDE = ROOT.parent / "shared" / "codes" / "compare.py"
DECIDED = Path(__file__).with_name("decided_codes.toml")


def decided() -> set[tuple[str, str]]:
    """(kind recalled, kind of ours) of every pair that is decided; each says why."""
    rows = tomllib.loads(DECIDED.read_text(encoding="utf-8"))["pair"]
    assert all(len(row["why"]) > 10 for row in rows)
    return {(recalled, row["ours"]) for row in rows for recalled in row["recalled"]}


def places(text: str) -> set[str]:
    """Banks, sensors, cylinders and gears with their numbers."""
    return set(re.findall(r"\b(?:bank|sensor|cylinder|gear) \d+", text.lower()))


class Beside(unittest.TestCase):
    def test_no_difference_is_undecided(self) -> None:
        if not BESIDE.exists():
            self.skipTest("the second recollection lies beside the project, and is not here")
        told = subprocess.run([sys.executable, BESIDE], cwd=ROOT, capture_output=True, text=True, check=True).stdout
        *lines, last = told.splitlines()
        self.assertIn("; 0 of high confidence are missing;", last)
        known, open_ = decided(), []
        for line in lines:
            recalled, _, ours = line.partition("  |  ours ")
            kind = recalled.partition(": ")[2].rpartition(": ")[2] or recalled.rpartition(": ")[2]
            pair = kind, ours.rpartition("[")[2].removesuffix("]")
            # Ours may name the place less narrowly than the other, never another one.
            if pair not in known or not places(ours) <= places(recalled):
                open_.append(line)
        self.assertEqual(open_, [])

    def test_titles_tell_codes_apart(self) -> None:
        titles: dict[str, str] = {}
        for number, row in composed_codes().items():
            self.assertNotIn(row.title, titles, f"{number} and {titles.get(row.title)}")
            titles[row.title] = number
