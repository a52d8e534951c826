"""What earlier versions stored is read for ever: shapes brought up to date, names that were given up, and what is newer
than this version refused in words."""

from __future__ import annotations

import gzip
import json
import sqlite3
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from django.db import connection
from django.test import TestCase, tag

from gumshoe.core.casefile import read_case
from gumshoe.core.knowledge.renamed import names_of, present
from gumshoe.core.stored import StoredCannotBeRead, shape
from gumshoe.web.accounts.models import Role
from gumshoe.web.bench.models import TestRecord
from gumshoe.web.suspects.models import Ruling
from tests.shop import of_its_own
from tests.web import support

ROOT = Path(__file__).resolve().parents[2]
RELEASED = sorted((Path(__file__).parent / "stored").glob("*.sql.gz"))
"""A shop's whole database as each released version left it; never changed."""


@tag("long")
class Released(unittest.TestCase):
    def test_every_released_database_opens_on_every_page(self) -> None:
        self.assertTrue(RELEASED)
        for path in RELEASED:
            with self.subTest(path.name), tempfile.TemporaryDirectory() as folder:
                with sqlite3.connect(Path(folder) / "gumshoe.sqlite3") as database:
                    database.executescript(gzip.decompress(path.read_bytes()).decode())
                told = subprocess.run(
                    [sys.executable, "-m", "tests.web.stored.walk"],
                    cwd=ROOT, env=of_its_own(Path(folder)), capture_output=True, text=True, check=False,
                )  # fmt: skip
                self.assertEqual(told.returncode, 0, told.stderr[-2000:])
                found = json.loads(told.stdout.splitlines()[-1])
                self.assertEqual({status for status in found["pages"].values() if status >= 400}, set(), found["pages"])
                if path.name == "version_0_2.sql.gz":
                    self.assertIn("check_throttle_sensor_b", found["tests"])
                    self.assertIn("pedal_sensor_b", found["off"])
                    self.assertEqual(found["ruled"], ["open_pedal_sensor_b"])
                else:  # the demo of 0.1.0, as its own program left it
                    self.assertEqual(len([name for name in found["cases"] if name.startswith("26-")]), 6)
                    self.assertEqual(found["verdicts"], ["came back", "proven"])
                    self.assertEqual(sorted(found["owners"])[:2], ["Ansa Brekke", "Dive school"])


class Shapes(unittest.TestCase):
    def test_a_shape_that_changed_is_brought_up_step_by_step(self) -> None:
        """Version 1 held plain names, version 2 says for each when."""
        now = shape("works", list[dict[str, str]], lambda body: [{"name": name, "at": ""} for name in body])
        self.assertEqual(now.read(["a"]), [{"name": "a", "at": ""}])  # before there were versions
        self.assertEqual(now.read({"v": 1, "body": ["a"]}), [{"name": "a", "at": ""}])
        written = now.write([{"name": "b", "at": "noon"}])
        self.assertEqual(written["v"], 2)
        self.assertEqual(now.read(written), [{"name": "b", "at": "noon"}])

    def test_what_is_newer_or_broken_is_refused_in_words(self) -> None:
        numbers = shape("numbers", list[int])
        for raw, words in (({"v": 9, "body": []}, "version 9"), ({"v": 1, "body": ["x"]}, "numbers: 0:")):
            with self.assertRaisesRegex(StoredCannotBeRead, words) as caught:
                numbers.read(raw)
            self.assertIn("nothing is lost", caught.exception.kept)


class Names(unittest.TestCase):
    def test_names_that_were_given_up(self) -> None:
        self.assertEqual(present("throttle_sensor_2"), "throttle_sensor_b")
        self.assertEqual(present("short_ground_pedal_sensor_2"), "short_ground_pedal_sensor_b")
        self.assertEqual(present("coil_breakdown_2"), "coil_breakdown_2")
        self.assertEqual(names_of("renew_pedal_sensor_b"), ("renew_pedal_sensor_b", "renew_pedal_sensor_2"))

    def test_in_a_case_file(self) -> None:
        case = read_case(json.dumps({
            "format": "gumshoe-case", "version": 1,
            "events": [{"off": "pedal_sensor_2"}], "tests": [{"test": "check_pedal_sensor_2", "outcome": "open"}],
        }))  # fmt: skip
        self.assertEqual((case.events[0].off, case.tests[0].test), ("pedal_sensor_b", "check_pedal_sensor_b"))


class Kept(TestCase):
    def setUp(self) -> None:
        self.user = support.person("teo", Role.LEAD)
        self.case = support.case_of(self.user, support.car(""), "rough_idle")
        self.client.force_login(self.user)

    def raw(self, table: str, column: str) -> object:
        with connection.cursor() as cursor:
            cursor.execute(f"select {column} from {table}")
            kept = json.loads(cursor.fetchone()[0])
            return json.loads(kept) if isinstance(kept, str) else kept

    def test_every_value_is_stored_with_its_version(self) -> None:
        self.assertEqual(self.raw("cases_complaint", "symptoms"), {"v": 2, "body": ["rough_idle"]})
        self.assertEqual(self.case.complaints.get().symptoms, ["rough_idle"])

    def test_what_comes_out_is_in_the_order_it_was_put_in(self) -> None:
        """Blocks of a recording name their channels by their place."""
        told = {"second": 1.0, "b": 2.0, "longest of all": 3.0, "a": 1e-9}
        TestRecord.objects.create(case=self.case, by=self.user, test="look_hoses", outcome="whole", readings=told)
        self.assertEqual(list(TestRecord.objects.get().readings.items()), list(told.items()))

    def test_what_a_newer_version_stored_is_no_server_error(self) -> None:
        with connection.cursor() as cursor:
            cursor.execute("update cases_complaint set symptoms = %s", ['{"v": 99, "body": {}}'])
        page = self.client.get(f"/cases/{self.case.pk}/complaint/")
        self.assertLess(page.status_code, 500)
        self.assertContains(page, "stored as version 99", status_code=page.status_code)

    def test_a_test_that_nobody_knows_is_shown_as_such(self) -> None:
        TestRecord.objects.create(case=self.case, by=self.user, test="look_at_the_moon", outcome="full", readings={})
        self.assertContains(self.client.get(f"/cases/{self.case.pk}/suspects/"), "look_at_the_moon")

    def test_a_ruling_about_a_suspect_that_nobody_knows_is_shown_as_such(self) -> None:
        """As after a suspect was split, or the car was described anew."""
        for kind in (Ruling.Kind.OUT, Ruling.Kind.OWN):
            subject = f"moonlight_{kind}"
            Ruling.objects.create(case=self.case, by=self.user, kind=kind, subject=subject, reason="seen")
            self.assertContains(self.client.get(f"/cases/{self.case.pk}/suspects/"), subject)
