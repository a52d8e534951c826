"""Backups and what a kill or a power cut in the middle of them leaves: always the data as it was, or as it is to be."""

from __future__ import annotations

import base64
import gzip
import io
import os
import sqlite3
import subprocess
import sys
import tempfile
import time
import unittest
import unittest.mock
import zipfile
from pathlib import Path

from cryptography.fernet import Fernet
from cryptography.hazmat.primitives.kdf.scrypt import Scrypt
from django.test import tag

from gumshoe.serving import backups, sealed
from tests import shop
from tests.web.test_run import run, shop_in

STORED = Path(__file__).parent / "stored" / "version_0_1.sql.gz"
CUT_OFF = """
import os, pathlib, signal, sys
from gumshoe.serving import backups
left = int(sys.argv[1])
def cut(name):
    whole = getattr(pathlib.Path, name)
    def counted(*args, **kwargs):
        global left
        if left == 0:
            os.kill(os.getpid(), signal.SIGKILL)
        left -= 1
        return whole(*args, **kwargs)
    setattr(pathlib.Path, name, counted)
for name in ("rename", "write_text", "unlink", "touch"):
    cut(name)
backups.put_back(pathlib.Path(sys.argv[2]), pathlib.Path(sys.argv[3]))
"""
"""A restoring that is killed at its nth step that changes something."""


def value_in(folder: Path) -> int:
    """The one value in the database of ``shop_in``."""
    with sqlite3.connect(folder / "gumshoe.sqlite3") as database:
        return int(database.execute("select x from t").fetchone()[0])


class Sealed(unittest.TestCase):
    def sealed(self, content: bytes, passphrase: str = "barnacle") -> bytes:
        out = io.BytesIO()
        sealed.seal(io.BytesIO(content), out, passphrase)
        return out.getvalue()

    def opened(self, told: bytes, passphrase: str = "barnacle") -> bytes:
        out = io.BytesIO()
        sealed.unseal(io.BytesIO(told), out, passphrase)
        return out.getvalue()

    def test_what_was_sealed_comes_out_whatever_its_length(self) -> None:
        for length in (0, 1, sealed.PIECE - 1, sealed.PIECE, sealed.PIECE + 1, 3 * sealed.PIECE):
            content = os.urandom(length)
            told = self.sealed(content)
            self.assertEqual(self.opened(told), content, length)
            if length > 16:
                self.assertNotIn(content[:16], told)

    def test_the_key_is_that_of_the_published_function(self) -> None:
        """RFC 7914, section 12, third test vector [published], by the package's own function; ours uses the same."""
        key = Scrypt(salt=b"SodiumChloride", length=64, n=16384, r=8, p=1).derive(b"pleaseletmein")
        self.assertTrue(key.hex().startswith("7023bdcb3afd7348461c06cd81fd38eb"))
        told = self.sealed(b"abc")
        salt = told[len(sealed.MAGIC) :][: sealed.SALT]
        token = told[len(sealed.MAGIC) + sealed.SALT + 4 :]
        own = Scrypt(salt=salt, length=32, n=sealed.COST, r=sealed.BLOCK, p=1).derive(b"barnacle")
        self.assertEqual(Fernet(base64.urlsafe_b64encode(own)).decrypt(token)[9:], b"abc")

    def test_another_passphrase_and_whatever_was_done_to_it_is_refused(self) -> None:
        told = self.sealed(os.urandom(3 * sealed.PIECE + 5))
        with self.assertRaisesRegex(sealed.CannotBeOpened, "passphrase is another"):
            self.opened(told, "limpet")
        head, size = len(sealed.MAGIC) + sealed.SALT, int.from_bytes(told[len(sealed.MAGIC) + sealed.SALT :][:4], "big")
        first, rest = told[head : head + 4 + size], told[head + 4 + size :]
        second = rest[: 4 + int.from_bytes(rest[:4], "big")]
        for name, changed in {
            "cut": told[:-40],
            "cut between two pieces": told[:head] + first + second,
            "the first missing": told[:head] + rest,
            "one twice": told[:head] + first + first + rest,
            "two exchanged": told[:head] + second + first + rest[len(second) :],
            "a bit": told[: head + 100] + bytes([told[head + 100] ^ 1]) + told[head + 101 :],
            "more behind it": told + b"x",
            "something else": b"PK" + told,
        }.items():
            with self.subTest(name), self.assertRaises(sealed.CannotBeOpened):
                self.opened(changed)


