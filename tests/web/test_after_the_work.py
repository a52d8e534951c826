"""Situations after the part is fitted, each with a stand-in that knows nothing of what is expected of it."""

from __future__ import annotations

import re
from dataclasses import replace
from datetime import timedelta
from decimal import Decimal

import numpy as np
from django.core import mail
from django.test import TransactionTestCase
from django.utils import timezone

from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.proof.exposure import Recurrences
from gumshoe.core.signals.recording import Channel
from gumshoe.core.signals.recording import Recording as Samples
from gumshoe.core.words import plain
from gumshoe.demo import steps as demo_steps
from gumshoe.web.accounts.models import User
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.clearing import aftercare
from gumshoe.web.clearing import services as clearing
from gumshoe.web.history import services as history
from gumshoe.web.ledger import ends
from gumshoe.web.ledger.models import LooseEnd
from gumshoe.web.live import looking, store
from gumshoe.web.proofs import drawing, waiting
from gumshoe.web.proofs import services as proofs
from gumshoe.web.proposal import services as offering
from gumshoe.web.proposal.models import Line
from gumshoe.web.reports import services as reports
from gumshoe.web.scans import services as scans
from gumshoe.web.scans import sorting
from gumshoe.web.suspects import services as suspects
from gumshoe.web.vehicles.models import Vehicle
from gumshoe.web.verdicts import services as verdicts
from gumshoe.web.work import services as working
from gumshoe.web.work.models import Work
from tests.until import until
from tests.web import support
from tests.web.test_work import WithCar


class AfterTheWork(WithCar):
    """What the situations share."""

    def repaired(self, repair: str, suspect: str = "") -> Line:
        """Verdict, line, approval, work."""
        if suspect:
            verdicts.give_verdict(self.case, self.tess, suspect)
        line = offering.propose_line(self.case, self.tess, repair)
        offering.answer(self.case, self.tess, line.pk, "approved", "owner", "by phone")
        working.do_work(self.case, self.tess, line.pk, working.Fitting("N-1", "Make"), 20)
        return line

    def run_to_its_end(self, procedure: str, seconds: float) -> None:
        """A procedure, with simulated time skipped once the control unit has begun it."""
        run = aftercare.start(self.case, self.tess, procedure)
        until(lambda: self.runner.vehicle.routines.running is not None or not run.is_alive())
        self.runner.skip(seconds)
        run.join(10.0)

    def text(self, path: str) -> str:
        """A page of the case as a reader sees it, without tags."""
        page = self.client.get(f"/cases/{self.case.pk}/{path}/")
        self.assertEqual(page.status_code, 200, path)
        return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", page.content.decode()))


