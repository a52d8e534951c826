"""A right repair can be proven: from the scan to PROVEN, on cars whose faults come from physics."""

from __future__ import annotations

from dataclasses import replace
from unittest import mock

from django.test import TransactionTestCase

from gumshoe.core.obd.snapshot import Speaks
from gumshoe.core.proof.tracker import NOT_READ
from gumshoe.demo import steps as demo_steps
from gumshoe.simulator import garage as stand_ins
from gumshoe.web.cases import services as cases
from gumshoe.web.clearing import services as clearing
from gumshoe.web.proofs import beyond
from gumshoe.web.proofs import services as proofs
from gumshoe.web.proofs.models import Judgement
from gumshoe.web.proposal import services as offering
from gumshoe.web.scans import services as scans
from gumshoe.web.standing.services import standing
from gumshoe.web.verdicts import services as verdicts
from gumshoe.web.work import services as working
from tests.web import support

PLATFORMS = {
    "tern_16": "ostrel_tern_16",
    "skua_14": "havsel_skua_14",
    "gannet_52": "ostrel_gannet_52",
    "wigeon_12": "havsel_wigeon_12",
    "avocet_22": "ostrel_avocet_22",
}


class Reached(TransactionTestCase):
    """What the walks share."""

    def walk(
        self,
        model: str,
        defect: str,
        suspect: str,
        repair: str,
        code: str,
        history: tuple[str, ...] = ("mixed",) * 2,
        told: str = "",
        plugged: str = "",
    ) -> Judgement:
        """A car with a defect is scanned, the right part named and renewed, cleared, driven as planned and judged."""
        self.addCleanup(support.stop_everything)
        user = support.person()
        car = support.car()
        car.platform, car.plugged = PLATFORMS[model], plugged
        car.save()
        spec = support.stand_in(defects=(defect,), history=history)
        support.start(replace(spec, model=model))
        case = support.case_of(user, car)
        if told:
            facts = {"text": told, "symptoms": ["rough_idle"], "lamp": "steady", "odometer_km": 60_000}
            cases.complain(case, user, facts)
        demo_steps.turn_key(car, "on")
        scans.perform(case, user)
        self.assertIn(code, scans.telling_codes(case))
        verdicts.give_verdict(case, user, suspect)
        line = offering.propose_line(case, user, repair)
        offering.answer(case, user, line.pk, "approved", "owner", "by phone")
        working.do_work(case, user, line.pk, working.Fitting("N-1", "Make"), 20)
        cleared = clearing.clear(case, user, triage=False)
        for _ in range(3):
            demo_steps.drive_skipped(case, user, cleared)
            judged = proofs.finish(case, user)
            if judged.verdict != "not yet":
                break
        # The page is made from what is on record, and says what was judged.
        tracker = proofs.tracker_of(cleared)
        more = beyond.conditions_beyond(cleared, tracker)
        self.assertEqual(proofs.verdict_of(case, tracker, more)[0].value, judged.verdict)
        return judged

    def test_coil_on_a_four(self) -> None:
        judged = self.walk("tern_16", "coil-3-weak", "coil_breakdown_3", "renew_coil_3", "P0303")
        self.assertEqual(judged.verdict, "proven", judged.reasons)

    def test_coil_on_a_v8_whose_frame_is_cold(self) -> None:
        judged = self.walk("gannet_52", "coil-5-weak", "coil_breakdown_5", "renew_coil_5", "P0305", ("cold", "cold"))
        self.assertEqual(judged.verdict, "proven", judged.reasons)
        plan = proofs.plan_of(judged.clearing)
        assert plan.window is not None
        self.assertFalse(plan.window.warm)

    def test_what_came_in_the_wet_is_tried_wet_and_the_header_says_so(self) -> None:
        judged = self.walk(
            "tern_16", "coil-3-weak", "coil_breakdown_3", "renew_coil_3", "P0303", told="shakes when it rains"
        )
        self.assertEqual(judged.verdict, "not yet", judged.reasons)
        case, user = judged.case, judged.by
        self.assertIn("Try by hand: tried wet", standing(case).action)
        (row,) = [item for item in proofs.plan_of(judged.clearing).circumstances if item.by_hand]
        told = proofs.tell_tried(case, user, row.id, "right", "hand spray")
        self.assertEqual(standing(case).action, "Key on, read the codes and judge the proof")
        proofs.tell_tried(case, user, told.circumstance, "back", "another car")
        self.assertIn("Try by hand", standing(case).action)
        proofs.tell_tried(case, user, told.circumstance, "right", "")
        self.assertEqual(proofs.state(case)["verdict"], "not yet")  # nothing is proven before the codes are read
        demo_steps.turn_key(case.vehicle, "off")
        unread = proofs.finish(case, user)
        self.assertEqual((unread.verdict, unread.reasons), ("not yet", [NOT_READ]))
        self.assertEqual(proofs.state(case)["verdict"], "not yet")
        self.assertEqual(standing(case).action, "Key on, read the codes and judge the proof")
        demo_steps.turn_key(case.vehicle, "on")
        self.assertEqual(proofs.finish(case, user).verdict, "proven")
        self.assertEqual(proofs.state(case)["verdict"], "proven")
        self.assertIn("Proven", standing(case).action)

    def test_open_coil_of_the_purge_valve_stored_at_key_on(self) -> None:
        judged = self.walk("tern_16", "purge_valve:load:open", "purge_circuit_open", "renew_purge_valve", "P0443")
        self.assertEqual(judged.verdict, "proven", judged.reasons)
        plan = proofs.plan_of(judged.clearing)
        self.assertIsNone(plan.window)
        self.assertEqual(plan.key_on, ("P0443",))

    def test_a_filter_on_a_car_of_j1979_2_over_ip(self) -> None:
        """Codes of three bytes, readiness by groups, all of it through the gateway."""
        judged = self.walk("wigeon_12", "filter-cracked", "filter_cracked", "renew_filter", "P2002", plugged="cable")
        self.assertEqual(judged.verdict, "proven", judged.reasons)
        scan = judged.case.scans.order_by("pk")[0]
        self.assertIn("network cable", scan.link)
        found = scans.snapshot_of(scan)
        assert found and found.engine and found.engine.status
        self.assertEqual((found.engine.speaks, found.silent), (Speaks.ON_UDS, ()))
        self.assertEqual([module.responder for module in found.modules], [0x10, 0x18, 0x1030, 0x1040, 0x1050])
        self.assertIn("particulate filter", {row.name for row in found.engine.status.monitors})

    @mock.patch.object(stand_ins, "OLD_PAUSE_S", 0.0)
    @mock.patch.object(stand_ins, "OLD_BYTE_S", 0.0)
    def test_plugs_on_an_old_car_before_can(self) -> None:
        """Its slow line is left out: two hours of driving are watched in skipped time."""
        judged = self.walk("avocet_22", "plug-3-worn", "plug_bad_3", "renew_plugs", "P0303", plugged="good")
        self.assertEqual(judged.verdict, "proven", judged.reasons)
        self.assertIn("ISO 14230-4", judged.case.scans.order_by("pk")[0].snapshot["addressing"])

    def test_boost_valve(self) -> None:
        judged = self.walk("skua_14", "boost_valve:motor:open", "worn_boost_valve", "renew_boost_valve", "P0243")
        self.assertEqual(judged.verdict, "proven", judged.reasons)
