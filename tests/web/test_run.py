"""run.py: its commands are those the README names; backup and restore; the demo loads and holds what it promises."""

from __future__ import annotations

import fcntl
import re
import sqlite3
import subprocess
import sys
import tempfile
import tomllib
import unittest
import zipfile
from pathlib import Path

from django.test import TransactionTestCase

from gumshoe import __version__
from gumshoe.demo import building as demo
from gumshoe.simulator.fleet import fleet
from gumshoe.web.accounts.models import User
from gumshoe.web.board import services as shop
from gumshoe.web.cases.models import Case
from gumshoe.web.proofs import waiting
from gumshoe.web.standing.services import standing
from gumshoe.web.vehicles import garage
from tests.shop import of_its_own
from tests.web import support
from tests.web.test_one_mind import Walk

ROOT = Path(__file__).resolve().parents[2]


def run(*arguments: str, data: Path) -> subprocess.CompletedProcess[str]:
    """Call run.py with a shop's data folder."""
    command = [sys.executable, str(ROOT / "run.py"), *arguments]
    return subprocess.run(command, cwd=ROOT, env=of_its_own(data), capture_output=True, text=True)


def shop_in(folder: Path, newer: str = "") -> None:
    """A database with the marks of ours, one value in it, and a key beside it."""
    (folder / "gumshoe.sqlite3").unlink(missing_ok=True)
    with sqlite3.connect(folder / "gumshoe.sqlite3") as database:
        for table in ("cases_case", "scans_scan", "accounts_user"):
            database.execute(f"create table {table} (id)")
        database.execute("create table django_migrations (app, name)")
        database.execute("insert into django_migrations values ('cases', ?)", (newer or "0001_first",))
        database.execute("create table t (x)")
        database.execute("insert into t values (42)")
    (folder / "secret_key").write_text("k")


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
            shop_in(folder)
            (folder / "photos").mkdir()
            (folder / "photos" / "one.jpg").write_bytes(b"jpg")
            self.assertEqual(run("backup", str(archive), data=folder).returncode, 0)
            self.assertEqual(archive.stat().st_mode & 0o777, 0o600)
            self.assertIn("exists already", run("backup", str(archive), data=folder).stderr)
            with sqlite3.connect(folder / "gumshoe.sqlite3") as database:
                database.execute("delete from t")
            self.assertIn("is kept in", run("restore", str(archive), data=folder).stdout)
            with sqlite3.connect(folder / "gumshoe.sqlite3") as database:
                self.assertEqual(database.execute("select x from t").fetchall(), [(42,)])
            self.assertEqual((folder / "secret_key").read_text(), "k")
            self.assertEqual(folder.stat().st_mode & 0o777, 0o700)
            modes = {path.name: path.stat().st_mode & 0o777 for path in folder.rglob("*")}
            self.assertEqual(modes, {"gumshoe.sqlite3": 0o600, "secret_key": 0o600, "photos": 0o700, "one.jpg": 0o600})

    def test_what_is_no_backup_is_refused_and_changes_nothing(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder, other, archive = Path(name) / "shop", Path(name) / "other", Path(name) / "b.zip"
            folder.mkdir()
            shop_in(folder)

            def refused(words: str) -> None:
                done = run("restore", str(archive), data=folder)
                self.assertEqual(done.returncode, 1, done.stdout)
                self.assertIn(words, done.stderr)
                self.assertIn("Nothing was changed", done.stderr)
                self.assertEqual(sorted(path.name for path in Path(name).glob(".*")), [])
                with sqlite3.connect(folder / "gumshoe.sqlite3") as database:
                    self.assertEqual(database.execute("select x from t").fetchall(), [(42,)])

            archive.write_bytes(b"eighteen bytes txt")
            refused("cannot be unpacked")
            with zipfile.ZipFile(archive, "w") as made:
                made.writestr("gumshoe.sqlite3", b"x" * 5000)
            refused("cannot be read")
            other.mkdir()
            with sqlite3.connect(other / "gumshoe.sqlite3") as database:
                database.execute("create table somebody_elses (x)")
            with zipfile.ZipFile(archive, "w") as made:
                made.write(other / "gumshoe.sqlite3", "gumshoe.sqlite3")
            refused("not Gumshoe's")
            shop_in(other, newer="0999_from_the_future")
            with zipfile.ZipFile(archive, "w") as made:
                made.write(other / "gumshoe.sqlite3", "gumshoe.sqlite3")
            refused("newer version")
            with zipfile.ZipFile(archive, "w") as made:
                made.write(folder / "gumshoe.sqlite3", "gumshoe.sqlite3")
                made.writestr("../outside", "x")
            refused("lead out of its folder")

    def test_restore_refuses_while_the_data_is_served(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder, archive = Path(name) / "shop", Path(name) / "b.zip"
            folder.mkdir()
            shop_in(folder)
            self.assertEqual(run("backup", str(archive), data=folder).returncode, 0)
            with (folder / "serving.lock").open("w") as mark:
                fcntl.flock(mark, fcntl.LOCK_EX)
                done = run("restore", str(archive), data=folder)
                self.assertEqual(done.returncode, 1)
                self.assertIn("Stop it first", done.stderr)
            self.assertEqual(run("restore", str(archive), data=folder).returncode, 0)

    def test_no_registry_address_in_lock_files_and_every_pin_hashed(self) -> None:
        for name in (path.name for path in ROOT.glob("requirements*.txt")):
            text = (ROOT / name).read_text(encoding="utf-8")
            self.assertNotIn("://", text)
            for line in text.splitlines():
                if re.match(r"^[a-z]", line):
                    self.assertRegex(line, r"^[A-Za-z0-9_.\-\[\]]+==", line)
        manifest = tomllib.loads((ROOT / "gumshoe/web/ui/static/vendor/manifest.toml").read_text(encoding="utf-8"))
        for package in manifest["package"]:
            self.assertTrue(package["version"] and package["licence"])
            folder = ROOT / package.get("into", "gumshoe/web/ui/static/vendor") / package["folder"]
            for file in (*package["files"], "LICENSE"):
                self.assertTrue((folder / Path(file).name).is_file(), f"{folder}: {file}")

    def test_one_version_everywhere(self) -> None:
        changes = (ROOT / "CHANGELOG.md").read_text(encoding="utf-8")
        self.assertEqual(re.findall(r"^## (\d+\.\d+\.\d+)", changes, re.MULTILINE)[0], __version__)
        project = tomllib.loads((ROOT / "pyproject.toml").read_text(encoding="utf-8"))
        self.assertEqual(project["project"]["dynamic"], ["version"])


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
        self.assertIn(stages["tern-dive"].stage, ("live", "bench"))  # the planner names the test
        self.assertNotIn("tern-library", stages)  # left for the newcomer
        verdicts = [item.verdict for case in Case.objects.all() for item in case.judgements.all()]
        self.assertEqual(sorted(verdicts), ["came back", "not yet", "proven"])
        self.assertEqual(
            len(shop.board()), len({name for name, cards in shop.board() if cards})
        )  # something everywhere
        self.assertEqual(sum(card.comeback for _, cards in shop.board() for card in cards), 1)
        self.assertEqual(len(waiting.due_list()), 2)
        self.client.force_login(User.objects.get(username="teo"))
        for case in Case.objects.all():
            with self.subTest(case=case.number, car=case.vehicle.stand_in):
                Walk(self, case).agree()