class BatteryWentFlat(AfterTheWork):
    """Key and transmission codes are explained, cleared in both modules, and the lamp is out."""

    defects = ()
    history = ()

    def test_explained_cleared_in_both_and_the_lamp_out(self) -> None:
        self.key("on")
        scans.perform(self.case, self.tess)
        end = ends.open_end(self.case, self.tess, "battery went flat", "battery", LooseEnd.Did.FLAT)
        self.assertFalse(self.runner.vehicle.powered)
        foretold = {row.code: row.where for row in ends.provoked_codes(self.case) if row.foretold}
        self.assertEqual((foretold["P0882"], foretold["P0513"]), ("transmission", "body or engine"))
        ends.close_end(self.case, self.tess, end.pk)
        self.runner.key("off")
        self.runner.skip(1.0)
        self.key("on")
        self.runner.key("start")
        self.runner.skip(20.0)
        self.assertEqual(self.runner.state()["lamp"], "on")  # asked for by the transmission, not by the engine
        self.runner.key("off")
        self.runner.skip(4.0)
        self.key("on")
        stored = scans.perform(self.case, self.tess)
        snapshot = scans.snapshot_of(stored)
        assert snapshot and snapshot.engine
        self.assertTrue(snapshot.lamp)
        self.assertEqual(snapshot.engine.with_state("confirmed"), ())  # type: ignore[arg-type]
        found = sorting.sorted_codes(self.case)
        by_module = {row.module: row.code for row in found if row.code in ("P0882", "P0513")}
        self.assertEqual(set(by_module.values()), {"P0882", "P0513"})
        self.assertEqual(len(by_module), 2)
        self.assertEqual([row.code for row in found if row.flagged], [])
        self.assertIn("expected from the work", self.text("scan"))
        page = self.text("clear")
        self.assertIn("expected from the work", page)
        self.assertIn("Relearn the throttle", page)
        self.assertIn("set by our own work: battery went flat", self.text("report"))  # not a fault of the car

        cleared = clearing.clear(self.case, self.tess, triage=True)
        done = {row["module"] for row in cleared.modules if row["cleared"]}
        self.assertTrue(set(by_module) <= done, done)
        after = scans.snapshot_of(cleared.after) if cleared.after else None
        assert after
        self.assertEqual(after.codes_in(), ())
        self.assertFalse(after.lamp)
        self.assertEqual(clearing.at_once(cleared), ())

    def test_only_the_transmission_leaves_the_body_as_it_is(self) -> None:
        self.key("on")
        scans.perform(self.case, self.tess)
        end = ends.open_end(self.case, self.tess, "battery went flat", "battery", LooseEnd.Did.FLAT)
        ends.close_end(self.case, self.tess, end.pk)
        self.key("on")
        scans.perform(self.case, self.tess)
        cleared = clearing.clear(self.case, self.tess, triage=True, only=frozenset({0x7E9}))
        self.assertEqual([row["responder"] for row in cleared.modules], [0x7E9])
        after = scans.snapshot_of(cleared.after) if cleared.after else None
        assert after
        self.assertNotIn("P0882", after.codes_in())
        self.assertIn("P0513", after.codes_in())

    def test_the_throttle_is_relearnt_and_an_aborted_one_says_how_the_car_is_left(self) -> None:
        end = ends.open_end(self.case, self.tess, "battery disconnected", "battery")
        ends.close_end(self.case, self.tess, end.pk)
        (asked,) = aftercare.asked(self.case)
        self.assertEqual(asked.row.id, "throttle_relearn")
        with self.assertRaisesRegex(BadInput, "not in the condition"):  # the key is off
            aftercare.start(self.case, self.tess, "throttle_relearn")
        self.key("on")
        run = aftercare.start(self.case, self.tess, "throttle_relearn")
        with self.assertRaisesRegex(BadInput, "still under way"):
            aftercare.start(self.case, self.tess, "throttle_relearn")
        run.stop()
        state = aftercare.state(self.case, self.tess, "throttle_relearn")
        self.assertEqual(state["outcome"], "aborted")
        self.assertIn("does not know its stop", state["words"])
        row = self.case.procedureruns.get()
        self.assertIn("Repeat it before the car leaves", row.left)
        self.assertFalse(self.runner.vehicle.memory.throttle_learnt)
        self.assertFalse(aftercare.asked(self.case)[0].settled)
        self.assertIn("does not know its stop", self.text("clear"))

        self.run_to_its_end("throttle_relearn", 7.0)
        self.assertEqual(aftercare.state(self.case, None, "throttle_relearn")["outcome"], "done")
        self.assertEqual(self.case.procedureruns.count(), 1)  # who only looks stores nothing
        aftercare.state(self.case, self.tess, "throttle_relearn")
        aftercare.state(self.case, self.tess, "throttle_relearn")
        self.assertEqual([run.outcome for run in self.case.procedureruns.all()], ["aborted", "done"])
        self.assertTrue(self.runner.vehicle.memory.throttle_learnt)
        self.assertTrue(aftercare.asked(self.case)[0].settled)

    def test_a_new_battery_is_registered(self) -> None:
        line = offering.propose_maintenance(self.case, self.tess, "New battery", 20, Decimal(140), "battery")
        offering.answer(self.case, self.tess, line.pk, "approved", "owner", "by phone")
        working.do_work(self.case, self.tess, line.pk, working.Fitting("B-70", "Make"), 20)
        self.assertEqual([item.row.id for item in aftercare.asked(self.case)], ["battery_registration"])
        self.key("on")
        self.run_to_its_end("battery_registration", 2.0)
        self.assertEqual(aftercare.state(self.case, self.tess, "battery_registration")["outcome"], "done")
        self.assertEqual(self.runner.vehicle.memory.battery_aged, 0.0)
        self.assertEqual(aftercare.open_procedures(self.case), [])
        self.repaired("renew_plugs")  # a later work that asks for nothing takes nothing back
        self.assertEqual(aftercare.open_procedures(self.case), [])
        again = ends.open_end(self.case, self.tess, "battery off", "battery")
        ends.close_end(self.case, self.tess, again.pk)
        self.assertEqual([item.row.id for item in aftercare.open_procedures(self.case)], ["throttle_relearn"])

    def test_the_pages_of_a_procedure(self) -> None:
        self.key("on")
        base = f"/cases/{self.case.pk}/clear/after/throttle_relearn/"
        self.assertContains(self.client.get(base), "Run by the control unit")
        self.assertEqual(self.client.post(base + "start/").json(), {"running": True})
        self.assertTrue(self.client.get(base + "state/").json()["running"])
        stopped = self.client.post(base + "stop/", headers={"accept": "application/json"}).json()
        self.assertEqual(stopped["outcome"], "aborted")
        self.assertContains(self.client.post(base + "by-hand/", {"remark": "maker's way"}, follow=True), "made by hand")
        wrong = self.client.get(f"/cases/{self.case.pk}/clear/after/filter_ash_reset/")
        self.assertContains(wrong, "no such procedure", status_code=400)
        self.runner.key("off")
        self.runner.skip(1.0)
        refused = self.client.post(base + "start/", headers={"accept": "application/json"})
        self.assertEqual(refused.status_code, 409)


