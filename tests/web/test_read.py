"""Reading: powertrain, maps, notes and makers' codes, misfire by hand, readiness; and case files in and out."""

from __future__ import annotations

import json
from decimal import Decimal
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.urls import reverse

from gumshoe.core.casefile import CaseFileError, plain_case, write_case
from gumshoe.core.errors import BadInput
from gumshoe.core.planning import what_is_here
from gumshoe.core.suspects.relations import Role
from gumshoe.web.cases import judging
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case, Imported
from gumshoe.web.clearing.models import Clearing
from gumshoe.web.kit import beside
from gumshoe.web.ledger.models import LooseEnd, LooseEndClosed
from gumshoe.web.library import services as library
from gumshoe.web.library.models import Note, ShopCode
from gumshoe.web.proofs.models import Judgement
from gumshoe.web.reports.casefile import export
from gumshoe.web.reports.importing import import_case
from gumshoe.web.scans import services as scans
from gumshoe.web.scans.models import HandTest
from gumshoe.web.settings.models import Settings
from gumshoe.web.suspects import services as suspects
from gumshoe.web.vehicles.models import Vehicle
from gumshoe.web.verdicts.models import Verdict
from tests.core.test_casefile import whole
from tests.web import support

V6 = {
    "fuel": "petrol",
    "layout": "V",
    "cylinders": "6",
    "displacement_l": "3.5",
    "mounting": "across",
    "drive_end": "right",
    "bank_1": "rear",
    "numbering": "alternating",
    "firing_order": "1-2-3-4-5-6",
    "induction": "natural",
    "air_metering": "flow",
    "throttle": "electronic",
    "injection": "direct",
    "ignition": "coil per plug",
    "cams_per_bank": "2",
    "phasers": "both",
    "evap": "engine vacuum",
    "aftertreatment": ["catalyst"],
    "gearbox": "manual",
}


class OnPaper(TestCase):
    """A car that is not connected."""

    def setUp(self) -> None:
        self.tess = support.person()
        self.van = Vehicle.objects.create(plate="T 9", make="Morrow", model="Gannet")
        self.case = cases.open_case(self.tess, self.van)
        self.client.force_login(self.tess)

    def page(self, name: str, *more: object) -> str:
        response = self.client.get(reverse(name, args=(self.case.pk, *more)))
        self.assertEqual(response.status_code, 200)
        return response.content.decode()

    def type_in(self, text: str) -> None:
        scans.type_in(self.case, self.tess, text)


class ToldByCodes(OnPaper):
    """A code of a part that no table describes, and of equipment that nobody entered."""

    def setUp(self) -> None:
        super().setUp()
        self.type_in("P0748 P0401")

    def test_the_pages_lead_to_it_and_say_what_is_assumed(self) -> None:
        self.assertIn("P0401 tells of exhaust gas recirculation", self.page("scans:read"))
        self.assertIn("pressure control solenoid A", self.page("suspects:suspects"))
        check = "check_told_transmission_pressure_control_solenoid_a"
        self.assertIn("Circuit check", self.page("bench:test", check))

    def test_to_correct_the_description_is_one_press(self) -> None:
        page = self.page("papers:powertrain")
        self.assertIn("exhaust gas recirculation: <strong>fitted</strong>, since P0401", page)
        self.assertRegex(page, r'<input[^>]*name="egr"[^>]*checked')

    def test_the_description_and_the_file_stay_as_entered(self) -> None:
        told = export(self.case).powertrain
        self.assertFalse(told.egr if told else True)
        self.assertTrue(cases.powertrain_of(self.case).egr)

    def test_what_was_found_there_is_known_when_the_code_is_gone(self) -> None:
        """A code of any scan of the case counts: a check that was made stays one."""
        check = "check_told_transmission_pressure_control_solenoid_a"
        found = {"found": "circuit open"}
        self.client.post(reverse("bench:record", args=(self.case.pk, check)), found)
        self.type_in("P0171")
        again = Case.objects.get(pk=self.case.pk)
        judged = judging.judged(again)
        self.assertIn(check, {test.test for test in judged.grounds.evidence.tests})
        self.assertEqual(judged.unknown, ())


