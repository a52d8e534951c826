"""Commands and traces on their pages: interlocks, following and standing still, given back when the page is left."""

from dataclasses import replace
from html import unescape

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.urls import reverse

from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.signals.scope import Trace, read_csv, write_csv
from gumshoe.web.accounts.models import Role
from gumshoe.web.bench import commanding
from gumshoe.web.bench.commanding import CommandThread
from gumshoe.web.bench.models import CommandRun, HandMeasurement, ScopeTrace, TestRecord
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.judging import judged
from gumshoe.web.cases.models import Case
from gumshoe.web.scans import services as scans
from gumshoe.web.settings.models import Settings
from gumshoe.web.vehicles.models import Vehicle
from tests.until import until
from tests.web.support import car, case_of, person, stand_in, start, stop_everything


class Commands(TestCase):
    def setUp(self) -> None:
        self.user = person()
        self.vehicle = car()
        self.case = case_of(self.user, self.vehicle)
        self.client.force_login(self.user)
        self.addCleanup(stop_everything)

    def url(self, action: str = "", name: str = "throttle_motor") -> str:
        return reverse(f"bench:command{action}", args=(self.case.pk, name))

    def until(self, name: str, wanted: str, seconds: float = 9.0) -> dict:  # type: ignore[type-arg]
        def asked() -> dict | None:  # type: ignore[type-arg]
            state = self.client.get(self.url("_state", name), headers={"Accept": "application/json"}).json()
            return state if (wanted == "ended") != state["running"] else None

        return until(asked, seconds)  # type: ignore[return-value]

    def stand(self, name: str, seconds: float) -> None:
        """Leave the command standing so long after its first sample, however slow the machine is."""
        run = commanding.of(self.vehicle, name)
        assert run
        before = len(run.taken())

        def stood() -> bool:
            self.until(name, "running")
            taken = [when for when, value, _ in run.taken()[before:] if run.value in (None, value)]
            return bool(taken) and taken[-1] - taken[0] >= seconds

        until(stood, 30.0)

    def eight_more(self, case: Case, run: CommandThread) -> None:
        """Look at a command until eight more samples have come."""
        enough = len(run.taken()) + 8
        until(lambda: commanding.state(case, self.user, "intake_phaser_valve") and len(run.taken()) >= enough, 30.0)

    def test_steps_are_followed_and_kept(self) -> None:
        runner = start(stand_in())
        runner.key("on")
        self.assertContains(self.client.get(self.url()), "Run the steps")
        self.assertEqual(self.client.post(self.url("_start")).status_code, 200)
        for value in ("80", "10", "80"):
            self.client.post(self.url("_set"), {"value": value})
            self.stand("throttle_motor", 1.6)
        self.assertContains(self.client.post(self.url("_set"), {"value": "180"}), "cannot be", status_code=409)
        self.assertContains(self.client.post(self.url("_start")), "still commanded", status_code=409)
        told = self.client.post(self.url("_stop")).json()
        self.assertEqual((told["running"], told["ended"]), (False, "stopped by hand"))
        self.assertIn("feedback follows the command", told["words"])
        self.assertFalse(runner.vehicle.commanded.held)
        self.client.get(self.url("_state"))
        row = CommandRun.objects.get()  # kept once
        self.assertEqual((row.verdict, row.by), ("follows", self.user))
        self.assertContains(self.client.get(reverse("bench:commands", args=(self.case.pk,))), "feedback follows")

    def test_a_dead_valve_stands_still(self) -> None:
        start(stand_in(defects=("purge-open",))).key("on")
        self.client.post(self.url("_start", "purge_valve"))
        for value in ("0", "100", "0", "100"):
            self.client.post(self.url("_set", "purge_valve"), {"value": value})
            self.stand("purge_valve", 0.5)
        commanding.of(self.vehicle, "purge_valve").stop()  # type: ignore[union-attr]
        self.client.force_login(person("lena", Role.LEAD))  # whose page hears first that it has ended
        told = self.client.post(self.url("_stop", "purge_valve")).json()
        self.assertIn("stands still", told["words"])
        self.assertEqual(CommandRun.objects.get().by, self.user)  # theirs who began it

    def test_a_cam_that_stands_still_is_that_cam(self) -> None:
        head = platforms()["havsel_skua_14"].platform
        vehicle = Vehicle.objects.create(
            plate="T 6", make=head.make, model=head.model, stand_in="test-skua", platform=head.id
        )
        case = case_of(self.user, vehicle, "rough_idle")
        spec = stand_in("test-skua", defects=("phaser-stuck",), vin=f"{head.vin_prefix}00000000001"[:17])
        runner = start(replace(spec, model="skua_14"))
        runner.key("on")
        runner.key("start")
        runner.skip(30.0)
        run = commanding.start(case, self.user, "intake_phaser_valve")
        for value in (0.0, 60.0, 0.0):
            run.set(value)
            self.eight_more(case, run)
        run.stop()
        self.assertIn("one cam lags or sticks", commanding.state(case, self.user, "intake_phaser_valve")["words"])
        row = CommandRun.objects.get()
        assert row.record
        self.assertEqual((row.verdict, row.record.test), ("stands still", "cam_command"))
        outcome = next(o for o in cases.knowledge_of(case).tests["cam_command"].outcomes if o.id == row.record.outcome)
        self.assertEqual(outcome.id.partition("_")[0], "one")
        found = judged(case).assessment
        self.assertIn("phaser", found.suspects[0].id, [item.id for item in found.suspects[:3]])

    def test_it_is_given_back_when_the_page_falls_silent(self) -> None:
        runner = start(stand_in())
        runner.key("on")
        self.client.post(self.url("_start", "fan"))
        run = commanding.of(self.vehicle, "fan")
        assert run
        self.stand("fan", 0.0)
        self.assertTrue(runner.vehicle.commanded.held)
        run.join(commanding.SILENT_S + 4.0)  # nobody asks any more
        self.assertEqual(run.ended, "stopped: the page was left")
        self.assertFalse(runner.vehicle.commanded.held)

    def test_conditions_and_link(self) -> None:
        runner = start(stand_in())
        runner.key("off")
        self.assertEqual(self.client.post(self.url("_start")).status_code, 409)  # nothing answers
        runner.key("on")
        runner.key("start")
        runner.skip(4.0)
        self.assertContains(self.client.post(self.url("_start")), "engine runs", status_code=409)
        self.client.post(self.url("_start", "fan"))
        self.stand("fan", 0.0)
        runner.vehicle.speed_kmh = 9.0
        told = self.until("fan", "ended")
        self.assertIn("moves", told["ended"])

    def test_the_link_is_lost(self) -> None:
        runner = start(stand_in())
        runner.key("on")
        self.client.post(self.url("_start", "fan"))
        self.stand("fan", 0.0)
        runner.key("off")
        told = self.until("fan", "ended", 20.0)
        self.assertTrue(told["ended"])
        self.assertFalse(runner.vehicle.commanded.held)

    def test_nobody_but_who_may_work(self) -> None:
        self.client.force_login(person("mila", Role.ADVISER))
        for action in ("_start", "_set", "_stop"):
            self.assertEqual(self.client.post(self.url(action)).status_code, 403)
        self.assertEqual(self.client.get(self.url()).status_code, 200)

    def test_no_such_actuator(self) -> None:
        self.assertEqual(self.client.get(self.url("", "tow_bar")).status_code, 400)