class PlugLeftOff(AfterTheWork):
    """The right repair, and a plug left off: a new code, and the ledger names it."""

    def test_new_code_named_by_the_ledger(self) -> None:
        self.key("on")
        scans.perform(self.case, self.tess)
        end = ends.open_end(self.case, self.tess, "air-flow meter unplugged", "air_flow_meter")
        self.repaired("renew_crankcase_hose", "crankcase_hose_split")
        with self.assertRaises(clearing.ClearRefused):
            clearing.clear(self.case, self.tess, triage=False)
        lead = support.person("lena", "lead")
        ends.close_end(self.case, lead, end.pk, overruled="I have put it back myself")  # and he has not
        cleared = clearing.clear(self.case, self.tess, triage=False)
        demo_steps.drive_skipped(self.case, self.tess, cleared, (("idle",), ("idle",)))
        judgement = proofs.finish(self.case, self.tess)
        self.assertEqual(judgement.verdict, "not yet", judgement.reasons)
        told = " ".join(judgement.reasons)
        # Whether the plug's code was there already when the codes were cleared depends on how long the key was on.
        self.assertRegex(told, "New code P0102|P0102 is pending again: the work had set it")
        self.assertIn("ledger", told)
        self.assertIn("air-flow meter unplugged", told)
        page = self.text("report/file")
        self.assertIn("overruled: I have put it back myself", page)


class HardFault(AfterTheWork):
    """A solenoid's broken wire: cleared for triage it stands again at once, and is told so."""

    defects = ("purge-open",)

    def test_back_at_once_and_todays_fault(self) -> None:
        self.key("on")
        scans.perform(self.case, self.tess)
        with self.assertRaisesRegex(BadInput, "No repair is on record"):
            clearing.clear(self.case, self.tess, triage=False)
        answer = self.client.post(f"/cases/{self.case.pk}/clear/now/", {"triage": "1"}, follow=True)
        self.assertContains(answer, "a hard fault, there with the key on")
        made = self.case.clearings.get()
        self.assertTrue(made.triage)
        self.assertEqual(made.before.why, "again")  # the scan before, though the one after holds a code as well
        self.assertEqual([row.code for row in clearing.at_once(made)], ["P0443"])
        self.assertIsNone(proofs.clearing_of(self.case))  # nothing is proven by triage
        told = clearing.triage_of(made)
        self.assertEqual((told.returned, told.new, told.stayed_away), (("P0443",), (), ()))
        self.assertIn("today's fault", self.text("clear").replace("&#x27;", "'"))
        nothing = self.client.post(f"/cases/{self.case.pk}/clear/now/", {"some": "1", "triage": "1"})
        self.assertContains(nothing, "No module was chosen", status_code=400)


