"""The case as one whole: a result taken back, the bench by what can be decided, engine off meant, no lamp preset."""

from __future__ import annotations

import json

from django.test import TestCase
from django.urls import reverse

from gumshoe.core.errors import BadInput
from gumshoe.core.judgement import grouped
from gumshoe.core.planning import Act
from gumshoe.web.accounts.models import Role
from gumshoe.web.bench import services as bench
from gumshoe.web.cases.judging import judged
from gumshoe.web.cases.models import State
from gumshoe.web.library import services as library
from gumshoe.web.reports import importing
from gumshoe.web.reports.casefile import export
from gumshoe.web.scans import services as scans
from gumshoe.web.scans.models import HandTest
from gumshoe.web.standing.planned import stamp
from gumshoe.web.standing.services import standing
from gumshoe.web.suspects.models import Planned
from tests.web import support


class OneCase(TestCase):
    def setUp(self) -> None:
        self.tess = support.person()
        self.case = support.case_of(self.tess, support.car("", "T 7"), "rough_idle")
        self.client.force_login(self.tess)
        self.addCleanup(support.stop_everything)

    def made(self, name: str, **typed: str) -> None:
        bench.record(self.case, self.tess, bench.test_of(self.case, name), typed, "")

    def share(self, suspect: str) -> float:
        found = judged(self.case).assessment.suspect(suspect)
        assert found
        return found.probability

    def test_a_wrong_result_is_withdrawn_and_stays_visible(self) -> None:
        scans.type_in(self.case, self.tess, "P0171")
        before = self.share("crankcase_hose_split")
        self.made("look_hoses", found="crankcase hose split")
        self.assertGreater(self.share("crankcase_hose_split"), 0.9)
        row = self.case.testrecords.get()
        address = reverse("bench:withdraw", args=(self.case.pk, row.pk))
        self.assertEqual(self.client.post(address, {"reason": " "}).status_code, 400)
        page = self.client.post(address, {"reason": "it was the next car"}, follow=True)
        self.assertContains(page, "it was the next car")
        self.assertAlmostEqual(self.share("crankcase_hose_split"), before, places=9)
        self.assertEqual(export(self.case).tests[0].withdrawn, "it was the next car")
        with self.assertRaisesRegex(BadInput, "withdrawn already"):
            bench.withdraw(self.case, self.tess, row.pk, "again")

    def test_the_bench_shows_first_what_can_be_decided(self) -> None:
        scans.type_in(self.case, self.tess, "P0303")
        groups = grouped(judged(self.case))
        self.assertEqual([row.words for row in groups[:2]], ["Can show the leader", "Tells suspects apart"])
        self.assertTrue(all(row.folded for row in groups[2:]))
        listed = [item.test.id for group in groups for item in group.tests]
        self.assertEqual(len(listed), len(set(listed)))
        self.assertContains(self.client.get(reverse("bench:bench", args=(self.case.pk,))), "Find a test")

    def test_no_swap_where_nothing_misfires_and_with_whom_where_it_does(self) -> None:
        scans.type_in(self.case, self.tess, "P0171")
        self.assertNotIn("coil_swap", [item.test.id for item in judged(self.case).every_test])
        scans.type_in(self.case, self.tess, "P0303")
        self.assertIn("coil_swap", [item.test.id for item in judged(self.case).every_test])
        page = self.client.get(reverse("bench:test", args=(self.case.pk, "coil_swap")))
        self.assertContains(page, "Cylinder 3 misfires: swap with cylinder")

    def test_cylinders_found_dead_by_hand_are_evidence(self) -> None:
        before = self.share("coil_breakdown_2")
        HandTest.objects.create(case=self.case, by=self.tess, cylinders=[2], how="spark tester")
        self.assertGreater(self.share("coil_breakdown_2"), 5.0 * before)

    def test_the_action_is_kept_until_something_is_entered(self) -> None:
        scans.type_in(self.case, self.tess, "P0171")
        first = standing(self.case).action
        row = Planned.objects.get(case=self.case)
        self.assertEqual((row.words, row.made_for), (first, State.objects.get(case=self.case).number))
        self.made("look_hoses", found="crankcase hose split")
        row.refresh_from_db()
        self.assertNotEqual(row.made_for, State.objects.get(case=self.case).number)
        self.assertIn("Name the fault: crankcase ventilation hose split", standing(self.case).action)
        self.assertIs(judged(self.case).next.act, Act.NAME)

    def test_where_the_cars_live_is_asked_once_and_told_at_the_suspect(self) -> None:
        scans.type_in(self.case, self.tess, "P0562")
        before = self.share("main_ground_bad")
        lead = support.person("lea", Role.LEAD)
        self.client.force_login(lead)
        form = {"shop_name": "Quay", "currency": "€", "labour_per_hour": "84"}
        address = reverse("settings:settings")
        self.assertContains(self.client.get(address), "cold winters, salted roads")
        self.assertEqual(self.client.post(address, form | {"climate": "salted"}).status_code, 302)
        self.assertGreater(self.share("main_ground_bad"), 1.3 * before)
        page = self.client.get(reverse("suspects:suspects", args=(self.case.pk,)), {"suspect": "main_ground_bad"})
        self.assertContains(page, "salt eats lugs, bolts and the paint around them × 2.00")
        self.assertEqual(export(self.case).vehicle.climate, "salted")
        file = {"format": "gumshoe-case", "version": 1, "vehicle": {"plate": "T 99", "climate": "hot"}}
        other = importing.import_case(lead, json.dumps(file).encode())  # it lives where its file says
        self.assertEqual((judged(other).grounds.climate, export(other).vehicle.climate), ("hot", "hot"))

    def test_what_the_shop_says_of_a_code_lets_no_kept_action_stand(self) -> None:
        scans.type_in(self.case, self.tess, "P1999")
        standing(self.case)
        before = stamp()
        library.add_code(self.tess, "P1999", "crankshaft position sensor A", "circuit", "soon")
        self.assertNotEqual(stamp(), before)

    def test_nothing_on_record_points_at_a_part(self) -> None:
        case = support.case_of(self.tess, support.car("", "T 8"))
        scans.type_in(case, self.tess, "P3999")
        self.assertTrue(standing(case).action)

    def test_a_test_for_a_standing_engine_asks_where_it_runs(self) -> None:
        runner = support.start(support.stand_in("one-case"))
        case = support.case_of(self.tess, support.car("one-case", "T 9"))
        runner.key("on")
        runner.key("start")
        runner.skip(6.0)
        address = reverse("bench:record", args=(case.pk, "look_hoses"))
        answer = self.client.post(address, {"found": "whole"})
        self.assertContains(answer, "this test is made with the engine off", status_code=409)
        self.assertEqual(case.testrecords.count(), 0)
        self.client.post(address, {"found": "whole", "was_off": "1"})
        self.assertEqual(case.testrecords.count(), 1)

    def test_the_lamp_is_not_preset(self) -> None:
        page = self.client.get(reverse("cases:complaint", args=(self.case.pk,)))
        self.assertContains(page, "not known")
        self.assertContains(page, "Recent work")
        self.client.post(reverse("cases:complaint_save", args=(self.case.pk,)), {"text": "shakes"})
        self.assertEqual(self.case.complaints.last().lamp, "")
