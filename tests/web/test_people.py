"""First start, the people of the shop, one's own account, and the door."""

from __future__ import annotations

import io
import re
from datetime import timedelta
from decimal import Decimal
from typing import Any
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client, TestCase, override_settings
from django.utils import timezone
from PIL import Image

from gumshoe.core.work.money import together
from gumshoe.web.accounts import people
from gumshoe.web.accounts.models import PeopleEntry, Role, User
from gumshoe.web.accounts.throttle import BY_ADDRESS, BY_NAME
from gumshoe.web.proposal import services as offering
from gumshoe.web.settings import first
from gumshoe.web.settings.models import Settings
from gumshoe.web.verdicts import services as verdicts
from tests.web import support

SHOP = {
    "shop_name": "Kelda Yard",
    "address": "2 Slip Lane\nHolmsay",
    "phone": "0000 1234",
    "mail": "yard@example.org",
    "currency": "£",
    "labour_per_hour": "72,50",
    "tax_name": "VAT",
    "tax_percent": "20",
    "tax_number": "T 1",
    "time_zone": "Pacific/Auckland",
    "climate": "temperate",
}
LEAD = {"full_name": "Lena", "username": "lena", "password": "three-words-or-four", "again": "three-words-or-four"}


def picture(kind: str = "PNG") -> bytes:
    """A picture with something hidden in it."""
    out = io.BytesIO()
    Image.new("RGB", (900, 300), (200, 10, 10)).save(out, kind, comment=b"hidden")
    return out.getvalue()


class FirstStart(TestCase):
    def post(self, **more: Any) -> Any:
        return self.client.post("/first-start/", {**SHOP, **LEAD, "code": first.code(), **more})

    def test_it_opens_there_and_sets_everything_up(self) -> None:
        self.assertRedirects(self.client.get("/"), "/sign-in/?next=/", fetch_redirect_response=False)
        self.assertRedirects(self.client.get("/sign-in/"), "/first-start/")
        logo = SimpleUploadedFile("logo.jpg", picture("JPEG"), "image/jpeg")
        self.assertRedirects(self.post(new_logo=logo), "/people/")
        lena, shop = User.objects.get(), Settings.load()
        self.assertEqual((lena.role, lena.one_time, str(lena)), (Role.LEAD, False, "Lena"))
        self.assertEqual((shop.shop_name, shop.labour_per_hour, shop.tax_percent), ("Kelda Yard", Decimal("72.5"), 20))
        with Image.open(io.BytesIO(shop.logo or b"")) as image:
            self.assertEqual((image.format, image.size), ("PNG", (480, 160)))
        self.assertEqual(self.client.get("/").status_code, 200)  # signed in

    def test_the_code_of_the_server_is_needed(self) -> None:
        self.assertContains(self.post(code="aaaaa-aaaaa"), "not the code", status_code=400)
        self.assertFalse(User.objects.exists())
        self.assertEqual(Settings.load().shop_name, "Workshop")
        self.assertRedirects(self.post(code=first.code().upper().replace("-", " ")), "/people/")

    def test_what_is_wrong_is_said_and_what_was_typed_stays(self) -> None:
        for wrong, words in (
            ({"password": "short", "again": "short"}, "too short"),
            ({"again": "something else"}, "not the same"),
            ({"username": "a b"}, "valid username"),
            ({"tax_percent": "120"}, "cannot be"),
            ({"new_logo": SimpleUploadedFile("x.png", b"no picture")}, "no logo that can be read"),
        ):
            with self.subTest(words):
                page = self.post(**wrong)
                self.assertContains(page, words, status_code=400)
                self.assertContains(page, "Kelda Yard", status_code=400)
                self.assertFalse(User.objects.exists())

    def test_it_closes_when_somebody_is_there(self) -> None:
        support.person()
        self.assertRedirects(self.client.get("/first-start/"), "/sign-in/")
        self.assertRedirects(self.post(), "/sign-in/")
        self.assertEqual(User.objects.count(), 1)