class NotYet(AfterTheWork):
    """The code is gone, and that proves nothing yet."""

    def setUp(self) -> None:
        super().setUp()
        self.key("on")
        scans.perform(self.case, self.tess)
        self.repaired("renew_crankcase_hose", "crankcase_hose_split")
        self.cleared = clearing.clear(self.case, self.tess, triage=False)

    def test_the_monitor_never_ran(self) -> None:
        demo_steps.drive_skipped(self.case, self.tess, self.cleared, (("high_idle",),))
        judgement = proofs.finish(self.case, self.tess)
        self.assertEqual(judgement.verdict, "not yet")
        self.assertTrue(any("fuel system" in reason and "0 of 2" in reason for reason in judgement.reasons))
        due = waiting.due_list()
        self.assertEqual([item.case for item in due], [self.case])
        self.assertEqual(due[0].row.due, timezone.localdate() + timedelta(days=waiting.DAYS_LATER))
        board = self.client.get("/")
        self.assertContains(board, "To be looked at again")
        calendar = self.client.get("/proofs-due.ics")
        self.assertEqual(calendar["Content-Type"].split(";")[0], "text/calendar")
        from icalendar import Calendar

        (event,) = Calendar.from_ical(calendar.content).walk("VEVENT")
        self.assertEqual(event["dtstart"].dt, due[0].row.due)
        self.assertIn(self.case.number, str(event["summary"]))

    def test_never_near_the_frame_says_what_to_drive(self) -> None:
        tracker = proofs.tracker_of(self.cleared)
        assert tracker.window and tracker.window.standing  # the frame was stored at idle
        demo_steps.drive_skipped(self.case, self.tess, self.cleared, (("motorway",),))
        judgement = proofs.finish(self.case, self.tess)
        self.assertEqual(judgement.verdict, "not yet")
        self.assertTrue(any("similar to the frame" in reason for reason in judgement.reasons), judgement.reasons)
        plan = proofs.still_to_drive(self.cleared, proofs.tracker_of(self.cleared))
        self.assertIn("idle", [row.id for trip in plan.trips for row in trip.segments])
        page = self.text("prove")
        self.assertIn("Idle, warm", page)
        self.assertIn("similar to the frame of P0171", page)

    def test_a_recording_made_since_counts_once(self) -> None:
        times = np.arange(0.0, 90.0, 1.0) + timezone.now().timestamp()
        level = {
            "rpm": 780.0,
            "load_pct": 22.0,
            "coolant_c": 88.0,
            "speed_kmh": 0.0,
            "stft_b1_pct": 0.4,
            "ltft_b1_pct": 1.0,
        }
        samples = Samples({key: Channel(times, np.full(len(times), value)) for key, value in level.items()})
        kept = store.keep(
            self.case, self.tess, samples, looking.steps(self.case, set(level)), label="kerb", origin="x.csv"
        )
        self.assertIn("kerb", self.text("prove"))
        self.client.post(f"/cases/{self.case.pk}/prove/count/", {"recording": kept.pk})
        tracker = proofs.tracker_of(self.cleared)
        self.assertTrue(tracker.frame_met)
        self.assertEqual(tracker.completed, {})
        again = self.client.post(f"/cases/{self.case.pk}/prove/count/", {"recording": kept.pk})
        self.assertEqual(again.status_code, 400)

    def test_permanent_after_a_good_repair_is_explained_and_goes_by_itself(self) -> None:
        after = scans.snapshot_of(self.cleared.after) if self.cleared.after else None
        assert after
        self.assertEqual(after.codes_in(), ("P0171",))  # permanent only
        self.assertEqual(clearing.at_once(self.cleared), ())
        demo_steps.drive_skipped(self.case, self.tess, self.cleared, (("high_idle",),))
        proofs.finish(self.case, self.tess)
        for page in ("prove", "report"):
            self.assertIn("No tool and no battery takes it away", self.text(page), page)
        told = reports.customer(self.case).inspection
        self.assertIn("permanent codes are left: P0171", told.words)
        demo_steps.drive_skipped(self.case, self.tess, self.cleared, (("warm_up", "idle", "cruise", "cruise"),) * 2)
        judgement = proofs.finish(self.case, self.tess)
        self.assertEqual(judgement.verdict, "proven")
        self.assertEqual(self.runner.vehicle.memory.codes("permanent"), [])
        self.assertNotIn("no battery takes it away", self.text("report"))
        told = reports.customer(self.case).inspection
        self.assertTrue(told.clear, told.words)