class Powertrains(OnPaper):
    def save(self, **changes: object) -> int:
        data = {key: value for key, value in (V6 | changes).items() if value is not None}
        return self.client.post(reverse("papers:powertrain_save", args=(self.case.pk,)), data).status_code

    def test_a_description_is_stored_and_everything_follows(self) -> None:
        self.assertEqual(self.save(), 302)
        self.assertEqual(cases.powertrain_of(Case.objects.get(pk=self.case.pk)).cylinders, 6)
        self.type_in("P0154")
        page = self.page("scans:read")
        self.assertIn("oxygen sensor, bank 2 sensor 1", page)
        self.assertIn("nearest to you when you stand in front of it", page)
        self.assertIn("oxygen_sensor_b2s1", page)

    def test_contradictions_come_back_with_the_reason_and_keep_the_entry(self) -> None:
        for change, words in (
            ({"cylinders": "5"}, "unequal banks"),
            ({"firing_order": "1-2-3"}, "does not name each"),
            ({"bank_1": "left"}, "Bank 1 cannot be"),
            ({"fuel": "diesel"}, "no spark ignition"),
        ):
            response = self.client.post(reverse("papers:powertrain_save", args=(self.case.pk,)), V6 | change)
            self.assertContains(response, words, status_code=400)
            self.assertContains(response, 'value="3.5"', status_code=400)
        self.assertIsNone(Vehicle.objects.get(pk=self.van.pk).powertrain)

    def test_an_empty_firing_order_is_the_usual_one(self) -> None:
        self.assertEqual(self.save(firing_order=""), 302)
        self.assertEqual(cases.powertrain_of(Case.objects.get(pk=self.case.pk)).firing_order, (1, 2, 3, 4, 5, 6))

    def test_an_undescribed_car_says_so(self) -> None:
        self.type_in("P0171")
        self.assertIn("has not been described", self.page("scans:read"))

    def test_a_hybrid_carries_its_caution(self) -> None:
        self.save(fuel="hybrid")
        self.type_in("P0171")
        self.assertIn("orange cables", self.page("scans:read"))


class Library(OnPaper):
    def test_a_makers_code_takes_part_once_it_is_known(self) -> None:
        self.type_in("P0340 C1A05")
        reading = scans.read(judging.judged(self.case))
        assert reading
        self.assertEqual(reading.read.reading("C1A05").role.name, "UNKNOWN")
        response = self.client.post(
            reverse("papers:add_code", args=(self.case.pk,)),
            {"number": "c1a05", "component": "engine control unit A", "kind": "invalid", "severity": "soon"},
        )
        self.assertEqual(response.status_code, 302)
        self.assertEqual(ShopCode.objects.get().number, "C1A05")
        reading = scans.read(judging.judged(self.case))
        assert reading
        self.assertEqual(reading.read.reading("C1A05").role.name, "ECHO")

    def test_a_standardised_code_is_not_redefined(self) -> None:
        with self.assertRaisesRegex(BadInput, "standardised"):
            library.add_code(self.tess, "P0171", "x", "circuit")
        with self.assertRaisesRegex(BadInput, "no kind"):
            library.add_code(self.tess, "C1A05", "x", "mood")

    def test_a_note_shows_where_it_matters_and_can_be_withdrawn(self) -> None:
        self.type_in("P0171")
        data = {"kind": "campaign", "code": "P0171", "text": "Hose renewed under campaign 12.", "origin": "letter"}
        self.client.post(reverse("papers:add_note", args=(self.case.pk,)), data)
        self.assertIn("Hose renewed under campaign 12.", self.page("scans:read"))
        note = Note.objects.get()
        self.client.post(reverse("papers:withdraw", args=(self.case.pk,)), {"what": "note", "entry": note.pk})
        self.assertNotIn("Hose renewed", self.page("scans:read"))
        self.assertIn("<s>", self.page("papers:notes"))

    def test_a_note_must_hang_on_something(self) -> None:
        response = self.client.post(
            reverse("papers:add_note", args=(self.case.pk,)), {"kind": "bulletin", "text": "loose words"}
        )
        self.assertContains(response, "not attached to anything", status_code=400)
        self.assertContains(response, "loose words", status_code=400)

    def test_every_system_has_its_page_with_the_codes_marked(self) -> None:
        self.type_in("P0443 P0171")
        self.assertIn("▲ P0443", self.page("papers:systems"))
        self.assertIn("▲ P0171", self.page("papers:system", "lambda"))
        missing = self.client.get(reverse("papers:system", args=(self.case.pk, "boost")))
        self.assertEqual(missing.status_code, 404)

    def became(self, platform: str, stand_in: str) -> None:
        self.case.vehicle.platform, self.case.vehicle.stand_in = platform, stand_in
        self.case.vehicle.save()

    def test_papers_of_a_known_and_of_an_unknown_vehicle(self) -> None:
        page = self.page("papers:papers")
        known = bool(self.case.vehicle.platform)
        self.assertEqual("No platform file is known" in page, not known)
        self.became("ostrel_fulmar_20", "fulmar-library")
        page = self.page("papers:papers")
        for words in (
            "Fulmar 2.0 diesel",
            "1-3-4-2",
            "7E0",
            "7E9",
            "760",
            "768",
            "Soot in the filter",
            "Glow plug of cylinder 2",
        ):
            self.assertIn(words, page)
        self.assertNotIn("Plug gap", page)  # a diesel has none
        self.became("ostrel_tern_16", "tern-library")
        page = self.page("papers:papers")
        for words in ("B31", "brown/green", "faults can be put into it", "Plug gap"):
            self.assertIn(words, page)


