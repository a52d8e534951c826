"""The Live pages: what is looked at, free recordings, replay, figures of a stretch, cuts, marks, files in and out."""

from __future__ import annotations

import json
import struct

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from gumshoe.core.errors import BadInput
from gumshoe.core.signals.recording import Channel
from gumshoe.core.signals.recording import Recording as Samples
from gumshoe.web.bench import services as bench
from gumshoe.web.cases import services as cases
from gumshoe.web.live import looking, recordings, services, store
from gumshoe.web.live.models import Mark, Recording, Reference
from gumshoe.web.live.reader import Reader
from gumshoe.web.settings.models import Settings
from gumshoe.web.suspects import services as suspects
from tests.web import support
from tests.web.test_link_lost import until
from tests.web.test_work import WithCar


def unpacked(content: bytes) -> tuple[dict, dict[str, tuple[np.ndarray, np.ndarray]]]:  # type: ignore[type-arg]
    """What the page's script reads from the server's bytes."""
    (length,) = struct.unpack_from("<I", content)
    head, at, found = json.loads(content[4 : 4 + length]), 4 + length, {}
    for key, count in head["channels"]:
        times = np.frombuffer(content, "<f4", count, at)
        values = np.frombuffer(content, "<f4", count, at + 4 * count)
        found[key] = (times, values)
        at += 8 * count
    return head, found


