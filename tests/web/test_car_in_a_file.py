"""A car in a file: a log becomes a vehicle that is scanned, watched and cleared like any other."""

from __future__ import annotations

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TransactionTestCase
from django.urls import reverse

from gumshoe.web.cases.models import Case
from gumshoe.web.live import services as live
from gumshoe.web.scans import services as scans
from gumshoe.web.vehicles import garage
from gumshoe.web.vehicles.links import close_all
from gumshoe.web.vehicles.models import Vehicle
from tests.foreign.record import LOGS
from tests.until import until
from tests.web import support


class CarInAFile(TransactionTestCase):
    def setUp(self) -> None:
        self.tess = support.person("tess")
        self.client.force_login(self.tess)
        self.addCleanup(garage.stop_all)
        self.addCleanup(close_all)

    def imported(self, name: str) -> Case:
        """A log sent on the import page."""
        upload = SimpleUploadedFile(f"{name}.log", (LOGS / f"{name}.log").read_bytes())
        page = self.client.post(reverse("reports:import"), {"file": upload}, follow=True)
        self.assertContains(page, f"answers as {name}.log holds it")
        self.assertContains(page, "Replayed from")
        return Case.objects.latest("pk")

    def test_it_is_scanned_and_watched_like_any_car(self) -> None:
        case = self.imported("usual_29_bit")
        page = self.client.post(reverse("scans:scan_now", args=(case.pk,)), follow=True)
        for words in ("P0171", "P0740", "replayed from usual_29_bit.log"):
            self.assertContains(page, words)
        snapshot = scans.snapshot_of(case.scans.get())
        assert snapshot
        self.assertEqual(snapshot.vin, case.vehicle.vin)
        self.assertTrue(all(module.codes_known for module in snapshot.modules))
        self.assertIn("codes of Brakes", snapshot.codes_unread)  # the platform has it, and the log does not hold it
        running = live.running(case)
        until(lambda: "rpm" in live.news(case, 0)["now"])
        self.assertEqual(live.news(case, 0)["now"]["rpm"], 750.0)
        running.stop()

    def test_the_real_car_is_still_found_by_its_vin(self) -> None:
        real = Vehicle.objects.create(plate="R 1", vin="UY0TN16A9G2000001", make="Ostrel", model="Tern 1.6")
        case = self.imported("usual")
        self.assertEqual(case.vehicle.vin, real.vin)
        self.assertNotEqual(case.vehicle, real)
        page = self.client.post(reverse("scans:scan_now", args=(case.pk,)), follow=True)
        self.assertContains(page, "P0171")  # nobody asks whether this is another car

    def test_a_log_without_a_scan_is_refused_and_nothing_is_stored(self) -> None:
        for content, words in (
            (b"(0.0) can0 123#0011\n", "no module tells its codes"),
            (b"nothing of the kind\n", "could not be read"),
        ):
            upload = SimpleUploadedFile("x.log", content)
            page = self.client.post(reverse("reports:import"), {"file": upload})
            self.assertContains(page, words, status_code=400)
        self.assertFalse(Vehicle.objects.exists())
