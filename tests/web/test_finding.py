"""Find anything: one search, lists, vehicles and customers edited, merged and changing hands."""

from __future__ import annotations

import csv
import io
from collections import Counter
from datetime import timedelta
from decimal import Decimal
from typing import Any
from unittest import mock

from django.db import models
from django.test import TestCase
from django.utils import timezone

from gumshoe.core.errors import BadInput
from gumshoe.demo import growing
from gumshoe.web.accounts.models import Role
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.finding import CASES
from gumshoe.web.cases.models import Case
from gumshoe.web.finding import services
from gumshoe.web.kit import fulltext
from gumshoe.web.proposal import services as offering
from gumshoe.web.proposal.models import Signature
from gumshoe.web.reports import closing
from gumshoe.web.reports.models import Mail
from gumshoe.web.scans import services as scans
from gumshoe.web.scans.services import telling_codes
from gumshoe.web.settings.models import Settings
from gumshoe.web.vehicles import register
from gumshoe.web.vehicles.models import Change, Customer, Vehicle
from gumshoe.web.work import services as working
from tests.web import support


class Shop(TestCase):
    def setUp(self) -> None:
        self.tess = support.person()
        self.client.force_login(self.tess)
        self.ada = register.new_customer(self.tess, {"name": "Ada Öberg", "phone": "+44 (0)1234 555-019"})
        self.tern = self.car("AB 12 CDE", self.ada, vin="UY0TN16A9G2000001")
        self.skua = self.car("HQ-204", None, model="Skua 1.4", make="Havsel")
        self.case = support.case_of(self.tess, self.tern, "hiss")

    def car(self, plate: str, owner: Customer | None, **more: Any) -> Vehicle:
        told = {"make": "Ostrel", "model": "Tern 1.6", "plate": plate, **more}
        return register.new_vehicle(self.tess, told, owner)

    def found(self, text: str) -> tuple[list[str], list[str], list[str]]:
        """Plates, names and case numbers."""
        found = services.search(text, 20)
        return (
            [row.vehicle.plate for row in found.vehicles],
            [row.customer.name for row in found.customers],
            [row.case.number for row in found.cases],
        )


