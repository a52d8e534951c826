"""The next action through a whole case with a wrong repair in it, and what the proof makes of each."""

from __future__ import annotations

import json
import tempfile
from io import StringIO

from django.core.management import CommandError, call_command

from gumshoe.core.casefile import assess_file, read_case
from gumshoe.core.proof.tracker import Tracker
from gumshoe.core.suspects.driving import Mended
from gumshoe.demo import steps as demo_steps
from gumshoe.web.bench import services as bench
from gumshoe.web.board import services as shop
from gumshoe.web.cases.context import folder
from gumshoe.web.cases.judging import judged
from gumshoe.web.clearing import services as clearing
from gumshoe.web.ledger import ends
from gumshoe.web.live.models import Recording
from gumshoe.web.proofs import drawing
from gumshoe.web.proofs import services as proofs
from gumshoe.web.proposal import services as offering
from gumshoe.web.reports import closing, importing
from gumshoe.web.reports import services as reports
from gumshoe.web.scans import services as scans
from gumshoe.web.standing.services import standing
from gumshoe.web.suspects import services as suspects
from gumshoe.web.verdicts import services as verdicts
from gumshoe.web.work import services as working
from tests.web.test_work import WithCar


class NextAction(WithCar):
    def stands(self, stage: str, words: str) -> None:
        found = standing(self.case)
        self.assertEqual(found.stage, stage, found.action)
        self.assertIn(words, found.action)

    def repair(self, name: str) -> None:
        line = offering.propose_line(self.case, self.tess, name)
        self.stands("repair", "customer's answer")
        offering.answer(self.case, self.tess, line.pk, "approved", "owner", "by phone")
        self.stands("repair", "approved work")
        working.do_work(self.case, self.tess, line.pk, minutes=20)

    def test_from_complaint_over_a_wrong_repair_to_proof(self) -> None:
        self.stands("scan", "scan")
        self.key("on")
        scans.perform(self.case, self.tess)
        first = suspects.assess_case(self.case)[1][0].test
        self.stands("live" if first.measures else "bench", f"{first.words}, {first.minutes:.0f} min")
        Recording.objects.create(case=self.case, by=self.tess, label="Warm idle", purpose="idle")
        first = suspects.assess_case(self.case)[1][0].test
        self.stands("live" if first.measures else "bench", f"{first.words}, {first.minutes:.0f} min")

        guess = verdicts.give_verdict(self.case, self.tess, "air_flow_meter_low")
        self.assertTrue(guess.guess)
        self.stands("repair", "Say why it failed")
        verdicts.name_cause(self.case, self.tess, "", "oil from the filter element")
        self.stands("repair", "Propose")
        self.repair("renew_air_flow_meter")
        self.stands("clear", "Clear")
        before = suspects.assess_case(self.case)[0].suspect("air_flow_meter_low")
        demo_steps.clear_and_drive(self.case, self.tess)
        self.assertIn("It came back: ", standing(self.case).action)
        judgement = self.case.judgements.last()
        self.assertEqual(judgement.verdict, "came back")
        self.assertTrue(any("P0171" in reason for reason in judgement.reasons))
        after = suspects.assess_case(self.case)[0].suspect("air_flow_meter_low")
        assert before and after
        self.assertLess(after.probability, before.probability)
        self.assertIn("did not help", " ".join(clue.words for clue in suspects.assess_case(self.case)[0].clues))

        bench.record(
            self.case, self.tess, bench.test_of(self.case, "look_hoses"), {"found": "crankcase hose split"}, ""
        )
        shown = verdicts.give_verdict(self.case, self.tess, "crankcase_hose_split")
        self.assertFalse(shown.guess)
        verdicts.name_cause(self.case, self.tess, "", "heat")
        self.stands("repair", "Propose")
        self.repair("renew_crankcase_hose")
        end = ends.open_end(self.case, self.tess, "duct off", "")
        self.stands("repair", "Put back 1 loose end")
        with self.assertRaises(clearing.ClearRefused):
            clearing.clear(self.case, self.tess, triage=False)
        ends.close_end(self.case, self.tess, end.pk)
        self.stands("clear", "Clear")
        demo_steps.clear_and_drive(self.case, self.tess)
        self.stands("report", "Proven")
        self.assertEqual([tab.name for tab in folder(self.case, "prove").tabs if tab.done][-1], "Prove")

        told = reports.customer(self.case)
        self.assertEqual(told.judgement.verdict, "proven")
        self.assertEqual(len([row for row in told.lines if row.done]), 2)
        self.assertEqual(told.inspection.clear, not told.inspection.reasons)
        download = self.client.get(f"/cases/{self.case.pk}/report/case.json")
        self.assertIn("attachment", download["Content-Disposition"])
        exported = read_case(download.content)
        self.assertEqual(len(exported.scans), self.case.scans.count())
        self.assertEqual([row.did_not_help for row in exported.work], [True, False])
        self.assertEqual(exported.proof.verdict, "proven")  # type: ignore[union-attr]
        again = assess_file(exported)
        own = suspects.assess_case(self.case)[0]
        self.assertEqual(again.assessment.suspects[0].id, own.suspects[0].id)
        self.assertAlmostEqual(again.assessment.suspects[0].probability, own.suspects[0].probability, places=6)
        with tempfile.NamedTemporaryFile("wb", suffix=".json") as file:
            file.write(download.content)
            file.flush()
            said, plain = StringIO(), StringIO()
            call_command("assess", file.name, "--json", stdout=said)
            call_command("assess", file.name, stdout=plain)
        self.assertEqual(json.loads(said.getvalue())["suspects"][0]["id"], own.suspects[0].id)
        self.assertIn("Next tests", plain.getvalue())
        with self.assertRaisesRegex(CommandError, "cannot be read"):
            call_command("assess", "/nonexistent.json")
        page = self.client.get(f"/cases/{self.case.pk}/report/")
        self.assertContains(page, "Crankcase ventilation hose split")
        self.assertNotContains(page, "This is a guess")
        self.assertContains(self.client.get(f"/cases/{self.case.pk}/read/"), "Mended and proven")
        board = dict(shop.board())
        self.assertEqual([card.case for card in board["Hand over"]], [self.case])
        came = importing.import_case(self.tess, download.content)
        cleared = proofs.clearing_of(came)
        assert cleared
        self.assertEqual(proofs.still_to_drive(cleared, proofs.tracker_of(cleared)).trips, ())
        self.assertContains(self.client.get(f"/cases/{came.pk}/prove/"), "Nothing is left to be driven")
        self.assertContains(self.client.get(f"/cases/{came.pk}/read/"), "Mended and proven")
        closing.close(came, self.tess)
        closing.close(self.case, self.tess)
        self.assertEqual({case.pk for case in shop.closed()}, {self.case.pk, came.pk})

    def test_a_proof_can_be_rebuilt_from_the_record(self) -> None:
        self.key("on")
        scans.perform(self.case, self.tess)
        self.runner.mend("crankcase_ventilation_hose")
        verdicts.give_verdict(self.case, self.tess, "crankcase_hose_split")
        self.repair("renew_crankcase_hose")
        demo_steps.clear_and_drive(self.case, self.tess)
        clearing = proofs.clearing_of(self.case)
        assert clearing
        self.assertEqual(judged(self.case).grounds.mended, Mended.PROVEN)
        tracker = proofs.tracker_of(clearing)
        self.assertEqual(len(tracker.trips), 2)
        self.assertGreater(tracker.similar_s, 60.0)
        shape = drawing.coverage_map(tracker.plan)
        self.assertLess(shape["frame"]["x"], shape["frame"]["dot_x"])
        self.assertEqual(proofs.still_to_drive(clearing, tracker).trips, ())  # everything was driven
        again = proofs.still_to_drive(clearing, Tracker(tracker.plan))
        self.assertEqual(len(again.trips), 2)
        self.assertTrue(all("fuel system" in " ".join(trip.meets) for trip in again.trips))
        state = self.client.get(f"/cases/{self.case.pk}/prove/state/").json()
        self.assertEqual(state["verdict"], "proven")
        self.assertGreater(len(state["coverage"]), 10)

    def test_refused_work_goes_to_the_report(self) -> None:
        self.key("on")
        scans.perform(self.case, self.tess)
        verdicts.give_verdict(self.case, self.tess, "crankcase_hose_split")
        line = offering.propose_line(self.case, self.tess, "renew_crankcase_hose")
        offering.answer(self.case, self.tess, line.pk, "refused", "owner", "at the counter")
        self.stands("report", "Nothing approved")
        self.assertContains(self.client.get(f"/cases/{self.case.pk}/report/"), "refused")
