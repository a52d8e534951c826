"""The link lost in the middle: what was recorded is kept, the page says what is missing, and it goes on by itself."""

from __future__ import annotations

import json
import time
import zlib
from random import Random
from unittest import mock

import numpy as np
from django.db import OperationalError

from gumshoe.core.obd.can_link import open_link
from gumshoe.core.obd.errors import BusFailure, LinkError
from gumshoe.core.obd.poller import Poller, Sample
from gumshoe.core.signals.recording import Recording as Samples
from gumshoe.web.clearing import services as clearing
from gumshoe.web.live import looking, recordings, store
from gumshoe.web.live import services as live
from gumshoe.web.live.history import History
from gumshoe.web.live.models import Chunk, Recording
from gumshoe.web.proofs import runner as proofs_runner
from gumshoe.web.proofs import services as proofs
from gumshoe.web.proofs.models import ProofDrive
from gumshoe.web.proposal import services as offering
from gumshoe.web.scans import services as scans
from gumshoe.web.vehicles import garage
from gumshoe.web.vehicles.links import connection
from gumshoe.web.work import services as working
from tests.until import until
from tests.web.test_work import WithCar


class Live(WithCar):
    defects = ()
    history = ()
    coolant_c = 88.0

    def idle(self) -> None:
        self.key("on")
        self.key("start")
        self.runner.skip(60.0)

    def test_key_off_in_the_middle_of_a_recording(self) -> None:
        self.idle()
        until(lambda: live.news(self.case, 0)["region"] == "warm idle")
        recording = live.begin(self.case, self.tess, "idle")
        until(lambda: recording.chunks.count() >= 2)
        self.runner.key("off")
        until(lambda: live.news(self.case, 0)["trouble"])
        news = live.news(self.case, 0)
        self.assertEqual(news["region"], "no data")
        self.assertIn("switch the ignition on", news["trouble"]["remedies"])
        self.assertIsNotNone(news["recording"])
        live.stop(self.case)
        until(lambda: recording.chunks.filter(last=True).exists())
        self.assertGreater(store.load(recording).seconds, 0.8)
        self.idle()
        until(lambda: live.news(self.case, 0)["trouble"] is None)
        until(lambda: live.news(self.case, 0)["region"] == "warm idle")

    def test_a_control_unit_that_resets_leaves_a_gap_and_a_fresh_start(self) -> None:
        """Its supply drops out for a moment: it is silent, then counts its running time anew; all before is kept."""
        self.idle()
        until(lambda: live.news(self.case, 0)["region"] == "warm idle")
        recording = live.begin_free(self.case, self.tess, "yard")
        until(lambda: recording.chunks.count() >= 2)
        with self.runner.lock:
            self.runner.vehicle.parts.silent.add("engine_module")
        until(lambda: live.news(self.case, 0)["trouble"])
        with self.runner.lock:
            self.runner.vehicle.management.power_up()
            self.runner.vehicle.parts.silent.discard("engine_module")
        until(lambda: live.news(self.case, 0)["trouble"] is None)
        before = recording.chunks.count()
        until(lambda: recording.chunks.count() >= before + 2)
        live.stop(self.case)
        until(lambda: recording.chunks.filter(last=True).exists())
        stored = store.load(recording)
        self.assertGreater(float(np.diff(stored.channels["rpm"].times).max()), 0.4)

    def test_a_clock_that_jumps_moves_no_sample(self) -> None:
        self.idle()
        until(lambda: live.news(self.case, 0)["region"] == "warm idle")
        recording = live.begin_free(self.case, self.tess, "yard")
        until(lambda: recording.chunks.count() >= 1)
        true = time.time
        with mock.patch("time.time", side_effect=lambda: true() - 7200.0):  # set back by two hours
            before = recording.chunks.count()
            until(lambda: recording.chunks.count() >= before + 2)
        live.stop(self.case)
        until(lambda: recording.chunks.filter(last=True).exists())
        steps = np.diff(store.load(recording).channels["rpm"].times)
        self.assertGreater(float(steps.min()), 0.0)
        self.assertLess(float(steps.max()), 2.0)

    def test_an_adapter_that_fails_is_opened_again(self) -> None:
        self.idle()
        until(lambda: live.news(self.case, 0)["region"] == "warm idle")
        link = connection(self.car)._link
        assert link
        with mock.patch.object(link.bus, "send", side_effect=OSError("unplugged")):
            until(lambda: isinstance(live.running(self.case).trouble, BusFailure))
        until(lambda: live.news(self.case, 0)["trouble"] is None)
        self.assertIsNot(connection(self.car)._link, link)

    def samples(self) -> int:
        """How many the recording that runs holds."""
        return int(live.news(self.case, 0)["recording"]["samples"])

    def test_a_full_disk_keeps_what_came_and_stores_it_later(self) -> None:
        self.idle()
        until(lambda: live.news(self.case, 0)["region"] == "warm idle")
        recording = live.begin_free(self.case, self.tess, "yard")
        until(lambda: recording.chunks.exists())
        full = OperationalError("database or disk is full")
        with mock.patch("gumshoe.web.live.feed.store.append", side_effect=full):
            until(lambda: live.news(self.case, 0)["trouble"])
            told = live.news(self.case, 0)["trouble"]
            self.assertIn("disk is full", told["what"])
            self.assertIn("make room on the disk", told["remedies"])
            enough = self.samples() + 100
            held = until(lambda: told if (told := self.samples()) >= enough else 0)
        until(lambda: recording.chunks.count() >= 2)
        until(lambda: live.news(self.case, 0)["trouble"] is None)
        live.stop(self.case)
        until(lambda: recording.chunks.filter(last=True).exists())
        stored = store.load(recording)
        self.assertGreaterEqual(sum(c.times.size for c in stored.channels.values()), held)
        gaps = np.diff(stored.channels["rpm"].times)
        self.assertLess(float(gaps.max()), 1.0)  # nothing is missing from the time the disk was full

    def test_what_memory_cannot_hold_is_lost_and_told(self) -> None:
        self.idle()
        until(lambda: live.news(self.case, 0)["region"] == "warm idle")
        full = OperationalError("database or disk is full")
        with (
            mock.patch("gumshoe.web.live.feed.MOST_PENDING", 50),
            mock.patch("gumshoe.web.live.feed.store.append", side_effect=full),
        ):
            live.begin_free(self.case, self.tess, "yard")
            until(lambda: "are lost" in ((live.news(self.case, 0)["trouble"] or {}).get("what", "")))
        live.stop(self.case)

    def test_a_page_from_before_a_restart_goes_on(self) -> None:
        history = History()
        history.add([Sample(1.0, "rpm", 800.0), Sample(1.1, "rpm", 801.0)])
        self.assertEqual(len(history.since(1, 10)), 1)
        self.assertEqual(len(history.since(2, 10)), 0)
        self.assertEqual(len(history.since(90_000, 10)), 2)
        small = History(keep=8)
        for number in range(20):
            small.add([Sample(float(number), "rpm", float(number))])
        self.assertEqual(small.count, 20)
        self.assertEqual([sample.value for sample in small.since(17, 10)], [17.0, 18.0, 19.0])

    def test_two_testers_on_one_bus(self) -> None:
        self.idle()
        until(lambda: "rpm" in live.news(self.case, 0)["now"])
        with open_link("virtual", garage.channel_of(self.car.stand_in)) as other:
            keys = ["rpm", "load_pct", "maf_gps", "coolant_c", "module_v", "o2_b1s2_v", "lambda_b1s1"]
            poller = Poller(other, 0, keys)
            rounds, lost = [], 0
            for _ in range(40):
                watched = live.running(self.case)  # somebody looks, so that the feed goes on
                watched.since(0, 1)
                try:
                    rounds += [sample.value for sample in poller.poll() if sample.key == "rpm"]
                except LinkError:
                    lost += 1
        self.assertGreater(len(rounds), 20)
        self.assertTrue(all(500.0 < value < 1100.0 for value in rounds))

        def shown() -> list[float]:  # of the feed that goes now: one that nobody looked at meanwhile has ended
            _, samples = live.running(self.case).since(0)
            return [sample.value for sample in samples if sample.key == "rpm"]

        until(lambda: live.news(self.case, 0)["trouble"] is None and shown())
        speeds = shown()
        self.assertTrue(all(0.0 <= value < 2600.0 for value in speeds), (min(speeds), max(speeds)))

    def test_a_feed_nobody_watches_ends(self) -> None:
        with mock.patch("gumshoe.web.live.feed.IDLE_END_S", 0.3):
            running = live.running(self.case)
            until(lambda: not running.is_alive())
        self.assertIsNot(live.running(self.case), running)

    def test_cursor_gives_only_what_is_new(self) -> None:
        self.idle()
        until(lambda: live.news(self.case, 0)["columns"])
        first = live.news(self.case, 0)
        until(lambda: live.news(self.case, first["cursor"])["columns"])
        second = live.news(self.case, first["cursor"])
        newest = max(first["columns"]["rpm"][0])
        self.assertTrue(all(moment > newest for moment in second["columns"]["rpm"][0]))
        page = self.client.get(f"/cases/{self.case.pk}/live/news/?cursor=nonsense")
        self.assertEqual(page.status_code, 200)