class Search(Shop):
    def test_a_plate_however_it_is_written(self) -> None:
        for text in ("AB 12 CDE", "ab12cde", "AB-12-CDE", "b12c", "A8 I2 CDE", "ab l2 cde", "AB12", "12cde"):
            self.assertEqual(self.found(text)[0], ["AB 12 CDE"], text)
        self.assertEqual(self.found("HQ 2O4")[0], ["HQ-204"])  # the letter O
        self.assertEqual(self.found("XY 99")[0], [])
        self.car("T 1", None)
        self.assertEqual(self.found("t1")[0], ["T 1"])
        self.assertEqual(self.found("t 1")[0][0], "T 1")

    def test_letters_alone_are_letters(self) -> None:
        """BOIL is no 8011, though it looks like it."""
        self.car("ZZ 8011", None)
        self.assertEqual(self.found("boil")[0], [])
        self.assertEqual(self.found("cde")[0], ["AB 12 CDE"])

    def test_vin_phone_and_name(self) -> None:
        self.assertEqual(self.found("UY0TN16A9G2000001")[0], ["AB 12 CDE"])
        self.assertEqual(self.found("uyotn16a9g2")[0], ["AB 12 CDE"])
        for text in ("oberg", "Öberg", "ada", "1234555019", "555 019", "01234"):
            self.assertEqual(self.found(text)[1], ["Ada Öberg"], text)

    def test_what_is_in_a_case(self) -> None:
        number = self.case.number
        scans.type_in(self.case, self.tess, "P0171 confirmed\nP0420 pending")
        line = offering.propose_maintenance(self.case, self.tess, "Wiper blades", 12, Decimal(9))
        offering.answer(self.case, self.tess, line.pk, "approved", "owner", "by phone")
        working.do_work(self.case, self.tess, line.pk, working.Fitting("WB-77/3 x", "Kelda"))
        for text in (
            number,
            number.replace("-", ""),
            "P0171",
            "p0420",
            "idles uneven",
            "wiper",
            "WB773",
            "kelda blades",
        ):
            self.assertEqual(self.found(text)[2], [number], text)
        self.assertEqual(self.found("idles wipers elephants")[2], [])
        shown = services.search("unevenly", 5).cases[0]
        self.assertIn("<mark>unevenly</mark>", shown.text)
        self.assertEqual(set(shown.codes), {"P0171", "P0420"})

    def test_what_was_entered_just_now_is_found_and_the_exact_comes_first(self) -> None:
        self.assertEqual(self.found("gearbox")[2], [])
        cases.complain(self.case, self.tess, {"text": "whine from the gearbox", "symptoms": []})
        self.assertEqual(self.found("gearbox whine")[2], [self.case.number])
        other = support.case_of(self.tess, self.skua)
        cases.complain(other, self.tess, {"text": f"same as in {self.case.number}", "symptoms": []})
        self.assertEqual(self.found(self.case.number)[2], [self.case.number, other.number])

    def test_text_is_text(self) -> None:
        cases.complain(self.case, self.tess, {"text": "<script>alert(1)</script> rattles", "symptoms": []})
        for path in ("/find/?q=rattles", "/find/typed/?q=rattles"):
            page = self.client.get(path).content.decode()
            self.assertIn("&lt;script&gt;", page)
            self.assertIn("<mark>rattles</mark>", page)
        for text in ('"', "'", 'a" OR "b', "NEAR(", "*", "\x00", "%", "🙂", "-", "a" * 500, "ab:cd", "(((("):
            self.assertEqual(self.client.get("/find/", {"q": text}).status_code, 200, text)

    def test_the_index_comes_back_by_itself(self) -> None:
        self.assertEqual(self.found("unevenly")[2], [self.case.number])
        with fulltext.connection.cursor() as cursor:
            for collection in services.COLLECTIONS:
                cursor.execute(f"DROP TABLE {collection.name}")
        self.assertEqual(self.found("unevenly")[2], [self.case.number])
        self.assertEqual(self.found("AB12")[0], ["AB 12 CDE"])

    def test_an_old_shop_is_caught_up_with(self) -> None:
        growing.grow(self.tess, 30)
        with mock.patch.object(fulltext, "BEFORE_A_SEARCH", 5):
            self.assertLess(len(services.search("looked again", 50).cases), 30)
            self.assertGreater(services.catch_up(), 20)
            self.assertEqual(len(services.search("looked again", 50).cases), 30)
        self.assertEqual(services.catch_up(), 0)

    def test_as_one_types(self) -> None:
        page = self.client.get("/find/typed/?q=ab12")
        self.assertContains(page, f"/vehicles/{self.tern.pk}/")
        self.assertContains(page, self.case.number)
        self.assertContains(self.client.get("/find/typed/?q=nothing-like-it"), "Nothing on file")
        self.assertContains(self.client.get("/"), 'data-key="/"')