class ComesAndGoes(AfterTheWork):
    """A code every few thousand kilometres, deferred by the owner: recorded, with odds."""

    defects = ()
    history = ()

    def earlier(self, days: int, km: int, codes: str) -> Case:
        case = cases.open_case(self.tess, self.car)
        case.opened_at = timezone.now() - timedelta(days=days)
        case.save(update_fields=["opened_at"])
        cases.complain(case, self.tess, {"text": "lamp", "odometer_km": km})
        scans.type_in(case, self.tess, codes)
        return case

    def test_the_odds_come_from_the_cars_own_history(self) -> None:
        for days, km in ((400, 48_000), (250, 52_500), (120, 56_000)):
            self.earlier(days, km, "P0335 confirmed")
        scans.type_in(self.case, self.tess, "P0335 confirmed")
        self.assertEqual(history.recurrences(self.case), Recurrences(3, 12_000.0))
        name = next(item.id for item in suspects.assess_case(self.case)[0].suspects if "crank" in item.row.component)
        verdicts.give_verdict(self.case, self.tess, name)
        line = offering.propose_line(self.case, self.tess, "renew_crank_sensor")
        given = offering.answer(self.case, self.tess, line.pk, "deferred", "owner", "at the counter")
        odds = 1 - (12_000 / 17_000) ** 3.5
        self.assertIn("Seen 3 times over 12,000 km", plain(given.risk))
        self.assertIn(f"{odds:.0%}".replace("%", " %") + " within 5,000 km", plain(given.risk))
        for page in ("report", "repair/lines", "report/file"):
            self.assertIn("Half of such cars", self.text(page), page)
        with self.assertRaisesRegex(BadInput, "not been approved"):
            working.do_work(self.case, self.tess, line.pk)

    def test_a_fault_that_comes_and_goes_is_asked_how_often(self) -> None:
        self.key("on")
        scans.perform(self.case, self.tess)
        scans.type_in(self.case, self.tess, "P0335 confirmed")
        self.repaired("mend_crank_sensor", "loose_crank_sensor")
        clearing.clear(self.case, self.tess, triage=False)
        judgement = proofs.finish(self.case, self.tess)
        self.assertTrue(any("how often was it seen" in reason for reason in judgement.reasons), judgement.reasons)

    def test_typed_in_it_takes_the_place_of_history_and_draws_the_curve(self) -> None:
        self.key("on")
        scans.perform(self.case, self.tess)
        scans.type_in(self.case, self.tess, "P0335 pending")
        self.repaired("renew_crank_sensor", "open_crank_sensor")
        post = {"times": "4", "over": "10000", "unit": "km", "belief": "80", "why": "owner's notes", "back": "prove"}
        page = self.client.post(f"/cases/{self.case.pk}/repair/recurrence/", post)
        self.assertRedirects(page, f"/cases/{self.case.pk}/prove/")
        made = clearing.clear(self.case, self.tess, triage=False)
        found = waiting.curve_of(made, proofs.tracker_of(made))
        assert found
        self.assertEqual((found.prior, found.before.times), (0.8, 4))
        for far, expected in ((9261.0, 2000.0), (47.0, 10.0), (0.9, 0.2)):
            ticks = drawing.round_ticks(far)
            self.assertAlmostEqual(ticks[1], expected)
            self.assertLessEqual(ticks[-1], far)
        page = self.text("prove")
        for words in ("It comes and goes", "the belief of Tess", "Fault-free so far"):
            self.assertIn(words, page)
        judgement = proofs.finish(self.case, self.tess)
        self.assertTrue(any("Fault-free for long enough" in reason for reason in judgement.reasons))
        self.assertEqual(self.case.followups.last().km, round(found.left))
        for bad in (
            {"times": "x"},
            {"over": "0"},
            {"unit": "miles"},
            {"belief": "100"},
            {"times": "-1"},
            {"times": "²"},
            {"over": "9e99"},
        ):
            answer = self.client.post(f"/cases/{self.case.pk}/repair/recurrence/", post | bad)
            self.assertEqual(answer.status_code, 400, bad)
        self.assertEqual(self.case.recurrences.count(), 1)