class Stored(WithCar):
    defects = ()
    history = ()

    def recording(self, seconds: float = 30.0) -> Recording:
        times = 1.7e9 + np.arange(0.0, seconds, 0.1)
        rpm = np.where(times - 1.7e9 < 15.0, 780.0, 2500.0)
        rpm[100] = 0.0
        columns = {"rpm": Channel(times, rpm), "maf_gps": Channel(times, rpm / 400.0)}
        columns |= {"stft_b1_pct": Channel(times, rpm * 0.0 + 3.125), "ltft_b1_pct": Channel(times, rpm * 0.0 + 6.25)}
        columns["odd thing"] = Channel(times[::7], np.sin(times[::7]))
        steps = looking.steps(self.case, columns)
        return store.keep(self.case, self.tess, Samples(columns), steps, label="hill, third gear")

    def url(self, name: str, *more: int) -> str:
        return reverse(f"live:{name}", args=[self.case.pk, *more])

    def test_replay_holds_everything_with_bands_and_what_disturbs_it(self) -> None:
        made = self.recording()
        page = self.client.get(self.url("replay", made.pk)).content.decode()
        self.assertIn("hill, third gear", page)
        self.assertIn("odd thing", page)
        head, found = unpacked(self.client.get(self.url("data", made.pk)).content)
        self.assertEqual(len(found["rpm"][0]), 300)
        np.testing.assert_allclose(found["total_trim_b1_pct"][1], 9.375)
        low, high = head["bands"]["rpm"][0][2:]
        self.assertTrue(600 < low < 780 < high < 900)
        self.assertEqual(
            [(row["key"], row["kind"]) for row in head["disturbed"] if row["key"] == "rpm"], [("rpm", "drop-out")]
        )

    def test_what_a_recording_shows_counts_until_a_test_by_hand_says_otherwise(self) -> None:
        times = 1.7e9 + np.arange(0.0, 60.0, 0.2)
        columns = {"rpm": Channel(times, times * 0.0 + 1500.0), "module_v": Channel(times, times * 0.0 + 12.1)}
        made = store.keep(self.case, self.tess, Samples(columns), looking.steps(self.case, columns), label="yard")
        page = self.client.get(self.url("replay", made.pk)).content.decode()
        self.assertIn("Supply 12.1 V with the engine running: too low", page)
        self.assertIn("Warm-up: Coolant temperature was not recorded", page)
        clue = next(clue for clue in suspects.assess_case(self.case)[0].clues if clue.variable == "charging_volts")
        self.assertEqual((clue.value, clue.source), ("bad", made.source))
        test = cases.knowledge_of(self.case).tests["charging_volts"]
        bench.record(self.case, self.tess, test, {"found": "holds"}, "")
        clue = next(clue for clue in suspects.assess_case(self.case)[0].clues if clue.variable == "charging_volts")
        self.assertEqual(clue.value, "good")

    def test_a_recording_beside_a_good_cars(self) -> None:
        good, other = self.recording(), self.recording()
        self.client.post(self.url("keep_as_good", good.pk), {"words": "proven good"})
        reference = Reference.objects.get()
        again = self.client.post(self.url("keep_as_good", good.pk), follow=True).content.decode()
        self.assertIn("stands for a good car already", again)
        page = self.client.get(self.url("replay", other.pk) + f"?beside={reference.pk}").content.decode()
        self.assertIn("Nothing differs", page)
        times = 1.7e9 + np.arange(0.0, 30.0, 0.1)
        worse = {"rpm": Channel(times, times * 0.0 + 1010.0), "maf_gps": Channel(times, times * 0.0 + 1.2)}
        made = store.keep(self.case, self.tess, Samples(worse), looking.steps(self.case, worse), label="worse")
        page = self.client.get(self.url("replay", made.pk) + f"?beside={reference.pk}").content.decode()
        self.assertIn("1.20", page)
        self.assertIn("warm idle", page)
        page = self.client.get(self.url("replay", made.pk) + "?beside=999").content.decode()
        self.assertIn("no such recording of a good car", page)

    def test_what_jumps_because_the_engine_starts_is_not_disturbed(self) -> None:
        times = np.arange(0.0, 40.0, 0.1)
        load = np.where(times < 20.0, 0.0, 25.0)
        load[203:205] = 0.0
        rpm = np.where(times < 20.0, 0.0, 780.0)
        car = looking.car_of(self.case)
        running = {"rpm": Channel(times, times * 0.0 + 780.0), "load_pct": Channel(times, load)}
        self.assertTrue(recordings.disturbed(car, running))
        self.assertEqual(recordings.disturbed(car, {**running, "rpm": Channel(times, rpm)}), [])

    def test_figures_of_a_stretch_and_a_cut(self) -> None:
        made = self.recording()
        answer = self.client.get(self.url("recorded_figures", made.pk), {"from": 1.7e9 + 16, "to": 1.7e9 + 20}).json()
        row = next(row for row in answer["rows"] if row["key"] == "rpm")
        self.assertEqual((row["least"], row["most"], row["mean"], row["unit"]), (2500.0, 2500.0, 2500.0, "rpm"))
        bad = self.client.get(self.url("recorded_figures", made.pk), {"from": 5, "to": 4})
        self.assertEqual(bad.status_code, 400)
        self.assertIn("no length", bad.json()["error"])
        cut = self.client.post(self.url("cut", made.pk), {"from": 1.7e9 + 16, "to": 1.7e9 + 20}).json()
        part = Recording.objects.latest("pk")
        self.assertIn(f"/recordings/{part.pk}/", cut["url"])
        self.assertIn(f"cut from recording {made.pk}", part.origin)
        self.assertAlmostEqual(store.load(part).seconds, 3.9, delta=0.2)
        self.assertAlmostEqual(store.load(made).seconds, 29.9, delta=0.1)  # the first stays whole
        self.assertEqual(self.client.post(self.url("cut", made.pk), {"from": 1, "to": 2}).status_code, 400)

    def test_a_mean_is_by_time_not_by_samples(self) -> None:
        column = {"rpm": Channel(np.array([0.0, 0.1, 0.2, 9.0]), np.array([100.0, 100.0, 200.0, 200.0]))}
        row = recordings.figures(Reader(self.case), column, 0.0, 10.0)[0]
        self.assertAlmostEqual(row.mean, 198.0)

    def test_csv_goes_out_and_comes_back(self) -> None:
        made = self.recording()
        for ending in ("", "?long=1"):
            text = self.client.get(self.url("export_csv", made.pk) + ending).content
            upload = SimpleUploadedFile("log from elsewhere.csv", text, "text/csv")
            answer = self.client.post(self.url("import_file"), {"file": upload}, follow=True)
            self.assertEqual(answer.status_code, 200)
            self.assertIn("Read: 7 channels over 30 s", answer.content.decode())
            again = store.load(Recording.objects.latest("pk"))
            before = store.load(made)
            for key, channel in before.channels.items():
                np.testing.assert_allclose(again.channels[key].values, channel.values, rtol=1e-9)
                np.testing.assert_allclose(again.channels[key].times, channel.times, atol=2e-3)

    def test_a_file_that_does_not_fit_stores_nothing(self) -> None:
        before = Recording.objects.count()
        for content, words in ((b"\x00\x01\x02" * 50, "no text file"), (b"a;b\n1;2\n", "no column of time")):
            upload = SimpleUploadedFile("x.csv", content, "text/csv")
            page = self.client.post(self.url("import_file"), {"file": upload}, follow=True).content.decode()
            self.assertIn(words, page)
        self.assertIn("No file was chosen", self.client.post(self.url("import_file"), follow=True).content.decode())
        self.assertEqual(Recording.objects.count(), before)

    def test_no_recording_of_another_case_is_shown(self) -> None:
        made = self.recording()
        other = support.case_of(self.tess, support.car("elsewhere", "E 1"))
        answer = self.client.get(reverse("live:replay", args=[other.pk, made.pk]))
        self.assertIn("has no recording", answer.content.decode())

    def test_choosing_strips_and_favourites(self) -> None:
        page = self.client.get(self.url("channels")).content.decode()
        self.assertIn("By symptom", page)
        self.assertIn("Misfire", page)
        answer = self.client.post(self.url("channels"), {"strip": ["speed", "misfires", "load"]})
        self.assertEqual(answer.status_code, 302)
        shown = looking.looking(self.case, self.tess)
        self.assertEqual(shown.shown, ("speed", "misfires", "load"))
        self.assertIn("misfire_c3", shown.keys)
        many = list(shown.strips)[:25]
        for wrong, words in (
            ([], "0 strips"),
            (["nothing"], "no strip “nothing”"),
            (many, "25 strips"),
        ):
            bad = self.client.post(self.url("channels"), {"strip": wrong})
            self.assertEqual(bad.status_code, 400)
            self.assertIn(words, bad.content.decode())
        self.assertTrue(self.client.post(self.url("favourite"), {"strip": "boost"}).json()["favourite"])
        self.assertIn("boost", looking.looking(self.case, self.tess).favourites)
        self.assertFalse(self.client.post(self.url("favourite"), {"strip": "boost"}).json()["favourite"])

    def test_marks(self) -> None:
        row = self.client.post(self.url("mark"), {"at": "1700000012.5", "text": "  rattle here "}).json()
        self.assertEqual((row["at"], row["text"]), (1_700_000_012.5, "rattle here"))
        self.assertEqual(self.client.post(self.url("mark"), {"at": "soon"}).status_code, 400)
        self.assertEqual(Mark.objects.count(), 1)
        self.assertEqual(services.marks(self.case)[0]["text"], "rattle here")


