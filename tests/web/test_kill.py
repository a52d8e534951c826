"""A server killed in the middle of work: at most the last second is lost, and the next start is clean."""

from __future__ import annotations

import contextlib
import http.client
import http.cookiejar
import json
import re
import signal
import socket
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
import unittest
import urllib.parse
import urllib.request
from pathlib import Path

from gumshoe.core.signals.packing import unpack
from tests import shop
from tests.until import until

SERVER = """
import django, sys
django.setup()
from gumshoe.serving import server as serving
serving.prepare()
from gumshoe.web.accounts.models import User
from tests.web import support
if not User.objects.exists():
    case = support.case_of(support.person(), support.car(), "rough_idle")
if len(sys.argv) > 2:  # a slow bus, so that a scan lasts long enough to be killed in the middle
    import time
    from gumshoe.core.obd.link import Link
    quick = Link.ask
    Link.ask = lambda self, *a, **k: (time.sleep(float(sys.argv[2])), quick(self, *a, **k))[1]
runner = support.start(support.stand_in(coolant_c=86.0))
runner.key("on"); runner.key("start"); runner.skip(45.0)
print("ready", flush=True)
serving.serve("127.0.0.1", int(sys.argv[1]))
"""


class Server:
    """The application in a process of its own, with a data folder of its own."""

    def __init__(self, folder: Path, *slow: str) -> None:
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.process = subprocess.Popen(
            [sys.executable, "-c", SERVER, str(self.port), *slow],
            cwd=shop.ROOT,
            env=shop.of_its_own(folder),
            stdout=subprocess.PIPE,
            text=True,
            stderr=subprocess.DEVNULL,
        )
        self.output: list[str] = []
        assert self.process.stdout
        for line in self.process.stdout:
            self.output.append(line.strip())
            if line.strip() == "ready":
                break
        jar = http.cookiejar.CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(jar))

    def get(self, path: str) -> str:
        """A page or an answer; waits for the server to listen."""
        deadline = time.monotonic() + 15.0
        while True:
            try:
                with self.opener.open(f"http://127.0.0.1:{self.port}{path}") as response:
                    return str(response.read().decode())
            except urllib.error.URLError:
                if time.monotonic() > deadline:
                    raise
                time.sleep(0.1)

    def post(self, path: str, page: str, **fields: str) -> str:
        """Submit a form with the token found on ``page``."""
        token = re.search(r'name="csrf" content="([^"]+)"', self.get(page))
        assert token
        data = urllib.parse.urlencode({"csrfmiddlewaretoken": token[1], **fields}).encode()
        with self.opener.open(f"http://127.0.0.1:{self.port}{path}", data) as response:
            return str(response.read().decode())

    def kill(self) -> None:
        """SIGKILL: no clean-up of any kind."""
        self.process.send_signal(signal.SIGKILL)
        self.process.wait(10.0)
        if self.process.stdout:
            self.process.stdout.close()


class Killed(unittest.TestCase):
    def test_a_recording_survives_a_kill(self) -> None:
        with tempfile.TemporaryDirectory(prefix="gumshoe-kill-") as name:
            folder = shop.migrated(Path(name))
            server = Server(folder)
            self.addCleanup(server.kill)
            server.post("/sign-in/", "/sign-in/", username="tess", password="a-long-test-password")
            server.post("/cases/1/scan/now/", "/cases/1/scan/")
            until(lambda: json.loads(server.get("/cases/1/live/news/"))["region"] == "warm idle")
            server.post("/cases/1/live/begin/", "/cases/1/live/", purpose="idle")
            began = time.time()
            time.sleep(4.0)
            killed = time.time()
            server.kill()

            with sqlite3.connect(folder / "gumshoe.sqlite3") as database:
                self.assertEqual(database.execute("pragma integrity_check").fetchone()[0], "ok")
                self.assertEqual(database.execute("select count(*) from scans_scan").fetchone()[0], 1)
                chunks = database.execute("select data from live_chunk order by number").fetchall()
                steps = json.loads(database.execute("select channels from live_recording").fetchone()[0])["body"]
            newest = 0.0
            for (data,) in chunks:
                held = unpack(data, tuple(steps), steps)
                newest = max(newest, *(float(channel.times[-1]) for channel in held.values()))
            self.assertGreater(newest, began + 2.0)
            self.assertLess(killed - newest, 1.5)  # a second, and the tick it takes to write

            again = Server(folder)
            self.addCleanup(again.kill)
            again.post("/sign-in/", "/sign-in/", username="tess", password="a-long-test-password")
            self.assertIn("Warm idle", again.get("/cases/1/live/"))

    @staticmethod
    def _written(folder: Path) -> list[Path]:
        """The scan's journal, once it holds a part of the scan."""
        return [path for path in (folder / "journal").glob("scan-*.log") if len(path.read_text().splitlines()) >= 20]

    def test_a_scan_killed_in_the_middle_keeps_its_frames(self) -> None:
        with tempfile.TemporaryDirectory(prefix="gumshoe-kill-") as name:
            folder = shop.migrated(Path(name))
            server = Server(folder, "0.1")
            self.addCleanup(server.kill)
            server.post("/sign-in/", "/sign-in/", username="tess", password="a-long-test-password")
            scanning = threading.Thread(target=self._scan_until_killed, args=(server,))
            scanning.start()
            journal = until(lambda: self._written(folder))
            server.kill()
            scanning.join(10.0)
            heard = journal[0].read_text().splitlines()
            self.assertGreaterEqual(len(heard), 20)
            with sqlite3.connect(folder / "gumshoe.sqlite3") as database:
                self.assertEqual(database.execute("select count(*) from scans_scan").fetchone()[0], 0)

            again = Server(folder)
            self.addCleanup(again.kill)
            self.assertTrue(any("cut off" in line for line in again.output), again.output)
            again.post("/sign-in/", "/sign-in/", username="tess", password="a-long-test-password")
            self.assertIn("cut off", again.get("/cases/1/scan/"))
            self.assertEqual(again.get("/cases/1/scan/1/frames.log").splitlines(), heard)
            self.assertEqual(list((folder / "journal").glob("*.log")), [])
            again.post("/cases/1/scan/now/", "/cases/1/scan/")
            self.assertIn("check digit fits", again.get("/cases/1/scan/"))

    @staticmethod
    def _scan_until_killed(server: Server) -> None:
        with contextlib.suppress(OSError, http.client.HTTPException):
            server.post("/cases/1/scan/now/", "/cases/1/scan/")