class Stored(WithCar):
    defects = ()
    history = ()

    def test_a_recording_without_the_needed_channels_says_so(self) -> None:
        rows = [Sample(t * 0.1, "rpm", 800.0) for t in range(100)]
        store.keep(self.case, self.tess, Samples.from_samples(rows), {"rpm": 0.25}, label="odd")
        row = recordings.recorded(self.case)[0]
        self.assertEqual(row.trims, ())
        self.assertIn("stft_b1_pct was not recorded", row.note)
        empty = Recording.objects.create(case=self.case, by=self.tess, label="empty", purpose="idle")
        store.append(empty, 0, [], last=True)
        self.assertEqual(recordings.recorded(self.case)[1].seconds, 0.0)
        self.assertEqual(self.client.get(f"/cases/{self.case.pk}/live/").status_code, 200)

    def test_samples_survive_storing(self) -> None:
        rows = [Sample(1.7e9 + i * 0.05, key, i * 1.25) for i in range(40) for key in ("rpm", "load_pct")]
        steps = looking.steps(self.case, ["rpm", "load_pct"])
        recording = Recording.objects.create(case=self.case, by=self.tess, label="two", channels=steps)
        store.append(recording, 0, rows[:60])
        store.append(recording, 1, rows[60:], last=True)
        again = store.load(recording)
        for key in steps:
            before = [row for row in rows if row.key == key]
            np.testing.assert_array_equal(again.channels[key].values, [row.value for row in before])
            np.testing.assert_allclose(again.channels[key].times, [row.time for row in before], atol=6e-4, rtol=0)

    def test_a_second_of_typical_data_takes_at_most_six_bytes_a_sample(self) -> None:
        # As the database holds it: blocks of a second, each a row; what SQLite itself adds is counted by its pages.
        keys = ("rpm", "maf_gps", "load_pct", "stft_b1_pct", "map_kpa", "lambda_b1s1", "coolant_c", "speed_kmh")
        steps = looking.steps(self.case, keys)
        recording = Recording.objects.create(case=self.case, by=self.tess, label="long", channels=steps)
        draw, level, count = Random(3), dict.fromkeys(keys, 100.0), 0
        for second in range(60):
            rows = []
            for part in range(10):
                for key in keys:
                    level[key] += draw.gauss(0.0, 4.0) * steps[key]
                    value = round(level[key] / steps[key]) * steps[key]
                    rows.append(Sample(1.7e9 + second + 0.1 * part + draw.uniform(0.0, 0.004), key, value))
            store.append(recording, second, rows, last=second == 59)
            count += len(rows)
        held = sum(len(chunk.data) + 40 for chunk in recording.chunks.all())
        self.assertLess(held / count, 6.0)

    def test_blocks_of_before_are_still_read(self) -> None:
        recording = Recording.objects.create(case=self.case, by=self.tess, label="old")
        raw = {"origin": 1.7e9, "columns": {"rpm": [[0, 100], [800.0, 801.5]]}}
        Chunk.objects.create(recording=recording, number=0, data=zlib.compress(json.dumps(raw).encode()), last=True)
        np.testing.assert_allclose(store.load(recording).channels["rpm"].values, [800.0, 801.5])