class Crew(TestCase):
    def setUp(self) -> None:
        self.lena, self.tess = support.person("lena", Role.LEAD), support.person()
        self.client.force_login(self.lena)

    def word_in(self, page: Any) -> str:
        found = re.search(r'code-big mono">([\w-]+)<', page.content.decode())
        assert found
        return found[1]

    def test_somebody_is_added_and_chooses_a_password_before_anything_else(self) -> None:
        page = self.client.post("/people/add/", {"full_name": "Ada", "username": "ada", "role": Role.ADVISER})
        word = self.word_in(page)
        theirs = Client()
        theirs.post("/sign-in/", {"username": "ada", "password": word})
        for path in ("/", "/cases/new/", "/settings/adapters/"):
            self.assertRedirects(theirs.get(path), "/me/", fetch_redirect_response=False)
        self.assertEqual(theirs.get("/", headers={"accept": "application/json"}).status_code, 403)
        self.assertContains(theirs.get("/me/"), "Choose a password of your own")
        sent = {"old": word, "password": "harbour-lamp-27", "again": "harbour-lamp-27"}
        self.assertContains(theirs.post("/me/", {**sent, "old": "x"}), "That is not it", status_code=400)
        self.assertContains(theirs.post("/me/", {**sent, "password": "a", "again": "a"}), "too short", status_code=400)
        self.assertRedirects(theirs.post("/me/", sent), "/")  # and still signed in
        ada = User.objects.get(username="ada")
        self.assertFalse(ada.one_time)
        self.assertTrue(ada.check_password("harbour-lamp-27"))
        self.assertEqual(
            [(str(row.by), row.words) for row in ada.entries.all()],
            [("Lena", "added as service adviser"), ("Ada", "changed their own password")],
        )

    def test_a_name_that_is_taken_or_cannot_be(self) -> None:
        for name in ("tess", "TESS", "a b", ""):
            page = self.client.post("/people/add/", {"full_name": "X", "username": name, "role": Role.LEAD})
            self.assertEqual(page.status_code, 400, name)
        self.assertEqual(User.objects.count(), 2)

    def test_another_role_holds_at_once(self) -> None:
        theirs = Client()
        theirs.force_login(self.tess)
        self.assertEqual(theirs.get("/people/").status_code, 403)
        self.client.post(f"/people/{self.tess.pk}/", {"full_name": "Tess Q", "role": Role.LEAD})
        self.assertEqual(theirs.get("/people/").status_code, 200)
        self.assertEqual(
            [row.words for row in self.tess.entries.all()],
            ["technician → lead technician", "name: Tess → Tess Q"],
        )

    def test_signed_out_everywhere_deactivated_and_back(self) -> None:
        theirs = Client()
        theirs.force_login(self.tess)
        self.client.post(f"/people/{self.tess.pk}/sign-out/")
        self.assertEqual(theirs.get("/").status_code, 302)
        theirs.force_login(User.objects.get(pk=self.tess.pk))
        self.client.post(f"/people/{self.tess.pk}/deactivate/")
        self.assertEqual(theirs.get("/").status_code, 302)
        refused = Client().post("/sign-in/", {"username": "tess", "password": support.PASSWORD})
        self.assertEqual(refused.status_code, 200)  # the form again
        page = self.client.post(f"/people/{self.tess.pk}/reactivate/")
        found = User.objects.get(pk=self.tess.pk)
        self.assertTrue(found.check_password(self.word_in(page)) and found.one_time and found.is_active)
        self.assertEqual(len(self.tess.entries.all()), 4)

    def test_the_shop_is_never_without_a_lead(self) -> None:
        for path, sent in (("deactivate/", {}), ("", {"full_name": "Lena", "role": Role.TECHNICIAN})):
            page = self.client.post(f"/people/{self.lena.pk}/{path}", sent)
            self.assertContains(page, "Nobody would lead the shop", status_code=400)
        support.person("teo", Role.LEAD)
        self.client.post(f"/people/{self.lena.pk}/", {"full_name": "Lena", "role": Role.TECHNICIAN})
        self.assertEqual(User.objects.get(pk=self.lena.pk).role, Role.TECHNICIAN)

    def test_ones_own_password_ends_other_sessions(self) -> None:
        other = Client()
        other.force_login(self.lena)
        sent = {"old": support.PASSWORD, "password": "harbour-lamp-27", "again": "harbour-lamp-27"}
        self.assertRedirects(self.client.post("/me/", sent), "/")
        self.assertEqual(other.get("/").status_code, 302)
        self.client.post("/me/sign-out-everywhere/")
        self.assertEqual(self.client.get("/").status_code, 302)

    def test_the_record_stays_as_it_was_written(self) -> None:
        people.unlock(self.lena, self.tess)
        entry = PeopleEntry.objects.get()
        entry.words = "nothing"
        with self.assertRaises(TypeError):
            entry.save()