class ShopLearning(OnPaper):
    def other_case(self, verdict: str) -> None:
        other = cases.open_case(self.tess, Vehicle.objects.create(plate=f"T {Vehicle.objects.count() + 10}"))
        scan = scans.type_in(other, self.tess, "P0171")
        clearing = Clearing.objects.create(case=other, by=self.tess, before=scan)
        Verdict.objects.create(
            case=other, by=self.tess, suspect="booster_hose_leak", words="x", probability=0.9, guess=False, standing="x"
        )
        Judgement.objects.create(case=other, by=self.tess, clearing=clearing, verdict=verdict)

    def share(self) -> float:
        suspect = suspects.assess_case(self.case)[0].suspect("booster_hose_leak")
        assert suspect
        return suspect.probability

    def test_proven_repairs_of_other_cases_count_and_can_be_switched_off(self) -> None:
        self.type_in("P0171")
        plain = self.share()
        for _ in range(12):
            self.other_case("proven")
        taught = self.share()
        self.assertGreater(taught, 2 * plain)
        self.assertIn("changed the order", self.page("suspects:suspects"))
        shop = Settings.load()
        shop.learns = False
        shop.save()
        self.assertAlmostEqual(self.share(), plain)
        self.assertNotIn("proven repairs", self.page("suspects:suspects"))

    def test_a_case_read_from_a_file_teaches_nothing(self) -> None:
        """What another shop calls proven is not this shop's repair."""
        self.type_in("P0171")
        plain = self.share()
        for _ in range(3):
            self.other_case("proven")
        for case in Case.objects.exclude(pk=self.case.pk):
            Imported.objects.create(case=case, by=self.tess, document={}, name="x.json")
        self.assertAlmostEqual(self.share(), plain)

    def test_a_test_that_needs_what_the_shop_has_not_is_not_first(self) -> None:
        self.type_in("P0171")
        _, rows = suspects.assess_case(self.case)
        self.assertIn("smoke machine", [row.test.equipment for row in rows])
        ordered = what_is_here(rows, ["smoke machine"])
        needs = [row.test.equipment == "smoke machine" for row in ordered]
        self.assertEqual(needs, sorted(needs))
        self.assertEqual({row.test.id for row in ordered}, {row.test.id for row in rows})

    def test_a_hit_rate_heard_elsewhere_needs_figures_and_an_origin(self) -> None:
        address = reverse("papers:add_heard", args=(self.case.pk,))
        good = {"suspect": "booster_hose_leak", "hits": "40", "cases": "130", "origin": "a trade journal"}
        for change in ({"hits": "140"}, {"cases": "x"}, {"origin": " "}, {"suspect": "warp_core"}):
            self.assertEqual(self.client.post(address, good | change).status_code, 400, change)
        self.type_in("P0171")
        plain = self.share()
        self.assertEqual(self.client.post(address, good).status_code, 302)
        self.assertGreater(self.share(), plain)
        self.assertIn("40 of 130", self.page("papers:notes"))
        found = suspects.assess_case(self.case)[0].suspect("booster_hose_leak")
        assert found
        self.assertEqual(found.proven_by, ())


