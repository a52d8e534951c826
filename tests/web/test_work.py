"""The services of the stages with a real stand-in on a virtual bus, and every page they feed."""

from __future__ import annotations

import json
import threading
import time
from decimal import Decimal
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from django.conf import settings
from django.db import connection as database
from django.test import TransactionTestCase, override_settings

from gumshoe.core.casefile import write_case
from gumshoe.core.errors import BadInput
from gumshoe.core.obd.capture import parse_candump
from gumshoe.core.obd.errors import NoAnswer
from gumshoe.core.obd.link import BusFrame
from gumshoe.core.obd.poller import Sample
from gumshoe.core.obd.who import ROLL_CALLS
from gumshoe.core.signals.recording import Recording as Samples
from gumshoe.web.accounts.models import User
from gumshoe.web.bench import services as bench
from gumshoe.web.cases import services as cases
from gumshoe.web.clearing import services as clearing
from gumshoe.web.ledger import ends
from gumshoe.web.live import feed, looking, recordings, store
from gumshoe.web.live import services as live
from gumshoe.web.proposal import services as offering
from gumshoe.web.reports.casefile import export
from gumshoe.web.reports.importing import import_case
from gumshoe.web.scans import services as scans
from gumshoe.web.settings.models import Adapter
from gumshoe.web.suspects import services as suspects
from gumshoe.web.vehicles.links import connection
from gumshoe.web.vehicles.models import Vehicle
from gumshoe.web.work import services as working
from tests.until import until
from tests.web import support

LEAK = "crankcase-hose-split"


class WithCar(TransactionTestCase):
    """A technician, a car with an air leak and two trips behind it, and a case."""

    history: tuple[str, ...] = ("mixed", "mixed")
    defects: tuple[str, ...] = (LEAK,)
    coolant_c = 64.0

    def setUp(self) -> None:
        self.addCleanup(support.stop_everything)
        self.tess = support.person()
        self.car = support.car()
        self.runner = support.start(
            support.stand_in(defects=self.defects, history=self.history, coolant_c=self.coolant_c)
        )
        self.case = support.case_of(self.tess, self.car, "rough_idle", "high_idle")
        self.client.force_login(User.objects.get(username="tess"))

    def key(self, position: str) -> None:
        self.runner.key(position)
        self.runner.skip(1.0)


class Scanning(WithCar):
    def test_one_press_stores_the_whole_snapshot(self) -> None:
        self.key("on")
        began = time.monotonic()
        response = self.client.post(f"/cases/{self.case.pk}/scan/now/", follow=True)
        self.assertLess(time.monotonic() - began, 5.0)
        self.assertContains(response, "P0171")
        stored = self.case.scans.get()
        snapshot = scans.snapshot_of(stored)
        assert snapshot and snapshot.engine
        self.assertEqual(snapshot.problems, ())
        self.assertEqual(len(snapshot.modules), 5)
        self.assertEqual(snapshot.vin, self.runner.vehicle.identity.vin)
        self.assertTrue(snapshot.lamp)
        self.assertGreater(len(snapshot.engine.results), 10)
        self.assertGreater(snapshot.engine.values["module_v"], 11.0)
        self.car.refresh_from_db()
        self.assertEqual(self.car.vin, snapshot.vin)
        log = self.client.get(f"/cases/{self.case.pk}/scan/{stored.pk}/frames.log").content.decode()
        frames = list(parse_candump(log.splitlines()))
        self.assertGreater(len(frames), 50)
        self.assertEqual(frames[0].id, 0x7DF)

    def test_key_off_is_a_clear_error_and_stores_nothing(self) -> None:
        response = self.client.post(f"/cases/{self.case.pk}/scan/now/")
        self.assertContains(response, "switch the ignition on", status_code=409)
        self.assertEqual(self.case.scans.count(), 0)

    def test_a_scan_that_breaks_off_keeps_its_frames(self) -> None:
        self.key("on")

        def broken(link: object, **_: object) -> object:
            connection(self.car)._link.ask_all(b"\x01\x00")  # type: ignore[union-attr]
            raise NoAnswer("The module fell silent in the middle.")

        with mock.patch("gumshoe.web.scans.services.scan", broken), self.assertRaises(NoAnswer) as caught:
            scans.perform(self.case, self.tess)
        self.assertIn("raw frames", caught.exception.kept)
        stored = self.case.scans.get()
        self.assertTrue(stored.interrupted)
        self.assertIn("7E8#", stored.frames)
        self.assertContains(self.client.get(f"/cases/{self.case.pk}/scan/"), "cut off")

    def test_a_journal_left_by_a_kill_is_put_on_record(self) -> None:
        folder = self.enterContext(TemporaryDirectory())  # other tests scan beside this one, into one folder
        self.enterContext(override_settings(DATA_DIR=folder))
        journal = scans.Journal(self.case, self.tess)
        journal.take(BusFrame(1.0, 0x7DF, False, b"\x02\x01\x00", True))
        journal.close(keep=True)
        self.assertEqual(scans.recover(), 1)
        self.assertTrue(self.case.scans.get().interrupted)
        self.assertEqual(list((Path(settings.DATA_DIR) / "journal").glob("*.log")), [])

    def test_two_scans_side_by_side(self) -> None:
        self.key("on")
        scans.perform(self.case, self.tess)
        self.runner.vehicle.memory.clear()
        scans.perform(self.case, self.tess)
        page = self.client.get(f"/cases/{self.case.pk}/scan/compare/")
        self.assertContains(page, "changed state")  # confirmed became permanent only