class Door(TestCase):
    def setUp(self) -> None:
        self.lena, self.tess = support.person("lena", Role.LEAD), support.person()

    def tried(self, name: str, address: str, password: str = "wrong", times: int = 1) -> Any:
        for _ in range(times):
            page = self.client.post("/sign-in/", {"username": name, "password": password}, REMOTE_ADDR=address)
        return page

    def test_a_name_is_locked_at_one_place_and_not_elsewhere(self) -> None:
        self.tried("tess", "10.0.0.1", times=5)
        self.assertEqual(self.tried("tess", "10.0.0.1", support.PASSWORD).status_code, 429)
        self.assertEqual(self.tried("lena", "10.0.0.1", support.PASSWORD).status_code, 302)
        self.client.logout()
        self.assertEqual(self.tried("tess", "10.0.0.2", support.PASSWORD).status_code, 302)

    def test_the_lead_unlocks_with_a_button(self) -> None:
        self.tried("tess", "10.0.0.1", times=5)
        lead = Client()
        lead.force_login(self.lena)
        page = lead.get("/people/").content.decode()
        self.assertIn("locked for a while", page)
        self.assertIn("10.0.0.1", page)
        self.assertIn("✕ refused", page)
        lead.post(f"/people/{self.tess.pk}/unlock/")
        self.assertEqual(self.tried("tess", "10.0.0.1", support.PASSWORD).status_code, 302)
        self.assertIn("✓ signed in", lead.get("/people/").content.decode())

    def test_one_password_over_many_names_locks_the_place(self) -> None:
        for number in range(BY_ADDRESS):
            self.assertEqual(self.tried(f"n{number}", "10.0.0.9").status_code, 200 if number < BY_ADDRESS - 1 else 429)
        self.assertEqual(self.tried("tess", "10.0.0.9", support.PASSWORD).status_code, 429)
        self.assertEqual(self.tried("tess", "10.0.0.2", support.PASSWORD).status_code, 302)
        self.assertEqual(people.locked(), people.Locked(frozenset(), frozenset({"10.0.0.9"})))
        self.client.post("/people/unlock-address/", {"address": "10.0.0.9"})  # a technician: no
        self.assertEqual(people.locked().addresses, {"10.0.0.9"})
        self.client.force_login(self.lena)
        self.client.post("/people/unlock-address/", {"address": "10.0.0.9"})
        self.assertEqual(people.locked().addresses, set())

    def test_one_name_from_many_places_locks_the_name(self) -> None:
        for number in range(BY_NAME):
            self.tried("tess", f"10.1.{number}.1")
        self.assertEqual(self.tried("tess", "10.0.0.2", support.PASSWORD).status_code, 429)
        self.assertEqual(people.locked().names, {"tess"})

    def test_the_log_says_who_and_from_where_and_no_password(self) -> None:
        with self.assertLogs("gumshoe.sign_in", "INFO") as told:
            self.tried("tess", "10.0.0.1", "hunter2-hunter2")
            self.tried("tess", "10.0.0.1", support.PASSWORD)
        self.assertEqual(
            [row.getMessage() for row in told.records],
            ["failed: name 'tess' from 10.0.0.1", "signed in: 'tess' from 10.0.0.1"],
        )


