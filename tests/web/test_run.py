"""run.py: its commands are those the README names; backup and restore; the demo loads and holds what it promises."""

from __future__ import annotations

import os
import re
import sqlite3
import subprocess
import sys
import tempfile
import tomllib
import unittest
from pathlib import Path

from django.test import TransactionTestCase

from gumshoe.simulator.fleet import fleet
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.standing import standing
from gumshoe.web.proofs import waiting
from gumshoe.web.shop import demo
from gumshoe.web.shop import services as shop
from gumshoe.web.vehicles import garage
from tests.web import support

ROOT = Path(__file__).resolve().parents[2]


def run(*arguments: str, data: Path) -> subprocess.CompletedProcess[str]:
    """Call run.py with a shop's data folder."""
    environment = os.environ | {"GUMSHOE_DATA": str(data)}
    return subprocess.run(
        [sys.executable, str(ROOT / "run.py"), *arguments], cwd=ROOT, env=environment, capture_output=True, text=True
    )


class Commands(unittest.TestCase):
    def test_the_readme_names_commands_that_exist(self) -> None:
        readme = (ROOT / "README.md").read_text(encoding="utf-8")
        named = set(re.findall(r"python3 run\.py (\w+)", readme))
        self.assertTrue({"demo", "test", "serve"} <= named)
        source = (ROOT / "run.py").read_text(encoding="utf-8")
        for command in named:
            self.assertIn(f'"{command}": {command}', source)
        self.assertEqual(run(data=Path("/nonexistent")).returncode, 2)

    def test_backup_and_restore(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder, archive = Path(name) / "shop", Path(name) / "b.zip"
            folder.mkdir()
            self.assertIn("no shop data", run("backup", str(archive), data=folder).stderr)
            with sqlite3.connect(folder / "gumshoe.sqlite3") as database:
                database.execute("create table t (x)")
                database.execute("insert into t values (42)")
            (folder / "secret_key").write_text("k")
            self.assertEqual(run("backup", str(archive), data=folder).returncode, 0)
            self.assertIn("exists already", run("backup", str(archive), data=folder).stderr)
            with sqlite3.connect(folder / "gumshoe.sqlite3") as database:
                database.execute("delete from t")
            self.assertIn("is kept in", run("restore", str(archive), data=folder).stdout)
            with sqlite3.connect(folder / "gumshoe.sqlite3") as database:
                self.assertEqual(database.execute("select x from t").fetchall(), [(42,)])
            self.assertEqual((folder / "secret_key").read_text(), "k")

    def test_no_registry_address_in_lock_files_and_every_pin_hashed(self) -> None:
        for name in ("requirements.txt", "requirements-dev.txt"):
            text = (ROOT / name).read_text(encoding="utf-8")
            self.assertNotIn("://", text)
            for line in text.splitlines():
                if re.match(r"^[a-z]", line):
                    self.assertRegex(line, r"^[A-Za-z0-9_.\-\[\]]+==", line)
        manifest = tomllib.loads((ROOT / "gumshoe/web/ui/static/vendor/manifest.toml").read_text(encoding="utf-8"))
        for package in manifest["package"]:
            self.assertTrue(package["version"] and package["licence"])
            for file in package["files"]:
                path = ROOT / "gumshoe/web/ui/static/vendor" / package["folder"] / Path(file).name
                self.assertTrue(path.is_file(), path)


class Demo(TransactionTestCase):
    def test_the_demo_loads_with_cases_in_several_stages(self) -> None:
        self.addCleanup(support.stop_everything)
        self.assertTrue(demo.needed())
        for stand_in in fleet().values():
            garage.start(stand_in, None)
        demo.load(lambda _line: None)
        self.assertFalse(demo.needed())
        stages = {case.vehicle.stand_in: standing(case) for case in Case.objects.all()}
        self.assertEqual(stages["tern-parcel"].tone, "bad")
        self.assertEqual(stages["tern-resident"].tone, "good")
        self.assertEqual(stages["tern-dive"].stage, "live")
        self.assertNotIn("tern-library", stages)  # left for the newcomer
        verdicts = [item.verdict for case in Case.objects.all() for item in case.judgements.all()]
        self.assertEqual(sorted(verdicts), ["came back", "not yet", "proven"])
        self.assertEqual(
            len(shop.board()), len({name for name, cards in shop.board() if cards})
        )  # something everywhere
        self.assertEqual(sum(card.comeback for _, cards in shop.board() for card in cards), 1)
        self.assertEqual(len(waiting.due_list()), 2)