class RealVehicle(WithCar):
    """A vehicle with no stand-in behind it is reached through one of the shop's adapters."""

    def adapter(self, **more: str) -> Adapter:
        """One that leads to the stand-in's bus."""
        row = {"name": "Bus in bay 2", "kind": "bus", "interface": "virtual", "address": "stand-in-test-car"}
        return Adapter.objects.create(**(row | more))

    def test_any_python_can_interface(self) -> None:
        real = Vehicle.objects.create(plate="R 1", make="Ostrel", model="Tern 1.6")
        case = support.case_of(self.tess, real)
        self.adapter()
        self.key("on")
        stored = scans.perform(case, self.tess)
        self.assertIn("Bus in bay 2, virtual stand-in-test-car, CAN, 11 bit", stored.link)
        real.refresh_from_db()
        self.assertEqual(real.platform, "ostrel_tern_16")  # found by the VIN that the scan read
        self.assertEqual(real.spoke, "500000 11 bit")
        self.assertNotContains(self.client.get(f"/cases/{case.pk}/scan/"), "Stand-in in the bay")
        self.assertEqual(self.client.get(f"/vehicles/{real.pk}/stand-in/").status_code, 409)

    def test_an_adapter_that_is_not_there_is_a_clear_error(self) -> None:
        case = support.case_of(self.tess, Vehicle.objects.create(plate="R 2", make="Ostrel", model="Tern 1.6"))
        response = self.client.post(f"/cases/{case.pk}/scan/now/")
        self.assertContains(response, "No adapter for real vehicles is set up", status_code=409)
        self.adapter(interface="no-such-adapter")
        response = self.client.post(f"/cases/{case.pk}/scan/now/")
        self.assertContains(response, "could not be opened", status_code=409)
        self.assertContains(response, "interface and channel in the settings", status_code=409)

    def test_the_bay_says_which_adapter_and_a_person_may_say_another(self) -> None:
        real = Vehicle.objects.create(plate="R 3", make="Ostrel", model="Tern 1.6")
        case = support.case_of(self.tess, real)
        case.bay = "2"
        case.save()
        wrong, right = self.adapter(name="First", address="nowhere"), self.adapter(bay="2")
        self.key("on")
        self.assertIn(right.name, scans.perform(case, self.tess).link)
        real.refresh_from_db()
        self.assertEqual(real.adapter, right)
        page = self.client.post(f"/cases/{case.pk}/scan/through/", {"adapter": wrong.pk}, follow=True)
        self.assertContains(page, "is reached through First")
        self.assertContains(self.client.post(f"/cases/{case.pk}/scan/now/"), "No module answered", status_code=409)
        gone = self.client.post(f"/cases/{case.pk}/scan/through/", {"adapter": 9_999})
        self.assertContains(gone, "not on the shop", status_code=400)

    def test_two_scans_at_once_keep_their_logs_apart(self) -> None:
        self.key("on")
        other = support.person("otto")
        results: list[int] = []

        def scan(user: User) -> None:
            try:
                results.append(scans.perform(self.case, user).pk)
            finally:
                database.close()

        threads = [threading.Thread(target=scan, args=(user,)) for user in (self.tess, other)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(len(results), 2)
        for stored in self.case.scans.all():
            self.assertEqual(stored.frames.count("7DF#020100"), ROLL_CALLS)
            self.assertFalse(stored.interrupted)


class StandInPanel(WithCar):
    def act(self, action: str) -> dict[str, object]:
        response = self.client.post(f"/vehicles/{self.car.pk}/stand-in/act/", {"action": action})
        return {"status": response.status_code, **response.json()}

    def test_key_pedal_and_drive(self) -> None:
        self.assertEqual(self.act("on")["lamp"], "on (bulb check)")
        self.act("start")
        self.runner.skip(20.0)
        self.act("hold")
        self.runner.skip(30.0)
        state = self.client.get(f"/vehicles/{self.car.pk}/stand-in/").json()
        self.assertAlmostEqual(state["rpm"], 2500, delta=150)
        self.assertEqual(state["lamp"], "on")
        self.act("release")
        self.assertTrue(self.act("drive:short")["driving"])
        self.assertEqual(self.act("off")["key"], "off")
        refused = self.act("fly")
        self.assertEqual(refused["status"], 400)
        self.assertIn("cannot", str(refused["error"]))


class Working(WithCar):
    def record(self, purpose: str, trim: float, flow: float, rpm: float) -> None:
        from gumshoe.core.obd.poller import Sample

        rows = [
            Sample(i * 0.2, key, value)
            for i in range(60)
            for key, value in (
                ("rpm", rpm),
                ("maf_gps", flow),
                ("stft_b1_pct", 1.0),
                ("ltft_b1_pct", trim - 1.0),
                ("coolant_c", 88.0),
                ("speed_kmh", 0.0),
                ("load_pct", 22.0),
            )
        ]
        steps = looking.steps(self.case, {row.key for row in rows})
        store.keep(self.case, self.tess, Samples.from_samples(rows), steps, label=purpose, purpose=purpose)

    def test_live_feed_recording_and_its_chunks(self) -> None:
        self.key("on")
        self.key("start")
        self.runner.skip(40.0)
        news = until(lambda: told if (told := live.news(self.case, 0))["columns"] else None)
        self.assertEqual(news["region"], "warm idle")
        self.assertTrue(news["bands"]["total_trim_b1_pct"]["high"] < news["now"]["total_trim_b1_pct"])
        with self.assertRaisesRegex(BadInput, "2500 rpm, standing"):
            live.begin(self.case, self.tess, "fast")
        with mock.patch("gumshoe.web.live.services.RECORD_S", 2.3):
            recording = live.begin(self.case, self.tess, "idle")
        with self.assertRaisesRegex(BadInput, "running already, by Tess"):
            live.begin(self.case, self.tess, "idle")
        until(recording.chunks.exists, 20.0)  # stored while it runs
        until(recording.chunks.filter(last=True).exists, 20.0)
        self.assertGreater(store.load(recording).seconds, 1.5)
        feed.stop_all()

    def test_evidence_moves_the_ranking_and_pages_render(self) -> None:
        self.key("on")
        scans.perform(self.case, self.tess)
        self.record("idle", 28.0, 2.1, 830.0)
        self.record("fast", 7.6, 7.5, 2500.0)
        before, proposals = suspects.assess_case(self.case)
        self.assertEqual(before.suspects[0].id, "crankcase_hose_split")
        self.assertLess(before.suspects[0].probability, 0.9)
        self.assertNotIn("record_idle", [item.test.id for item in proposals])
        for name, typed in (
            ("look_hoses", {"found": "crankcase hose split"}),
            ("smoke_intake", {"where": "crankcase ventilation hose"}),
        ):
            bench.record(self.case, self.tess, bench.test_of(self.case, name), typed, "")
        after, proposals = suspects.assess_case(self.case)
        self.assertGreater(after.suspects[0].probability, 0.97)
        self.assertTrue(after.suspects[0].proven_by)
        self.assertNotIn("look_hoses", [item.test.id for item in proposals])
        steps = suspects.history(self.case, after)
        self.assertEqual(len(steps), 6)  # complaint, scan, two recordings, two tests
        for page in (
            "complaint",
            "scan",
            "read",
            "live",
            "suspects",
            "suspects/?suspect=catalyst_worn",
            "bench",
            "bench/compression",
            "repair",
            "clear",
            "prove",
            "report",
        ):
            path = f"/cases/{self.case.pk}/{page}" + ("" if "?" in page else "/")
            self.assertEqual(self.client.get(path).status_code, 200, page)
        self.assertEqual(self.client.get("/").status_code, 200)
        self.assertEqual(self.client.get("/nowhere/").status_code, 404)

    def test_bad_readings_are_refused_where_they_are_typed(self) -> None:
        path = f"/cases/{self.case.pk}/bench/fuel_pressure/record/"
        response = self.client.post(path, {"idle_kpa": "350", "load_kpa": "fifty"})
        self.assertContains(response, "not a number", status_code=400)
        self.assertContains(response, 'value="350"', status_code=400)
        self.assertEqual(self.case.testrecords.count(), 0)

    def test_rulings_need_a_reason_and_a_known_subject(self) -> None:
        for kind, subject, reason in (
            ("out", "catalyst_worn", ""),
            ("out", "no_such", "r"),
            ("doubt", "no-such-clue", "r"),
            ("burn", "x", "r"),
        ):
            with self.assertRaises(BadInput):
                suspects.rule(self.case, self.tess, kind, subject, reason)
        suspects.rule(self.case, self.tess, "out", "catalyst_worn", "renewed last month")
        self.assertIsNone(suspects.assess_case(self.case)[0].suspect("catalyst_worn"))

    def test_repair_is_only_done_when_approved_and_then_truly(self) -> None:
        line = offering.propose_line(self.case, self.tess, "renew_crankcase_hose")
        self.assertEqual(line.labour, Decimal("33.60"))  # 24 min = 4 tenths of an hour at 84.00
        with self.assertRaisesRegex(BadInput, "not been approved"):
            working.do_work(self.case, self.tess, line.pk)
        offering.answer(self.case, self.tess, line.pk, "refused", "owner", "by phone")
        with self.assertRaises(BadInput):
            working.do_work(self.case, self.tess, line.pk)
        offering.answer(self.case, self.tess, line.pk, "approved", "owner", "by phone")
        self.assertIn("crankcase_ventilation_hose", self.runner.vehicle.parts.leaks_mm2)
        working.do_work(self.case, self.tess, line.pk)
        self.assertEqual(self.runner.vehicle.parts.leaks_mm2, {})
        with self.assertRaisesRegex(BadInput, "already recorded"):
            working.do_work(self.case, self.tess, line.pk)

    def test_a_plug_left_off_sets_real_codes_and_blocks_clearing(self) -> None:
        end = ends.open_end(self.case, self.tess, "air-flow meter unplugged", "air_flow_meter")
        self.key("on")
        self.runner.skip(2.0)
        scans.perform(self.case, self.tess)
        snapshot = scans.snapshot_of(self.case.scans.last())
        assert snapshot
        self.assertIn("P0102", snapshot.codes_in())
        with self.assertRaises(clearing.ClearRefused) as caught:
            clearing.clear(self.case, self.tess, triage=True)
        self.assertTrue(any("air-flow meter unplugged" in line for line in caught.exception.remedies))
        ends.close_end(self.case, self.tess, end.pk)
        self.assertEqual(self.runner.vehicle.parts.unplugged, set())
        cleared = clearing.clear(self.case, self.tess, triage=True)
        self.assertTrue(all(module["cleared"] for module in cleared.modules))
        after = scans.snapshot_of(cleared.after)
        assert after
        self.assertEqual(after.modules[0].with_state("confirmed"), ())  # type: ignore[arg-type]

    def test_no_clearing_with_the_engine_running(self) -> None:
        self.key("on")
        scans.perform(self.case, self.tess)
        self.key("start")
        self.runner.skip(5.0)
        with self.assertRaises(clearing.ClearRefused) as caught:
            clearing.clear(self.case, self.tess, triage=True)
        self.assertIn("engine is running", " ".join(caught.exception.remedies))
        self.assertEqual(self.case.clearings.count(), 0)


class Steps(TransactionTestCase):
    """Intake without any vehicle."""

    def test_codes_typed_in_for_a_car_that_is_not_connected(self) -> None:
        tess = support.person()
        case = support.case_of(tess, Vehicle.objects.create(plate="O 1", make="Ostrel", model="Drift"))
        self.client.force_login(tess)
        path = f"/cases/{case.pk}/scan/typed/"
        refused = self.client.post(path, {"codes": "no codes <b>here</b>"})
        self.assertContains(refused, "No trouble code was found", status_code=400)
        self.assertContains(refused, "no codes &lt;b&gt;here", status_code=400)
        self.assertEqual(case.scans.count(), 0)
        page = self.client.post(path, {"codes": "P0299 P2453 pending U0101"}, follow=True)
        for words in (
            "Boost pressure: below its limit",
            "Particulate filter pressure sensor A",
            "Transmission control unit",
        ):
            self.assertContains(page, words)
        self.assertEqual(case.scans.get().link, "typed in")
        for stage in ("scan", "suspects", "clear", "report"):
            self.assertEqual(self.client.get(f"/cases/{case.pk}/{stage}/").status_code, 200, stage)

    def test_case_numbers_and_new_vehicles(self) -> None:
        tess = support.person()
        self.client.force_login(User.objects.get(username="tess"))
        response = self.client.post("/cases/new/", {"plate": "N 1", "make": "Ostrel", "model": "Tern", "vin": "short"})
        self.assertContains(response, "17 characters; this one has 5", status_code=400)
        self.client.post("/cases/new/", {"plate": "N 1", "make": "Ostrel", "model": "Tern", "vin": ""})
        self.client.post("/cases/new/", {"plate": "N 2", "make": "Ostrel", "model": "Tern", "vin": "UY0TN16A9G2000001"})
        numbers = sorted(case.number for case in cases.Case.objects.all())
        self.assertEqual([number[3:] for number in numbers], ["0001", "0002"])
        twice = self.client.post("/cases/new/", {"plate": "n 1", "make": "a", "model": "b"})
        self.assertContains(twice, "already", status_code=400)
        with self.assertRaisesRegex(Exception, "not running"):
            connection(support.car("nobody", "N 3"))._open()
        self.assertEqual(tess.role, "technician")


class RoundTrip(WithCar):
    def test_a_case_worked_at_the_car_loses_nothing_on_its_way(self) -> None:
        self.key("on")
        scans.perform(self.case, self.tess)
        samples = [
            Sample(1_772_360_000.0 + n * 0.1, key, value)
            for n in range(300)
            for key, value in (("rpm", 830.0), ("stft_b1_pct", 3.0), ("ltft_b1_pct", 25.0), ("maf_gps", 2.15))
        ]
        steps = looking.steps(self.case, {row.key for row in samples})
        kept = store.keep(self.case, self.tess, Samples.from_samples(samples), steps, label="idle", origin="file x.csv")
        live.mark(self.case, self.tess, 1_772_360_012.5, "rattle")
        recordings.keep_as_good(self.case, self.tess, kept, "proven good")
        test = cases.knowledge_of(self.case).tests["look_hoses"]
        bench.record(self.case, self.tess, test, {"found": "crankcase hose split"}, "")
        first = write_case(export(self.case))
        taken = import_case(self.tess, first.encode(), "case.json")
        again = write_case(export(taken))
        self.assertEqual(
            {k: v for k, v in json.loads(first).items() if k != "number"},
            {k: v for k, v in json.loads(again).items() if k != "number"},
        )
        here, there = (suspects.assess_case(case)[0] for case in (self.case, taken))
        self.assertEqual(here.best, there.best)
