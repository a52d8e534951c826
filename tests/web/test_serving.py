"""Serving a shop: behind a TLS proxy, closed to others, one server on one port, a copy before the database changes."""

from __future__ import annotations

import contextlib
import http.client
import json
import os
import re
import socket
import sqlite3
import subprocess
import sys
import tempfile
import unittest
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date, timedelta
from pathlib import Path
from unittest import mock
from urllib.parse import urlencode

from gumshoe.serving import daily
from gumshoe.serving import server as serving
from tests import shop
from tests.until import until

PROXIED = {"X-Forwarded-Proto": "https", "X-Forwarded-For": "203.0.113.7", "Host": "shop.example"}


def listens(port: int) -> bool:
    """Whether something answers on that port of this machine."""
    with socket.socket() as probe:
        return probe.connect_ex(("127.0.0.1", port)) == 0


def manage(folder: Path, *arguments: str, **environment: str) -> subprocess.Popen[str]:
    """manage.py with a data folder of its own."""
    return subprocess.Popen(
        [sys.executable, "manage.py", *arguments],
        cwd=shop.ROOT,
        env=shop.of_its_own(folder) | environment,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
    )


@contextmanager
def served(folder: Path, **environment: str) -> Iterator[tuple[int, str]]:
    """A server on a free port; gives the port and the code of the first start."""
    port = serving.free_port("127.0.0.1", 20_000 + os.getpid() % 20_000, 200)
    process = manage(folder, "serve", "--port", str(port), **environment)
    said = ""
    try:
        assert process.stdout is not None
        for line in process.stdout:
            said += line
            if "serves at" in line:
                break
        until(lambda: listens(port))
        found = re.search(r"first-start/\?code=(\S+)", said)
        yield port, found[1] if found else ""
    finally:
        process.terminate()
        process.communicate(timeout=20)


class Serving(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory(prefix="gumshoe-serving-")
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name) / "shop"

    def ask(self, port: int, method: str, path: str, body: str = "", **headers: str) -> http.client.HTTPResponse:
        link = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
        self.addCleanup(link.close)
        link.request(method, path, body, {name.replace("_", "-"): value for name, value in headers.items()})
        return link.getresponse()

    def test_sign_in_behind_a_tls_proxy(self) -> None:
        """The headers a proxy sends (X-Forwarded-*, common practice); HSTS is RFC 6797 [S]."""
        with served(self.folder, GUMSHOE_TLS="1", GUMSHOE_HOSTS="shop.example") as (port, word):
            self.assertEqual(self.ask(port, "GET", "/sign-in/", **PROXIED).headers["Location"], "/first-start/")
            page = self.ask(port, "GET", f"/first-start/?code={word}", **PROXIED)
            text = page.read().decode()
            self.assertEqual(page.status, 200)
            self.assertIn(f'value="{word}"', text)
            self.assertIn("max-age=31536000", page.headers["Strict-Transport-Security"])
            token = re.search(r'name="csrfmiddlewaretoken" value="([^"]+)"', text)
            cookie = re.search(r"csrftoken=([^;]+)", page.headers["Set-Cookie"])
            assert token and cookie
            self.assertIn("Secure", page.headers["Set-Cookie"])
            own = {"username": "lena", "password": "three-words-or-four", "csrfmiddlewaretoken": token[1]}
            first = {"full_name": "Lena", "again": own["password"], "code": word}
            shop_of = {"shop_name": "Kelda Yard", "currency": "£", "labour_per_hour": "72,50"}
            form = urlencode(own)
            sent = PROXIED | {
                "Origin": "https://shop.example",
                "Referer": "https://shop.example/sign-in/",
                "Cookie": f"csrftoken={cookie[1]}",
                "Content-Type": "application/x-www-form-urlencoded",
            }
            answer = self.ask(port, "POST", "/first-start/", urlencode(own | first | shop_of), **sent)
            self.assertEqual(answer.status, 302, answer.read()[-3000:])
            answer = self.ask(port, "POST", "/sign-in/", form, **sent)
            self.assertEqual(answer.status, 302, answer.read()[:300])
            self.assertIn("sessionid", " ".join(answer.headers.get_all("Set-Cookie", [])))
            foreign = self.ask(port, "POST", "/sign-in/", form, **(sent | {"Origin": "https://evil.example"}))
            self.assertEqual(foreign.status, 403)
            wrong = urlencode({**own, "password": "not-this-one"})
            tries = [self.ask(port, "POST", "/sign-in/", wrong, **sent).status for _ in range(5)]
            self.assertEqual(tries, [200, 200, 200, 200, 429])  # held off by the address that the proxy tells
            elsewhere = sent | {"X-Forwarded-For": "203.0.113.8"}
            self.assertEqual(self.ask(port, "POST", "/sign-in/", form, **elsewhere).status, 302)
            modes = {path.name: path.stat().st_mode & 0o777 for path in (self.folder, *self.folder.iterdir())}
            self.assertEqual(modes["shop"], 0o700)
            self.assertEqual(
                {mode for name, mode in modes.items() if "sqlite" in name or name == "secret_key"}, {0o600}
            )

    def test_nobody_else_may_say_what_a_request_came_by(self) -> None:
        proxied = {"GUMSHOE_TLS": "1", "GUMSHOE_PROXY": "192.0.2.1", "GUMSHOE_HOSTS": "shop.example"}
        with served(shop.migrated(self.folder), **proxied) as (port, _):
            page = self.ask(port, "GET", "/first-start/", **PROXIED)
            self.assertEqual(page.status, 200)
            self.assertIsNone(page.headers.get("Strict-Transport-Security"))

    def test_a_taken_port_and_served_data_are_one_sentence_each(self) -> None:
        with served(shop.migrated(self.folder)) as (port, _):
            second = manage(Path(self.folder.parent) / "other", "serve", "--port", str(port))
            said, _ = second.communicate(timeout=60)
            self.assertNotIn("Traceback", said)
            self.assertIn(f"Port {port} at 127.0.0.1 cannot be used", said)
            third = manage(self.folder, "serve", "--port", str(port + 1))
            said, _ = third.communicate(timeout=60)
            self.assertNotIn("Traceback", said)
            self.assertIn("being served by another Gumshoe", said)

    def test_the_demo_takes_the_next_free_port(self) -> None:
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            port = taken.getsockname()[1]
            found = serving.free_port("127.0.0.1", port, 20)
            self.assertGreater(found, port)
            with self.assertRaises(serving.PortTaken):
                serving.free_port("127.0.0.1", port, 1)

    def test_a_copy_is_kept_before_the_database_changes(self) -> None:
        shop.migrated(self.folder)
        self.assertEqual(manage(self.folder, "migrate", "scans", "0002", "-v", "0").wait(120), 0)
        with served(self.folder):
            (copy,) = (self.folder / "before").iterdir()
            self.assertEqual(copy.stat().st_mode & 0o777, 0o600)
        with served(self.folder):
            self.assertEqual(len(list((self.folder / "before").iterdir())), 1)


