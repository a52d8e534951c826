"""Every recipe of docs/extending.md whose result is a row is followed in a copy of the core: it loads, and what must
follow from it follows."""

from __future__ import annotations

import re
import shutil
import subprocess
import sys
import tempfile
import tomllib
import unittest
from pathlib import Path

from django.test import tag

ROOT = Path(__file__).resolve().parents[2]
STEPS = tomllib.loads((ROOT / "docs/recipes/one_of_each.toml").read_text(encoding="utf-8"))["step"]
FOLLOWS = """
from gumshoe.core import spread, validation
validation.validate()
spread.validate_spread()
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.platform import platform_for_vin
from gumshoe.core.knowledge.procedures import procedures
from gumshoe.core.clues import ClueKind, OnRecord, TestOutcome, extract
from gumshoe.core.codes import CodeState
from gumshoe.core.obd.snapshot import ModuleSnapshot, StoredCode
from gumshoe.core.suspects import assess
found = platform_for_vin("UY0PL25X9A2000001")
known = expand(found.powertrain, found.local)
assert {"open_intake_flap_sensor", "intake_flap_stiff", "shared_G7"} <= set(known.faults), "suspects"
assert {"check_intake_flap_sensor", "flap_by_hand"} <= set(known.tests), "tests"
assert known.tests["flap_by_hand"].access == "covered", "access"
assert known.codes["P3F03"].title.startswith("Intake flap sensor: implausible"), "code"
assert known.components_of("P3F01") == ("intake_flap_sensor",), "part"
assert procedures()["flap_relearn"], "procedure"
module = ModuleSnapshot(0x7E8, codes=(StoredCode("P3F03", CodeState.CONFIRMED),))
tests = (TestOutcome("flap_by_hand", "stiff", "a", "1"),)
clues = extract(OnRecord(module=module, symptoms=("booms",), tests=tests), known)
best = assess(known, clues).suspects[0]
assert best.id == "intake_flap_stiff" and best.probability > 0.9, (best.id, best.probability)
"""


@tag("long")
class Followed(unittest.TestCase):
    def test_one_of_each_in_a_copy(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            core = Path(folder) / "gumshoe" / "core"
            shutil.copytree(ROOT / "gumshoe/core", core, ignore=shutil.ignore_patterns("__pycache__"))
            (core.parent / "__init__.py").write_text("", encoding="utf-8")
            for step in STEPS:
                path = core / step["file"]
                before = path.read_text(encoding="utf-8") if path.exists() else ""
                path.write_text(before + step["text"], encoding="utf-8")
            told = subprocess.run(
                [sys.executable, "-c", FOLLOWS], cwd=folder, capture_output=True, text=True, check=False
            )
            self.assertEqual(told.returncode, 0, told.stderr[-1500:])

    def test_the_guide_names_every_recipe(self) -> None:
        guide = (ROOT / "docs/extending.md").read_text(encoding="utf-8")
        named = {re.sub(r" —.*", "", line[3:]).strip() for line in guide.splitlines() if line.startswith("## ")}
        self.assertEqual({step["recipe"] for step in STEPS} - named, set())