class FailedAgain(TransactionTestCase):
    """A sensor renewed ten months ago with a cheap part, failing again: flagged at intake, warranty, alternative."""

    def setUp(self) -> None:
        self.addCleanup(support.stop_everything)
        self.tess = support.person()
        self.car = support.car("", "T 9")
        self.client.force_login(User.objects.get(username="tess"))
        old = support.case_of(self.tess, self.car)
        old.opened_at = timezone.now() - timedelta(days=305)
        old.save(update_fields=["opened_at"])
        scans.type_in(old, self.tess, "P0135 confirmed")
        line = offering.propose_line(old, self.tess, "renew_oxygen_heater_b1s1")
        Work.objects.create(
            case=old, by=self.tess, line=line, part_number="X-1", part_make="Quayparts", at=old.opened_at,
            odometer_km=60_000, warranty_months=24, warranty_km=40_000,
        )  # fmt: skip
        self.case = cases.open_case(self.tess, self.car)
        cases.complain(self.case, self.tess, {"text": "lamp again", "odometer_km": 71_500})
        scans.type_in(self.case, self.tess, "P0135 confirmed")

    def test_flagged_at_intake_with_its_warranty(self) -> None:
        (found,) = history.comebacks_of(self.case)
        self.assertTrue(found.covered)
        self.assertEqual((found.months, found.km), (10, 11_500))
        for page in ("complaint", "scan", "report"):
            self.assertContains(self.client.get(f"/cases/{self.case.pk}/{page}/"), "Quayparts")
        self.assertContains(self.client.get("/"), "comeback")

    def test_the_alternative_is_priced_with_the_shops_own_figures(self) -> None:
        working_line = offering.propose_line(self.case, self.tess, "renew_oxygen_heater_b1s1")
        offering.answer(self.case, self.tess, working_line.pk, "approved", "owner", "by phone")
        working.do_work(self.case, self.tess, working_line.pk, working.Fitting("OE-5", "Original"), 30)
        page = self.client.get(f"/cases/{self.case.pk}/repair/lines/?repair=renew_oxygen_heater_b1s1")
        self.assertContains(page, "Quayparts: 1 of 1 failed")
        self.assertContains(page, "aftermarket part")
        lives = history.part_life()
        self.assertEqual([(life.make, life.failed) for life in lives], [("Quayparts", 1), ("Original", 0)])
        self.assertContains(self.client.get("/parts/"), "Quayparts")
        line = self.client.get(f"/vehicles/{self.car.pk}/history/")
        self.assertContains(line, "by distance")
        self.assertContains(line, "comeback?")
        self.assertContains(line, "unproven")