class WaysToWork(OnPaper):
    def test_the_chosen_way_holds_for_the_case(self) -> None:
        self.type_in("P0171")
        beyond = self.page("suspects:beyond")
        for words in ("most telling per minute", "quick looks first", "most frequent fix first"):
            self.assertIn(words, beyond)
        address = reverse("suspects:rule", args=(self.case.pk,))
        self.client.post(address, {"kind": "way", "subject": "QUICK"})
        self.assertIn("Next, quick looks first", self.page("suspects:suspects"))
        self.assertEqual(self.client.post(address, {"kind": "way", "subject": "nonsense"}).status_code, 400)
        self.assertIn("Next, quick looks first", self.page("suspects:suspects"))

    def test_every_way_names_its_first_steps_and_figures(self) -> None:
        self.type_in("P0302")
        for way in judging.judged(self.case).outlooks:
            self.assertGreater(way.minutes, 0.0)
            self.assertTrue(way.first)


class Misfire(OnPaper):
    def test_a_hand_test_against_the_codes(self) -> None:
        self.type_in("P0303")
        self.assertIn("Cylinder 3", self.page("scans:misfire"))
        self.client.post(
            reverse("scans:by_hand", args=(self.case.pk,)), {"dead": ["2", "9", "x"], "how": "spark tester"}
        )
        self.assertEqual(HandTest.objects.get().cylinders, [2])
        self.assertIn("disagree", self.page("scans:misfire"))

    def test_what_a_cylinder_lacks_is_asked_and_shown_and_counts(self) -> None:
        self.type_in("P0303")
        address = reverse("scans:by_hand", args=(self.case.pk,))
        self.client.post(address, {"dead": ["3"], "lacks": "spark"})
        page = self.page("scans:misfire")
        self.assertIn("✕ no spark", page)
        self.assertIn("cylinder 3: has no spark", page)
        self.assertNotIn("disagree", page)
        found = judging.judged(self.case)
        self.assertEqual(found.assessment.suspects[0].id, "coil_breakdown_3")
        self.assertTrue(found.assessment.suspects[0].proven_by)  # it is as good as the guided test,
        self.assertNotIn("spark_tester", [item.test.id for item in found.every_test])  # which is not asked for again
        self.client.post(address, {"lacks": "compression"})
        self.assertIn("every cylinder has its compression", self.page("scans:misfire"))
        self.assertIn("Cylinder 3 misfires: swap with", self.page("bench:test", "plug_swap"))
        file = self.page("reports:file")
        for told in ("cylinder 3: has no spark", "No guided test was made.", "Nothing was proposed."):
            self.assertIn(told, file)
        self.assertEqual(self.client.post(address, {"dead": ["3"], "lacks": "manners"}).status_code, 400)
        self.assertEqual(HandTest.objects.count(), 2)

    def test_more_misfires_than_firings_cannot_be(self) -> None:
        self.type_in("P0303")
        address = reverse("scans:misfire", args=(self.case.pk,))
        self.assertEqual(self.client.get(address + "?revolutions=abc").status_code, 200)
        self.assertEqual(self.client.get(address + "?revolutions=1000").status_code, 200)


class TheWorkItself(OnPaper):
    def test_what_the_ledger_had_off_is_expected(self) -> None:
        LooseEnd.objects.create(case=self.case, by=self.tess, what="meter off", component="air_flow_meter")
        self.type_in("P0102 P0113 P0302")
        reading = scans.read(judging.judged(self.case))
        assert reading
        self.assertEqual(reading.read.in_role(Role.SELF), ("P0102", "P0113"))
        self.assertIn("set by the work itself", self.page("scans:read"))

    def test_what_was_back_in_place_before_the_scan_explains_nothing(self) -> None:
        end = LooseEnd.objects.create(case=self.case, by=self.tess, what="meter off", component="air_flow_meter")
        LooseEndClosed.objects.create(case=self.case, by=self.tess, end=end)
        self.type_in("P0102 P0113 P0302")
        reading = scans.read(judging.judged(self.case))
        assert reading
        self.assertEqual(reading.read.in_role(Role.SELF), ())