class Traces(TestCase):
    def setUp(self) -> None:
        self.user = person()
        self.case = case_of(self.user, car(), "jerks_under_load")
        self.client.force_login(self.user)
        self.addCleanup(stop_everything)
        self.url = reverse("bench:traces", args=(self.case.pk,))

    def upload(self, data: bytes):  # type: ignore[no-untyped-def]
        file = SimpleUploadedFile("scope.csv", data, "text/csv")
        return self.client.post(reverse("bench:trace_read", args=(self.case.pk,)), {"file": file})

    def test_a_file_is_read_measured_and_given_out(self) -> None:
        times = np.arange(0.0, 0.2, 1e-4)
        square = np.where((times * 100.0 + 1e-6) % 1.0 < 0.3, 0.3, 12.5)
        self.assertRedirects(self.upload(write_csv((Trace("control", times, square),)).encode()), self.url)
        page = self.client.get(self.url)
        for words in ("scope.csv: control", "100.0 Hz", "30.0 %", "12.50 V"):
            self.assertContains(page, words)
        row = ScopeTrace.objects.get()
        answer = self.client.get(reverse("bench:trace_export", args=(self.case.pk, row.pk)))
        (back,) = read_csv(answer.content)
        np.testing.assert_allclose(back.values, square, rtol=1e-6)
        self.assertEqual(
            self.client.get(reverse("bench:trace_export", args=(self.case.pk, row.pk + 7))).status_code, 400
        )

    def test_a_bad_file_is_refused_and_nothing_kept(self) -> None:
        self.assertContains(self.upload(b"t,a\n0,1\n1,x\n2,3\n"), "Line 3", status_code=400)
        self.assertContains(self.upload(b""), "no trace", status_code=400)
        self.assertFalse(ScopeTrace.objects.exists())

    def test_a_coil_plug_half_seated_shows_when_it_is_moved(self) -> None:
        start(stand_in(defects=("coil-3-loose",))).key("on")
        scans.type_in(self.case, self.user, "P0303 confirmed\nP0353 confirmed")
        asked = {"place": "ignition_coil_3/unit_feedback", "duty": "100", "hz": "0"}
        post = reverse("bench:trace_record", args=(self.case.pk,))
        self.assertContains(self.client.get(self.url), "ignition_coil_3/unit_feedback")
        self.client.post(post, asked)
        self.client.post(post, asked | {"moving": "1"})
        still, moved = ScopeTrace.objects.order_by("pk")
        self.assertEqual(still.measured["gap_count"], 0)
        self.assertGreaterEqual(moved.measured["gap_count"], 2)
        page = self.client.get(self.url)
        self.assertContains(page, "Record the wiggle test")
        record, found = reverse("bench:record", args=(self.case.pk, "wiggle")), {"found": "a gap at one place"}
        self.assertContains(self.client.post(record, found), "Which plug?", status_code=400)
        self.client.post(record, found | {"plug": "ignition coil of cylinder 3"})
        self.assertEqual(TestRecord.objects.get().outcome, "bad_ignition_coil_3")

    def test_a_commanded_duty_comes_back_as_commanded(self) -> None:
        start(stand_in()).key("on")
        scans.type_in(self.case, self.user, "P0443 confirmed")
        post = reverse("bench:trace_record", args=(self.case.pk,))
        self.client.post(post, {"place": "purge_valve/control", "duty": "35", "hz": "25"})
        told = ScopeTrace.objects.get().measured
        self.assertAlmostEqual(told["duty_low"], 0.35, delta=0.01)
        self.assertAlmostEqual(told["frequency"], 25.0, delta=0.1)
        self.assertContains(
            self.client.post(post, {"place": "purge_valve/control", "duty": "much"}), "is no number", status_code=400
        )
        self.assertEqual(self.client.post(post, {"place": "purge_valve/moon", "duty": "5"}).status_code, 400)