class Intake(Shop):
    def test_a_new_case_begins_with_the_search(self) -> None:
        for text in ("ab12", "oberg", "555019"):
            self.assertContains(self.client.get("/cases/new/typed/", {"q": text}), f'value="{self.tern.pk}"')
        page = self.client.get("/cases/new/?q=ZZ 9")
        self.assertContains(page, "No vehicle on file")
        self.assertContains(page, 'value="ZZ 9"')  # ready as a new one's plate
        self.assertContains(self.client.get("/cases/new/"), "Here lately")
        made = self.client.post("/cases/new/", {"vehicle": self.tern.pk, "bay": "2"})
        case = Case.objects.order_by("-pk")[0]
        self.assertRedirects(made, f"/cases/{case.pk}/complaint/")
        self.assertEqual((case.vehicle, case.bay, case.customer), (self.tern, "2", self.ada))

    def test_a_new_car_of_somebody_on_file_or_somebody_new(self) -> None:
        told = {"plate": "N 1", "make": "Ostrel", "model": "Tern", "owner": "ada  öberg"}
        self.client.post("/cases/new/", told)
        self.assertEqual(Vehicle.objects.get(plate="N 1").customer, self.ada)
        self.client.post("/cases/new/", {**told, "plate": "N 2", "owner": "Bo", "owner_contact": "bo@example.org"})
        bo = Vehicle.objects.get(plate="N 2").customer
        assert bo is not None
        self.assertEqual((bo.name, bo.mail, bo.phone), ("Bo", "bo@example.org", ""))
        self.assertContains(self.client.post("/cases/new/", {**told, "plate": "n-1"}), "already", status_code=400)

    def test_the_adviser_takes_cars_in(self) -> None:
        self.client.force_login(support.person("mila", Role.ADVISER))
        self.assertEqual(self.client.post("/cases/new/", {"vehicle": self.skua.pk}).status_code, 302)
        self.assertEqual(self.client.post("/customers/new/", {"name": "Cy"}).status_code, 302)


class Lists(Shop):
    def setUp(self) -> None:
        super().setUp()
        growing.grow(self.tess, 120)
        growing.settle()
        scans.type_in(self.case, self.tess, "U0100 confirmed")

    def numbers(self, **asked: str) -> list[str]:
        page = self.client.get("/cases/", asked)
        self.assertEqual(page.status_code, 200)
        return [row.number for row in page.context["rows"]]

    def test_pages_of_fifty_and_orders(self) -> None:
        first, third = self.numbers(), self.numbers(page="3")
        self.assertEqual((len(first), len(third)), (50, 21))
        self.assertEqual(first[0], self.case.number)
        self.assertEqual(self.numbers(page="900"), third)
        self.assertEqual(self.numbers(page="x"), first)
        self.assertEqual(self.numbers(order="oldest")[0], "G-00000")
        self.assertEqual(self.numbers(order="closed")[0], self.case.number)
        self.assertEqual(self.numbers(order="number")[0], self.case.number)

    def test_filters(self) -> None:
        self.assertEqual(self.numbers(code="U0100"), [self.case.number])
        code, cases = Counter(code for case in Case.objects.all() for code in telling_codes(case)).most_common(1)[0]
        self.assertGreater(cases, 3)
        self.assertEqual(len(self.numbers(code=code)), cases)
        self.assertEqual(self.numbers(stage="open"), [self.case.number])
        self.assertEqual(self.numbers(stage="Finding"), [self.case.number])
        self.assertEqual(self.numbers(stage="Intake"), [])
        self.assertNotIn(self.case.number, self.numbers(stage="closed"))
        self.assertEqual(len(self.numbers(proof="came back")), 24)
        self.assertEqual(len(self.numbers(proof="not")), 49)
        self.assertEqual(self.numbers(q="ab12"), [self.case.number])
        self.assertEqual(self.numbers(q="oberg"), [self.case.number])
        today = timezone.localdate(self.case.opened_at)
        self.assertEqual(self.numbers(since=str(today)), [self.case.number])
        self.assertEqual(self.numbers(until=str(today - timedelta(days=3000))), [])
        self.assertEqual(self.numbers(person=str(support.person("lena", Role.LEAD).pk)), [])
        self.assertEqual(len(self.numbers(person=str(self.tess.pk))), 50)
        self.assertEqual(self.numbers(bay="9"), [])

    def test_what_cannot_be_read_is_said_and_left_out(self) -> None:
        page = self.client.get("/cases/", {"since": "yesterday", "order": "size", "person": "x", "stage": "Moon"})
        self.assertEqual(page.status_code, 200)
        self.assertContains(page, "errorlist")
        self.assertEqual(page.context["rows"].paginator.count, 121)

    def test_csv(self) -> None:
        risky = register.new_customer(self.tess, {"name": "=cmd()"})
        register.change_owner(self.skua, self.tess, risky)
        support.case_of(self.tess, self.skua)
        for path, count, head in (("cases", 122, "case"), ("vehicles", 62, "plate"), ("customers", 62, "name")):
            answer = self.client.get(f"/{path}/?as=csv")
            self.assertEqual(answer["Content-Type"], "text/csv; charset=utf-8")
            text = b"".join(answer.streaming_content).decode("utf-8-sig")
            rows = list(csv.reader(io.StringIO(text)))
            self.assertEqual((len(rows) - 1, rows[0][0]), (count, head), path)
            self.assertFalse([cell for row in rows for cell in row if cell.startswith("=")])
        codes = b"".join(self.client.get("/cases/?as=csv&code=U0100").streaming_content).decode()
        self.assertIn("U0100", codes)

    def test_however_many_there_are_it_costs_the_same_queries(self) -> None:
        CASES.bring_up(1000)
        for path in ("/cases/", "/vehicles/", "/customers/", "/find/?q=P0171", "/find/typed/?q=tern"):
            with self.subTest(path), mock.patch.object(fulltext, "BEFORE_A_SEARCH", 2000):
                self.client.get(path)
                with self.settings(DEBUG=True):
                    fulltext.connection.queries_log.clear()
                    self.client.get(path)
                    self.assertLessEqual(len(fulltext.connection.queries_log), 25)