class Backups(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory(prefix="gumshoe-daily-")
        self.addCleanup(folder.cleanup)
        self.database = Path(folder.name) / "gumshoe.sqlite3"
        with contextlib.closing(sqlite3.connect(self.database)) as opened:
            opened.execute("create table t (x)")
            opened.commit()

    def test_one_a_day_for_a_fortnight(self) -> None:
        first = date(2026, 12, 1)
        for day in range(20):
            made = daily.back_up(self.database, first + timedelta(days=day))
            assert made is not None
            self.assertIsNone(daily.back_up(self.database, first + timedelta(days=day)))
        kept = sorted(path.name for path in made.parent.iterdir())
        self.assertEqual((len(kept), kept[0], kept[-1]), (14, "2026-12-07.zip", "2026-12-20.zip"))
        self.assertEqual({path.stat().st_mode & 0o777 for path in made.parent.iterdir()}, {0o600})
        with zipfile.ZipFile(made) as archive:
            self.assertEqual(archive.namelist(), ["gumshoe.sqlite3"])

    def test_what_was_cut_off_is_cleared_away_and_never_taken_for_one(self) -> None:
        with mock.patch.object(zipfile.ZipFile, "write", side_effect=OSError("no space")), self.assertRaises(OSError):
            daily.back_up(self.database, date(2026, 12, 1))
        self.assertEqual(list((self.database.parent / "backups").iterdir()), [])
        (self.database.parent / "backups" / ".making-killed").mkdir()
        daily.back_up(self.database, date(2026, 12, 1))
        self.assertEqual([path.name for path in (self.database.parent / "backups").iterdir()], ["2026-12-01.zip"])


class WhileServing(unittest.TestCase):
    setUp, ask = Serving.setUp, Serving.ask

    def test_health_log_and_backup(self) -> None:
        with served(shop.migrated(self.folder)) as (port, _):
            page = self.ask(port, "GET", "/health/")
            self.assertEqual((page.status, json.loads(page.read())["ok"]), (200, True))
            until(lambda: any((self.folder / "backups").glob("*.zip")))
            log = self.folder / "logs" / "gumshoe.log"
            until(lambda: "backed up to" in log.read_text())
            self.assertEqual(log.stat().st_mode & 0o777, 0o600)