class Proving(WithCar):
    def test_watching_over_a_key_off_and_a_silent_car(self) -> None:
        self.key("on")
        scans.perform(self.case, self.tess)
        line = offering.propose_line(self.case, self.tess, "renew_crankcase_hose")
        offering.answer(self.case, self.tess, line.pk, "approved", "owner", "by phone")
        working.do_work(self.case, self.tess, line.pk)
        cleared = clearing.clear(self.case, self.tess, triage=False)
        drive = ProofDrive.objects.create(case=self.case, by=self.tess, clearing=cleared, how="test")
        watcher = proofs_runner.start(drive, connection(self.car), proofs.tracker_of(cleared))
        self.key("start")
        until(lambda: len(watcher.tracker.trips) == 1)
        self.assertTrue(proofs.state(self.case)["running"])
        self.runner.key("off")
        time.sleep(0.5)
        self.key("on")
        until(lambda: watcher.tracker._last_run is None)  # seen: key on, engine off
        self.key("start")
        until(lambda: len(watcher.tracker.trips) == 2)
        self.runner.stop_driving()
        judgement = proofs.finish(self.case, self.tess)
        self.assertEqual(judgement.verdict, "not yet")
        self.assertTrue(any("0 of 2 trips" in reason for reason in judgement.reasons))
        self.assertEqual(len(proofs.tracker_of(cleared).trips), 2)  # rebuilt from the record
        self.assertFalse(proofs.state(self.case)["running"])
        page = self.client.get(f"/cases/{self.case.pk}/prove/")
        self.assertContains(page, "not yet")
