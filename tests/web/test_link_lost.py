"""The link lost in the middle: what was recorded is kept, the page says what is missing, and it goes on by itself."""

from __future__ import annotations

import time
from collections.abc import Callable
from unittest import mock

from gumshoe.core.obd.errors import BusFailure
from gumshoe.core.obd.poller import Sample
from gumshoe.web.live import services as live
from gumshoe.web.live import store
from gumshoe.web.live.feed import feed
from gumshoe.web.live.models import Recording
from gumshoe.web.proofs import runner as proofs_runner
from gumshoe.web.proofs import services as proofs
from gumshoe.web.proofs.models import ProofDrive
from gumshoe.web.repairs import services as repairs
from gumshoe.web.scans import services as scans
from gumshoe.web.vehicles.links import connection
from tests.web.test_work import WithCar


def until(condition: Callable[[], object], seconds: float = 8.0) -> None:
    """Wait for something another thread does."""
    end = time.monotonic() + seconds
    while not condition():
        if time.monotonic() > end:
            raise AssertionError("it did not happen in time")
        time.sleep(0.05)


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

    def test_an_adapter_that_fails_is_opened_again(self) -> None:
        self.idle()
        until(lambda: live.news(self.case, 0)["region"] == "warm idle")
        link = connection(self.car)._link
        assert link
        with mock.patch.object(link.bus, "send", side_effect=OSError("unplugged")):
            until(lambda: isinstance(feed(connection(self.car)).trouble, BusFailure))
        until(lambda: live.news(self.case, 0)["trouble"] is None)
        self.assertIsNot(connection(self.car)._link, link)

    def test_a_feed_nobody_watches_ends(self) -> None:
        with mock.patch("gumshoe.web.live.feed.IDLE_END_S", 0.3):
            running = feed(connection(self.car))
            until(lambda: not running.is_alive())
        self.assertIsNot(feed(connection(self.car)), running)

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
        recording = Recording.objects.create(case=self.case, by=self.tess, label="odd", purpose="")
        store.append(recording, 0, [Sample(t * 0.1, "rpm", 800.0) for t in range(100)], last=True)
        row = live.recorded(self.case)[0]
        self.assertEqual(row.trims, ())
        self.assertIn("stft_b1_pct was not recorded", row.note)
        empty = Recording.objects.create(case=self.case, by=self.tess, label="empty", purpose="idle")
        store.append(empty, 0, [], last=True)
        self.assertEqual(live.recorded(self.case)[1].seconds, 0.0)
        self.assertEqual(self.client.get(f"/cases/{self.case.pk}/live/").status_code, 200)

    def test_samples_survive_packing(self) -> None:
        rows = [Sample(1.7e9 + i * 0.05, key, i * 1.25) for i in range(40) for key in ("rpm", "load_pct")]
        again = store.unpack(store.pack(rows))
        self.assertEqual(len(again), len(rows))
        again.sort(key=lambda sample: (sample.key, sample.time))
        rows.sort(key=lambda sample: (sample.key, sample.time))
        for before, after in zip(rows, again, strict=True):
            self.assertEqual((before.key, before.value), (after.key, after.value))
            self.assertAlmostEqual(before.time, after.time, delta=0.001)
        # Typical data: at most 6 bytes a sample on disk.
        many = [
            Sample(1.7e9 + i * 0.05, key, 760.0 + i % 7) for i in range(400) for key in ("rpm", "maf_gps", "load_pct")
        ]
        self.assertLess(len(store.pack(many)) / len(many), 6.0)


class Proving(WithCar):
    def test_watching_over_a_key_off_and_a_silent_car(self) -> None:
        self.key("on")
        scans.perform(self.case, self.tess)
        line = repairs.propose_line(self.case, self.tess, "renew_crankcase_hose")
        repairs.answer(self.case, self.tess, line.pk, "approved", "owner", "by phone")
        repairs.do_work(self.case, self.tess, line.pk, "", "", None, "")
        clearing = repairs.clear(self.case, self.tess, triage=False)
        drive = ProofDrive.objects.create(case=self.case, by=self.tess, clearing=clearing, how="test")
        watcher = proofs_runner.start(drive, connection(self.car), proofs.tracker_of(clearing))
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
        self.assertEqual(len(proofs.tracker_of(clearing).trips), 2)  # rebuilt from the record
        self.assertFalse(proofs.state(self.case)["running"])
        page = self.client.get(f"/cases/{self.case.pk}/prove/")
        self.assertContains(page, "not yet")