class Running(WithCar):
    defects = ()
    history = ()

    def test_a_free_recording_of_what_is_looked_at(self) -> None:
        self.key("on")
        self.key("start")
        self.runner.skip(30.0)
        looking.choose(self.case, self.tess, ["speed", "misfires", "filling"])
        until(lambda: "rpm" in services.news(self.case, 0)["now"])
        recording = services.begin_free(self.case, self.tess, "idle, lights on")
        with self.assertRaisesRegex(BadInput, "running already, by Tess"):
            services.begin_free(self.case, self.tess, "again")
        until(lambda: recording.chunks.count() >= 2)
        services.stop(self.case)
        until(lambda: recording.chunks.filter(last=True).exists())
        held = store.load(recording)
        self.assertFalse(held.missing(["rpm", "misfire_c1", "misfire_c4", "ve_pct"]))
        filling = held.channels["ve_pct"].values
        self.assertTrue(10.0 < float(np.median(filling)) < 45.0)  # idle: a quarter of a full stroke (common practice)
        self.assertEqual(self.client.get(reverse("live:live", args=[self.case.pk])).status_code, 200)

    def test_what_the_car_does_not_tell_is_said(self) -> None:
        self.key("on")
        self.key("start")
        self.runner.skip(5.0)
        until(lambda: "rpm" in services.news(self.case, 0, ["rpm", "boost_kpa"])["now"])
        until(lambda: "boost_kpa" in services.news(self.case, 0, ["rpm", "boost_kpa"])["absent"])
        self.assertNotIn("rpm", services.news(self.case, 0, ["rpm", "boost_kpa"])["absent"])

    def test_live_speaks_the_shops_units(self) -> None:
        """Miles, °F and psi are chosen where the page is fed; what is stored stays as the car told it."""
        shop = Settings.load()
        shop.customary_units = True
        shop.save()
        keys = "coolant_c,baro_kpa,rpm"
        self.key("on")
        self.key("start")
        self.runner.skip(400.0)
        asked = reverse("live:news", args=[self.case.pk]), {"keys": keys, "cursor": "0"}
        until(lambda: "baro_kpa" in self.client.get(*asked).json()["now"])
        until(lambda: "coolant_c" in self.client.get(*asked).json()["bands"])
        seen = self.client.get(*asked).json()
        held = services.news(self.case, 0, keys.split(","))["now"]
        self.assertAlmostEqual(seen["now"]["coolant_c"], held["coolant_c"] * 1.8 + 32.0, delta=4.0)
        self.assertAlmostEqual(seen["now"]["baro_kpa"], held["baro_kpa"] / 6.894757, delta=0.6)  # NIST SP 811: psi
        self.assertAlmostEqual(seen["columns"]["coolant_c"][1][-1], held["coolant_c"] * 1.8 + 32.0, delta=4.0)
        band = seen["bands"]["coolant_c"]
        self.assertAlmostEqual(band["low"], 176.0)  # 80 °C
        self.assertAlmostEqual(band["high"], 221.0)  # 105 °C
        page = reverse("live:history", args=[self.case.pk]), {"keys": "coolant_c"}
        head, found = unpacked(self.client.get(*page).content)
        self.assertGreater(found["coolant_c"][1][-1], 150.0)
        stretch = {"from": head["origin"], "to": head["origin"] + 60.0, "keys": "coolant_c"}
        (row,) = self.client.get(reverse("live:figures", args=[self.case.pk]), stretch).json()["rows"]
        self.assertEqual(row["unit"], "°F")
        self.assertGreater(row["mean"], 150.0)
        looking.choose(self.case, self.tess, ["temperatures"])
        page = self.client.get(reverse("live:live", args=[self.case.pk]))
        self.assertContains(page, '"unit": "\\u00b0F"')
        self.assertContains(page, "Coolant above 158 °F")
        bay = self.client.get(reverse("vehicles:stand_in_state", args=[self.case.vehicle.pk])).json()
        self.assertTrue(bay["coolant_words"].endswith("°F"), bay)
        self.assertContains(self.client.get(reverse("live:channels", args=[self.case.pk])), "°F")

    def test_history_and_figures_of_what_was_seen(self) -> None:
        self.key("on")
        self.key("start")
        until(lambda: "rpm" in services.news(self.case, 0, ["rpm"])["now"])
        asked = reverse("live:history", args=[self.case.pk])
        until(lambda: len(unpacked(self.client.get(asked, {"keys": "rpm"}).content)[1]["rpm"][0]) > 5)
        head, found = unpacked(self.client.get(asked, {"keys": "rpm"}).content)
        times, _ = found["rpm"]
        self.assertGreater(head["cursor"], 0)
        stretch = {"from": head["origin"], "to": head["origin"] + float(times[-1]) + 1.0, "keys": "rpm"}
        rows = self.client.get(reverse("live:figures", args=[self.case.pk]), stretch).json()["rows"]
        self.assertEqual([row["key"] for row in rows], ["rpm"])