class OnFile(Shop):
    def test_what_was_stays_on_record(self) -> None:
        told = {"plate": "AB 12 CDF", "vin": "UY0TN16A9G2000001", "make": "Ostrel", "model": "Tern 1.6", "year": "2016"}
        self.assertRedirects(self.client.post(f"/vehicles/{self.tern.pk}/", told), f"/vehicles/{self.tern.pk}/")
        self.assertEqual(
            [(row.field, row.was, row.now) for row in self.tern.changes.all()],
            [("plate", "AB 12 CDE", "AB 12 CDF"), ("year", "", "2016")],
        )
        page = self.client.get(f"/vehicles/{self.tern.pk}/")
        self.assertContains(page, "<s>AB 12 CDE</s>")
        self.assertEqual(self.found("AB12CDF")[0], ["AB 12 CDF"])
        self.client.post(f"/customers/{self.ada.pk}/", {"name": "Ada Berg", "phone": "", "mail": "ada@example.org"})
        self.assertEqual(self.found("berg")[1], ["Ada Berg"])
        self.assertContains(self.client.get(f"/customers/{self.ada.pk}/"), "<s>Ada Öberg</s>")
        with self.assertRaises(TypeError):
            Change.objects.all().delete()

    def test_what_cannot_be_is_refused(self) -> None:
        told = {"plate": "hq204", "make": "Ostrel", "model": "Tern 1.6"}
        self.assertContains(self.client.post(f"/vehicles/{self.tern.pk}/", told), "already", status_code=400)
        told = {"plate": "AB 12 CDE", "vin": "123", "make": "Ostrel", "model": "Tern 1.6"}
        self.assertContains(self.client.post(f"/vehicles/{self.tern.pk}/", told), "VIN", status_code=400)
        for data in ({"name": ""}, {"name": "X", "mail": "nowhere"}):
            self.assertEqual(self.client.post(f"/customers/{self.ada.pk}/", data).status_code, 400)
        self.assertEqual(self.tern.changes.count(), 0)

    def test_a_car_changes_owners_and_keeps_its_past(self) -> None:
        page = self.client.get(f"/vehicles/{self.tern.pk}/?owner=oberg")
        self.assertContains(page, "Ada Öberg")
        self.client.post(f"/vehicles/{self.tern.pk}/owner/", {"name": "Bo Lind", "phone": "99"})
        tern = Vehicle.objects.get(pk=self.tern.pk)
        self.assertEqual(tern.owner, "Bo Lind")
        self.assertEqual([str(row.customer) for row in tern.ownings.all()], ["Ada Öberg", "Bo Lind"])
        after = support.case_of(self.tess, tern)
        self.assertEqual((after.owner, Case.objects.get(pk=self.case.pk).owner), ("Bo Lind", "Ada Öberg"))
        self.assertContains(self.client.get(f"/cases/{self.case.pk}/report/"), "Ada Öberg")
        self.assertContains(self.client.get(f"/customers/{self.ada.pk}/"), "no longer theirs")
        self.client.post(f"/vehicles/{self.tern.pk}/owner/", {"nobody": "1"})
        self.assertEqual(Vehicle.objects.get(pk=self.tern.pk).owner, "")

    def test_an_owner_learnt_later_is_the_open_cases(self) -> None:
        case = support.case_of(self.tess, self.skua)
        register.change_owner(self.skua, self.tess, self.ada)
        self.assertEqual(Case.objects.get(pk=case.pk).owner, "Ada Öberg")

    def test_two_on_file_become_one(self) -> None:
        other = self.car("AB12 CDX", register.new_customer(self.tess, {"name": "A. Oberg", "mail": "a@example.org"}))
        theirs = support.case_of(self.tess, other)
        self.assertContains(self.client.get(f"/vehicles/{self.tern.pk}/?double=cdx"), "is this car")
        self.client.post(f"/vehicles/{self.tern.pk}/merge/", {"other": other.pk})
        self.assertEqual(Case.objects.get(pk=theirs.pk).vehicle, self.tern)
        self.assertEqual(self.found("AB12CDX")[0], ["AB 12 CDE"])  # the old plate leads to it
        self.assertRedirects(self.client.get(f"/vehicles/{other.pk}/"), f"/vehicles/{self.tern.pk}/")
        made = self.client.post("/cases/new/", {"known": "AB12CDX"})
        self.assertEqual(made.status_code, 302)
        self.assertEqual(Case.objects.order_by("-pk")[0].vehicle, self.tern)
        self.assertNotContains(self.client.get("/vehicles/"), "AB12 CDX")
        double = Customer.objects.get(name="A. Oberg")
        self.client.post(f"/customers/{self.ada.pk}/merge/", {"other": double.pk})
        ada = Customer.objects.get(pk=self.ada.pk)
        self.assertEqual((ada.mail, ada.phone), ("a@example.org", "+44 (0)1234 555-019"))
        self.assertEqual(Case.objects.get(pk=theirs.pk).customer, ada)
        self.assertEqual(self.found("oberg")[1], ["Ada Öberg"])

    def test_two_cars_are_not_made_one(self) -> None:
        other = self.car("X 1", None, vin="UY0TN16A7G2000014")
        with self.assertRaisesRegex(BadInput, "two cars"):
            register.merge(self.tern, other, self.tess)
        with self.assertRaisesRegex(BadInput, "same one"):
            register.merge(self.tern, self.tern, self.tess)
        self.assertIsNone(Vehicle.objects.get(pk=other.pk).same_as)