class HandTests(TestCase):
    def setUp(self) -> None:
        self.user = person()
        self.case = case_of(self.user, car(), "rough_idle")
        self.client.force_login(self.user)

    def test_worked_out_then_stored_and_a_clue(self) -> None:
        typed = {f"kpa_{n}": str(value) for n, value in enumerate((1200, 1180, 700, 1190), 1)}
        one = reverse("bench:hand_one", args=(self.case.pk, "compression"))
        page = self.client.get(one, typed)
        for words in (
            '58</span> <span class="unit">% of the highest',
            "Low: cylinder 3",
            "lowest ÷ highest",
            "common practice",
        ):
            self.assertContains(page, words)
        self.assertFalse(HandMeasurement.objects.exists())
        self.client.post(reverse("bench:hand_store", args=(self.case.pk, "compression")), typed)
        row = HandMeasurement.objects.get()
        assert row.record
        self.assertEqual(row.record.test, "compression")
        self.assertContains(self.client.get(reverse("bench:hand", args=(self.case.pk,))), "Low: cylinder 3")
        self.assertContains(self.client.get(one, typed | {"kpa_2": "many"}), "is not a number", status_code=400)

    def test_which_one_is_asked_only_of_what_is_found_at_one(self) -> None:
        one = reverse("bench:record", args=(self.case.pk, "compression"))
        self.assertEqual(self.client.post(one, {"lowest_pct": "92"}).status_code, 302)
        self.assertEqual(TestRecord.objects.get().outcome, "good")
        page = self.client.post(one, {"lowest_pct": "60", "note": "cold"})
        self.assertContains(page, "Which cylinder? It is not said", status_code=400)
        self.assertContains(page, "cold", status_code=400)  # what was typed is still there
        self.client.post(one, {"lowest_pct": "60", "cylinder": "2"})
        self.assertEqual(TestRecord.objects.latest("pk").outcome, "low_2")
        self.client.post(one, {"lowest_pct": "60", "cylinder": "all alike"})
        self.assertEqual(TestRecord.objects.latest("pk").outcome, "low")

    def test_a_bare_number_is_meant_in_the_shops_unit(self) -> None:
        shop = Settings.load()
        shop.customary_units = True
        shop.save()
        page = self.client.get(reverse("bench:test", args=(self.case.pk, "fuel_pressure")))
        self.assertContains(page, "in psi, or a number with its own unit")
        refused = self.client.post(
            reverse("bench:record", args=(self.case.pk, "fuel_pressure")), {"idle_kpa": "9000", "load_kpa": "50"}
        )
        said = unescape(refused.content.decode())
        self.assertRegex(said, r"9000 psi cannot be; it must lie between [\d.]+ and [\d.]+ psi")
        self.assertNotIn("kPa cannot be", said)
        typed = {"idle_kpa": "50", "load_kpa": "345 kPa"}
        self.client.post(reverse("bench:record", args=(self.case.pk, "fuel_pressure")), typed)
        row = TestRecord.objects.get()
        self.assertAlmostEqual(row.readings["idle_kpa"], 344.74, delta=0.01)  # 50 psi
        self.assertEqual((row.readings["load_kpa"], row.outcome), (345.0, "good"))
        self.assertContains(self.client.get(reverse("bench:bench", args=(self.case.pk,))), "50.0 psi")
        gauge = reverse("bench:hand_one", args=(self.case.pk, "compression"))
        self.assertContains(self.client.get(gauge), '<span class="unit">psi</span>')
        typed = {f"kpa_{n}": str(value) for n, value in enumerate((174, 171, 101, 172), 1)}
        self.client.post(reverse("bench:hand_store", args=(self.case.pk, "compression")), typed)
        kept = HandMeasurement.objects.get()
        self.assertEqual(kept.typed["kpa_3"], "101 psi")  # says so for ever
        assert kept.record
        self.assertEqual((kept.record.outcome, kept.record.readings["cylinder"]), ("low_3", "3"))

    def test_a_check_leads_to_its_circuit_and_a_test_to_its_arithmetic(self) -> None:
        check = self.client.get(reverse("bench:test", args=(self.case.pk, "check_purge_valve")))
        self.assertContains(check, reverse("bench:circuit", args=(self.case.pk, "purge_valve")))
        gauge = self.client.get(reverse("bench:test", args=(self.case.pk, "compression")))
        self.assertContains(gauge, reverse("bench:hand_one", args=(self.case.pk, "compression")))
        self.assertEqual(
            self.client.get(reverse("bench:hand_one", args=(self.case.pk, "filter_restriction"))).status_code, 400
        )