class Files(OnPaper):
    def round_trip(self, text: str) -> tuple[dict[str, object], dict[str, object]]:
        case = import_case(self.tess, text.encode())
        first = json.loads(text)
        again = json.loads(write_case(export(case)))
        for plain in (first, again):
            plain.pop("number", None)
        return first, again

    def test_a_whole_case_comes_back_as_it_was(self) -> None:
        text = write_case(whole())
        first, again = self.round_trip(text)
        for key, value in json.loads(json.dumps(plain_case(whole()))).items():
            if key not in ("number", "vehicle"):
                self.assertEqual(again[key], value, key)
        self.assertEqual(set(first), set(again))

    def test_what_is_added_here_is_appended(self) -> None:
        case = import_case(self.tess, write_case(whole()).encode())
        HandTest.objects.create(case=case, by=self.tess, cylinders=[2], how="balance")
        found = export(case)
        self.assertEqual([test.cylinders for test in found.hand_tests][-1], (2,))
        self.assertEqual(len(found.tests), len(whole().tests))

    def test_a_bad_file_imports_nothing(self) -> None:
        before = Case.objects.count()
        for content, words in (
            (b"{", "not JSON"),
            (b'{"format": "gumshoe-case", "version": 2}', "version"),
            (b'{"format": "gumshoe-case", "version": 1, "codes": ["P99"]}', "codes.0"),
            (b'{"format": "gumshoe-case", "version": 1, "powertrain": {"cylinders": 99}}', "powertrain"),
            (
                b'{"format": "gumshoe-case", "version": 1, '
                b'"recordings": [{"label": "x", "columns": {"rpm": [[1, 2], [3]]}}]}',
                "recordings.0.rpm",
            ),
        ):
            with self.assertRaisesRegex(CaseFileError, words):
                import_case(self.tess, content)
            response = self.client.post(reverse("reports:import"), {"file": SimpleUploadedFile("x.json", content)})
            self.assertContains(response, "Nothing was imported", status_code=400)
        self.assertEqual((Case.objects.count(), Vehicle.objects.count()), (before, 1))

    def test_four_codes_and_a_powertrain_are_a_case(self) -> None:
        content = (
            b'{"format": "gumshoe-case", "version": 1, "powertrain": {"fuel": "diesel"}, "codes": ["P2459", "P0299"]}'
        )
        response = self.client.post(reverse("reports:import"), {"file": SimpleUploadedFile("x.json", content)})
        self.assertEqual(response.status_code, 302)
        page = self.client.get(response["Location"]).content.decode()
        self.assertIn("P2459", page)
        self.assertIn("particulate filter", page)

    def send(self, content: bytes) -> int:
        address = reverse("scans:typed", args=(self.case.pk,))
        return self.client.post(address, {"file": SimpleUploadedFile("x", content)}).status_code

    def test_scans_of_a_file_join_this_case(self) -> None:
        self.assertEqual(self.send(write_case(whole()).encode()), 302)
        self.assertEqual(self.case.scans.count(), len(whole().scans) + bool(whole().codes))
        self.assertEqual(self.send(b"P0171 pending\nP0442"), 302)
        snapshot = scans.snapshot_of(self.case.scans.last())
        assert snapshot
        self.assertEqual(set(snapshot.codes_in()), {"P0171", "P0442"})

    def test_what_was_not_understood_of_a_typed_list_is_said_at_once(self) -> None:
        address = reverse("scans:typed", args=(self.case.pk,))
        page = self.client.post(address, {"codes": "P0171 confirmed\nthe one with the lamp\nP0000"}, follow=True)
        self.assertContains(page, "Look at these again: line 2: not read: the one with the lamp")
        self.assertContains(page, "it says that there is no code")

    def test_a_bad_scan_file_stores_nothing(self) -> None:
        for content in (b"", b'{"format"', b"no codes here", b"x\n" * 1_000_000, b"\xff\xfe\x00" * 50):
            with mock.patch.object(beside, "begin", support.at_once):
                self.assertEqual(self.send(content), 400, content[:20])
        self.assertEqual(self.case.scans.count(), 0)

    def test_a_repair_that_did_not_help_still_counts_after_import(self) -> None:
        text = json.dumps(
            {
                "format": "gumshoe-case",
                "version": 1,
                "codes": ["P0171"],
                "work": [{"repair": "renew_air_flow_meter", "did_not_help": True}],
                "lines": [{"repair": "renew_air_flow_meter", "parts": "168.00", "answer": "approved", "who": "owner"}],
            }
        )
        case = import_case(self.tess, text.encode())
        self.assertEqual(case.lines.get().parts, Decimal("168.00"))
        self.assertEqual([name for name, _, _ in judging.evidence_of(case).failed_repairs], ["renew_air_flow_meter"])