class Privacy(Shop):
    def setUp(self) -> None:
        super().setUp()
        self.lena = support.person("lena", Role.LEAD)
        line = offering.propose_maintenance(self.case, self.tess, "Wiper blades", 12, Decimal(9))
        offering.answer(self.case, self.tess, line.pk, "refused", "Ada Öberg", "by phone")
        Signature.objects.create(case=self.case, by=self.tess, name="Ada Öberg", strokes=[[(1, 2), (3, 4)]], text="t")
        Mail.objects.create(case=self.case, by=self.tess, to="ada@example.org", subject="s", text="Dear Ada")
        register.edit_customer(self.ada, self.tess, {"name": "Ada Öberg", "phone": "77"})

    def test_what_is_on_file_is_handed_out(self) -> None:
        self.assertEqual(self.client.get(f"/customers/{self.ada.pk}/held.json").status_code, 403)
        self.client.force_login(self.lena)
        told = self.client.get(f"/customers/{self.ada.pk}/held.json").json()
        self.assertEqual(told["customer"][0]["phone"], "77")
        self.assertEqual(told["vehicles"][0]["plate"], "AB 12 CDE")
        self.assertEqual(told["mails"][0]["to"], "ada@example.org")
        self.assertEqual(told["complaints"][0]["text"], "idles unevenly")

    def test_the_person_goes_and_the_evidence_stays(self) -> None:
        self.client.force_login(self.lena)
        erase = f"/customers/{self.ada.pk}/erase/"
        self.assertContains(self.client.post(erase, {"name": "Ada"}), "not theirs", status_code=400)
        self.assertContains(self.client.post(erase, {"name": "Ada Öberg"}), "is open", status_code=400)
        closing.close(self.case, self.tess, "fetched")
        self.assertEqual(self.found("öberg")[1:], (["Ada Öberg"], [self.case.number]))
        self.client.post(erase, {"name": "ada  öberg"})
        with fulltext.connection.cursor() as cursor:
            names = fulltext.connection.introspection.table_names(cursor)
            tables = [name for name in names if not name.startswith(("found_", "axes_"))]
            for table in tables:
                cursor.execute(f'SELECT * FROM "{table}"')
                for row in cursor.fetchall():
                    for word in ("Öberg", "ada@example", "Dear Ada", "555-019"):
                        self.assertNotIn(word, str(row), table)
        self.assertEqual(self.found("öberg"), ([], [], []))
        self.assertEqual(self.case.answers.get().kind, "refused")
        self.assertEqual(self.case.signatures.get().text, "t")
        self.assertEqual(self.case.complaints.count(), 1)
        self.assertContains(self.client.get(f"/customers/{self.ada.pk}/"), "erased")

    def test_whoever_was_away_for_years_is_due(self) -> None:
        settings = Settings.load()
        years_ago = timezone.now() - timedelta(days=365.25 * 7)
        bo, cy, di = (register.new_customer(self.tess, {"name": name}) for name in ("Bo", "Cy", "Di"))
        for owner in (bo, cy):
            case = support.case_of(self.tess, self.car(f"N {owner.pk}", owner))
            Case.objects.filter(pk=case.pk).update(opened_at=years_ago, closed_at=years_ago if owner == bo else None)
            Case.entered(case.pk)
        models.QuerySet.update(Change.objects.filter(customer=di), at=years_ago)  # taken on, and never came
        self.client.force_login(self.lena)
        self.assertContains(self.client.get("/customers/due/"), "for ever")
        settings.keep_years = 5
        settings.save()
        page = self.client.get("/customers/due/")
        self.assertEqual([row.name for row in page.context["rows"]], ["Bo", "Di"])  # of Cy a case is open
        self.assertContains(self.client.post("/customers/due/", {"number": "3"}), "2 are due", status_code=400)
        self.assertEqual(Customer.objects.filter(erased=True).count(), 0)
        self.assertContains(self.client.post("/customers/due/", {"number": "2"}, follow=True), "2 erased")
        bo.refresh_from_db()
        self.assertTrue(bo.erased)
        self.assertEqual(self.found("Bo")[1], [])
        self.assertContains(self.client.get("/customers/due/"), "nobody was away")
        self.client.force_login(self.tess)
        self.assertEqual(self.client.get("/customers/due/").status_code, 403)

    def test_only_the_lead_forgets(self) -> None:
        self.assertEqual(self.client.post(f"/customers/{self.ada.pk}/erase/", {"name": "Ada Öberg"}).status_code, 403)