class ByTheCommand(unittest.TestCase):
    def test_sealed_with_everything_open_without_the_key(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder, plain, shut = Path(name) / "shop", Path(name) / "b.zip", Path(name) / "b.sealed"
            folder.mkdir()
            shop_in(folder)
            self.assertIn("without the secret key", run("backup", str(plain), data=folder).stdout)
            with zipfile.ZipFile(plain) as archive:
                self.assertEqual(archive.namelist(), ["gumshoe.sqlite3"])
            with unittest.mock.patch.dict(os.environ, GUMSHOE_PASSPHRASE="barnacle"):
                self.assertIn("sealed with the passphrase", run("backup", "--seal", str(shut), data=folder).stdout)
            self.assertTrue(sealed.is_sealed(shut))
            self.assertEqual(shut.stat().st_mode & 0o777, 0o600)
            self.assertFalse(zipfile.is_zipfile(shut))
            elsewhere = Path(name) / "elsewhere" / "shop"
            with unittest.mock.patch.dict(os.environ, GUMSHOE_PASSPHRASE="limpet"):
                wrong = run("restore", str(shut), data=elsewhere)
            self.assertIn("passphrase is another", wrong.stderr)
            self.assertFalse(elsewhere.exists())
            with unittest.mock.patch.dict(os.environ, GUMSHOE_PASSPHRASE="barnacle"):
                self.assertEqual(run("restore", str(shut), data=elsewhere).returncode, 0)
            self.assertEqual((value_in(elsewhere), (elsewhere / "secret_key").read_text()), (42, "k"))
            left = [path.name for path in Path(name).rglob("*") if path.name.startswith(".")]
            self.assertEqual(left, [])


@tag("long")
class Killed(unittest.TestCase):
    def test_a_backup_is_whole_or_not_there(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder, target = Path(name) / "shop", Path(name) / "b.zip"
            folder.mkdir()
            shop_in(folder)
            (folder / "photos").mkdir()
            for number in range(60):
                (folder / "photos" / f"{number}.jpg").write_bytes(os.urandom(400_000))
            made = 0
            for after_s in (*(0.2 * step for step in range(1, 20)), 8.0, 16.0, 32.0, 64.0):  # a busy machine is slow
                process = subprocess.Popen(
                    [sys.executable, "-m", "gumshoe.serving.backups", "make", str(folder), str(target)],
                    cwd=shop.ROOT, env=shop.of_its_own(folder), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
                )  # fmt: skip
                time.sleep(after_s)
                process.kill()
                process.wait(10.0)
                if target.exists():
                    made += 1
                    with zipfile.ZipFile(target) as archive:
                        self.assertIsNone(archive.testzip())
                        self.assertEqual(len(archive.namelist()), 61)
                    target.unlink()
                    if made > 3:
                        break
            self.assertGreater(made, 0)
            self.assertEqual(value_in(folder), 42)

    def test_restoring_ends_as_it_was_or_as_it_is_to_be(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            source, archive = Path(name) / "old", Path(name) / "b.zip"
            source.mkdir()
            shop_in(source)
            backups.make(source, archive)
            ended = set()
            for step in range(12):
                place = Path(name) / f"step{step}"
                folder = place / "shop"
                folder.mkdir(parents=True)
                shop_in(folder)
                with sqlite3.connect(folder / "gumshoe.sqlite3") as database:
                    database.execute("update t set x = 7")
                done = subprocess.run(
                    [sys.executable, "-c", CUT_OFF, str(step), str(archive), str(folder)],
                    cwd=shop.ROOT, env=shop.of_its_own(folder), capture_output=True, text=True, check=False,
                )  # fmt: skip
                backups.finish(folder)  # as the next start does
                with self.subTest(step=step):
                    self.assertIn(value_in(folder), (7, 42))
                    self.assertEqual((folder / "secret_key").read_text(), "k")
                    self.assertFalse((place / ".shop-restored").exists())
                    if value_in(folder) == 42:
                        kept = next(place.glob("shop-before-*"))
                        self.assertEqual(value_in(kept), 7)
                ended.add((value_in(folder), done.returncode == 0))
                if done.returncode == 0:
                    break
            self.assertEqual(ended, {(7, False), (42, False), (42, True)})

    def test_a_database_of_an_older_version_killed_while_it_is_brought_up(self) -> None:
        begin = "import django; django.setup(); from gumshoe.serving import server; server.prepare()"
        for after_s in (1.0, 2.0, 3.0, 4.5, 6.5):
            with self.subTest(after_s=after_s), tempfile.TemporaryDirectory() as name:
                with sqlite3.connect(Path(name) / "gumshoe.sqlite3") as database:
                    database.executescript(gzip.decompress(STORED.read_bytes()).decode())
                environment = shop.of_its_own(Path(name))
                command = [sys.executable, "-c", begin]
                process = subprocess.Popen(command, cwd=shop.ROOT, env=environment, stdout=subprocess.DEVNULL)
                time.sleep(after_s)
                process.kill()
                process.wait(10.0)
                again = subprocess.run(command, cwd=shop.ROOT, env=environment, capture_output=True, text=True)
                self.assertEqual(again.returncode, 0, again.stderr[-2000:])
                with sqlite3.connect(Path(name) / "gumshoe.sqlite3") as database:
                    self.assertEqual(database.execute("pragma integrity_check").fetchone(), ("ok",))
                    self.assertEqual(database.execute("select count(*) from cases_case").fetchone(), (6,))
                    self.assertEqual(database.execute("select count(*) from cases_state").fetchone(), (6,))
                    self.assertEqual(
                        database.execute("select count(*) from cases_state where not counted").fetchone(), (0,)
                    )
                self.assertTrue(list((Path(name) / "before").glob("*.sqlite3")))