class Shop(TestCase):
    """What the settings of the shop do elsewhere."""

    def setUp(self) -> None:
        self.lena = support.person("lena", Role.LEAD)
        self.client.force_login(self.lena)
        self.case = support.case_of(self.lena, support.car(""), "hiss")

    def store(self, **more: Any) -> Any:
        return self.client.post("/settings/", {**SHOP, "countersign_hours": "0", "terms": "Parts stay ours.", **more})

    def test_papers_carry_the_shops_head_tax_and_terms(self) -> None:
        self.assertRedirects(self.store(new_logo=SimpleUploadedFile("l.png", picture())), "/settings/")
        line = offering.propose_maintenance(self.case, self.lena, "Wiper blades", 12, Decimal("33.33"))
        self.assertEqual(line.tax_percent, 20)
        self.store(tax_percent="0")  # what was proposed keeps its tax
        offering.answer(self.case, self.lena, line.pk, "approved", "owner", "by phone")
        for page in (f"/cases/{self.case.pk}/repair/lines/print/", f"/cases/{self.case.pk}/report/"):
            text = self.client.get(page).content.decode()
            for words in ("Kelda Yard", "2 Slip Lane", "0000 1234", "data:image/png;base64,"):
                self.assertIn(words, text, page)
        printed = self.client.get(f"/cases/{self.case.pk}/repair/lines/print/").content.decode()
        self.assertIn("Parts stay ours.", printed)
        net = line.parts + line.labour
        tax = (net * 20 / 100).quantize(Decimal("0.01"))
        self.assertRegex(printed, rf"{net + tax}\s+\(£ {net}\s+\+ 20 % VAT £ {tax}\)")

    def test_tax_is_rounded_once_for_each_rate(self) -> None:
        """Worked by hand: 3 × 10.01 at 20 % is 6.006, so 6.01 and not 3 × 2.00."""
        lines = [mock.Mock(total=Decimal("10.01"), tax_percent=Decimal(20)) for _ in range(3)]
        lines += [mock.Mock(total=Decimal("5.00"), tax_percent=Decimal(0))]
        found = together(lines)
        self.assertEqual(
            (found.net, found.taxes, found.gross), (Decimal("35.03"), ((20, Decimal("6.01")),), Decimal("41.04"))
        )

    def test_times_are_the_shops(self) -> None:
        """Auckland is thirteen hours ahead of Greenwich in January (IANA time zone database)."""
        type(self.case).objects.filter(pk=self.case.pk).update(opened_at="2026-01-15T22:05:00Z")
        self.store()
        self.assertContains(self.client.get(f"/cases/{self.case.pk}/report/"), "16 Jan 2026, 11:05")
        self.store(time_zone="UTC")
        self.assertContains(self.client.get(f"/cases/{self.case.pk}/report/"), "15 Jan 2026, 22:05")

    def test_a_shop_of_one_countersigns_after_waiting(self) -> None:
        given = verdicts.give_verdict(self.case, self.lena, "purge_circuit_open")
        address = f"/cases/{self.case.pk}/repair/verdict/{given.pk}/review/"
        self.assertContains(self.client.post(address, {"kind": "countersigned"}), "of their own", status_code=400)
        self.store(countersign_hours="12")
        self.assertContains(self.client.post(address, {"kind": "countersigned"}), "12 h after", status_code=400)
        later = timezone.now() + timedelta(hours=13)
        with mock.patch.object(verdicts.timezone, "now", return_value=later):
            self.client.force_login(self.lena)  # the sign-in of the morning has ended
            self.client.post(address, {"kind": "countersigned", "reason": "smoke again"})
        said = given.reviews.get()
        self.assertEqual(said.reason, "a verdict of their own, 13 h after it was given; smoke again")
        self.assertContains(
            self.client.get(f"/cases/{self.case.pk}/report/file/"), "a verdict of their own, 13 h after"
        )

    def test_a_logo_goes_again(self) -> None:
        self.store(new_logo=SimpleUploadedFile("l.png", picture()))
        self.assertTrue(Settings.load().logo)
        self.store(no_logo="on")
        self.assertFalse(Settings.load().logo)


@override_settings(TIME_ZONE="Europe/London")
class Zone(TestCase):
    def test_a_time_zone_that_is_none_is_refused(self) -> None:
        self.client.force_login(support.person("lena", Role.LEAD))
        page = self.client.post("/settings/", {**SHOP, "countersign_hours": "0", "time_zone": "Middle/Earth"})
        self.assertEqual(page.status_code, 400)