class CapTightened(TransactionTestCase):
    """Only the cap was loose: the lamp goes out by itself after good trips, or is cleared; both are explained."""

    def setUp(self) -> None:
        self.addCleanup(support.stop_everything)
        self.tess = support.person()
        head = platforms()["havsel_skua_14"].platform
        self.car = Vehicle.objects.create(
            plate="T 5", make=head.make, model=head.model, stand_in="test-skua", platform=head.id
        )
        spec = support.stand_in("test-skua", defects=("cap-off",), history=("cold", "cold"), vin="", coolant_c=20.0)
        self.runner = support.start(replace(spec, model="skua_14", vin=f"{head.vin_prefix}00000000001"[:17]))
        self.case = support.case_of(self.tess, self.car)
        self.client.force_login(User.objects.get(username="tess"))
        self.runner.key("on")
        self.runner.skip(1.0)

    def test_left_to_itself_and_both_ways_explained(self) -> None:
        stored = scans.snapshot_of(scans.perform(self.case, self.tess))
        assert stored
        self.assertIn("P0455", stored.codes_in())
        verdicts.give_verdict(self.case, self.tess, "filler_cap_leaks" if "filler_cap_leaks" in
                              cases.knowledge_of(self.case).faults else self._cap())  # fmt: skip
        line = offering.propose_line(self.case, self.tess, "renew_cap")
        offering.answer(self.case, self.tess, line.pk, "approved", "owner", "at the counter")
        working.do_work(self.case, self.tess, line.pk, minutes=6, remark="tightened only")
        page = self.client.get(f"/cases/{self.case.pk}/clear/").content.decode()
        for words in ("three good trips in a row", "40 warm-ups", "Clear the codes of every module"):
            self.assertIn(words, page)
        self.assertEqual(self.client.post(f"/cases/{self.case.pk}/clear/leave/").status_code, 302)
        left = proofs.clearing_of(self.case)
        assert left and left.by_itself
        self.assertIn("lamp goes out by itself", reports.customer(self.case).lamp_meaning)
        self.assertEqual(proofs.tracker_of(left).plan.targets[0].trips, 3)
        plan = proofs.still_to_drive(left, proofs.tracker_of(left))
        self.assertEqual(len(plan.trips), 3)
        self.assertTrue(all(trip.rest_hours for trip in plan.trips))  # its monitor begins cold
        demo_steps.drive_skipped(self.case, self.tess, left)
        judgement = proofs.finish(self.case, self.tess)
        self.assertEqual(judgement.verdict, "proven", judgement.reasons)
        self.assertFalse(self.runner.vehicle.memory.lamp)
        self.assertIn("P0455", self.runner.vehicle.memory.codes("confirmed"))  # erased after 40 warm-ups only
        self.assertIn("gone out by itself", reports.customer(self.case).lamp_meaning)

    def _cap(self) -> str:
        faults = cases.knowledge_of(self.case).faults
        return next(name for name, row in faults.items() if row.repair == "renew_cap")


class Mailing(AfterTheWork):
    defects = ()
    history = ()

    def test_proposal_and_report_go_out_and_a_copy_stays(self) -> None:
        empty = self.client.post(f"/cases/{self.case.pk}/repair/lines/mail/", {"to": "a@b.example"})
        self.assertContains(empty, "nothing proposed", status_code=400)
        offering.propose_line(self.case, self.tess, "renew_plugs")
        bad = self.client.post(f"/cases/{self.case.pk}/repair/lines/mail/", {"to": "nobody"})
        self.assertContains(bad, "no mail address", status_code=400)
        self.client.post(f"/cases/{self.case.pk}/repair/lines/mail/", {"to": "owner@island.example"})
        self.client.post(f"/cases/{self.case.pk}/report/mail/", {"to": "owner@island.example"})
        self.assertEqual([row.to for row in self.case.mails.all()], ["owner@island.example"] * 2)
        proposal, report = mail.outbox
        self.assertIn("Renew the spark plugs", proposal.body)
        self.assertIn("Nothing is done that you have not approved", proposal.body)
        ((name, content, kind),) = report.attachments
        self.assertEqual((name, kind), (f"case-{self.case.number}.html", "text/html"))
        self.assertIn("<style>", content)
        self.assertNotRegex(content, r'(src|href)="(?!data:)')  # nothing is fetched
