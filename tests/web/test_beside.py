"""What takes longer than a page should is done beside it: watched, told once, and nobody else's."""

from __future__ import annotations

import threading
import time

from django.contrib.messages import get_messages
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase, TransactionTestCase
from django.urls import reverse

from gumshoe.core.errors import BadInput
from gumshoe.web.accounts.models import Role
from gumshoe.web.kit import beside
from gumshoe.web.kit.beside import Outcome, Task
from gumshoe.web.live.models import Recording
from gumshoe.web.ui.responses import SOON_BYTES
from tests.web import support

JSON = {"headers": {"Accept": "application/json"}}
MOST_S = 60.0


class Watched(TestCase):
    def setUp(self) -> None:
        self.tess = support.person("tess", Role.TECHNICIAN)
        self.client.force_login(self.tess)
        self.may_end = threading.Event()
        self.addCleanup(self.may_end.set)

    def begun(self, work: object = None) -> Task:
        def waits() -> Outcome:
            self.may_end.wait(MOST_S)
            if isinstance(work, Exception):
                raise work
            return Outcome("Read: 3 channels.", "/parts/")

        return beside.begin(Task(self.tess.pk, "Reading “long.log”, 84 MB", "/", waits), 0.0)

    def ends(self, task: Task) -> str:
        self.may_end.set()
        task.join(MOST_S)
        self.assertTrue(self.client.get(f"/beside/{task.key}/", **JSON).json()["done"])
        answer = self.client.get(f"/beside/{task.key}/")
        self.assertEqual(answer.status_code, 302)
        said = " ".join(map(str, get_messages(answer.wsgi_request)))
        return f"{answer['Location']} {said}"

    def test_how_far_it_is_and_where_it_leads(self) -> None:
        task = self.begun()
        page = self.client.get(f"/beside/{task.key}/")
        self.assertContains(page, "Reading “long.log”, 84 MB …")
        self.assertContains(page, "You can work on elsewhere meanwhile")
        self.assertFalse(self.client.get(f"/beside/{task.key}/", **JSON).json()["done"])
        self.assertEqual(self.ends(task), "/parts/ Read: 3 channels.")
        self.assertContains(self.client.get(f"/beside/{task.key}/"), "its end was told already", status_code=404)

    def test_what_cannot_be_read_says_why_where_it_was_begun(self) -> None:
        said = self.ends(self.begun(BadInput("There is no column of time.", kept="Nothing was stored.")))
        self.assertTrue(said.startswith("/ There is no column of time."), said)
        self.assertIn("Nothing was stored", said)

    def test_an_error_of_ours_is_told_too(self) -> None:
        with self.assertLogs("gumshoe.web.kit.beside", "ERROR"):
            said = self.ends(self.begun(ZeroDivisionError()))
        self.assertIn("something broke here; nothing of it was stored", said)

    def test_it_is_nobody_elses(self) -> None:
        task = self.begun()
        self.client.force_login(support.person("udo", Role.LEAD))
        self.assertContains(self.client.get(f"/beside/{task.key}/"), "It has ended", status_code=404)
        self.client.logout()
        self.assertIn("/sign-in/", self.client.get(f"/beside/{task.key}/")["Location"])


class Reading(TransactionTestCase):
    def test_a_long_file_is_read_beside_its_page(self) -> None:
        tess = support.person("tess", Role.TECHNICIAN)
        self.client.force_login(tess)
        case = support.case_of(tess, support.car("", "T 9"), "rough_idle")
        rows = [f"{place / 10:.1f},{800 + place % 37},{place % 90}" for place in range(40_000)]
        text = "\n".join(["time [s],rpm [1/min],speed_kmh [km/h]", *rows])
        self.assertGreater(len(text), SOON_BYTES)
        address = reverse("live:import_file", args=[case.pk])
        answer = self.client.post(address, {"file": SimpleUploadedFile("drive.csv", text.encode())})
        until = time.monotonic() + MOST_S
        while answer["Location"].startswith("/beside/") and time.monotonic() < until:
            asked = self.client.get(answer["Location"])
            answer = asked if asked.status_code == 302 else answer
            time.sleep(0.05)
        stored = Recording.objects.get()
        self.assertEqual(answer["Location"], reverse("live:replay", args=[case.pk, stored.pk]))
        self.assertEqual(stored.label, "drive")
