"""A shop from its first start on, by pressing: an owner and their people; a car handed from one to the other, on the
phone too, and found again long after."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path

from django.utils import timezone
from PIL import Image
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from gumshoe.web.accounts.models import Role, User
from gumshoe.web.cases.models import Case
from gumshoe.web.settings import first
from gumshoe.web.verdicts.models import Review
from tests.journeys.browser import Journey
from tests.journeys.test_at_the_car import DESK, PHONE
from tests.web import support

OWNERS, TESSAS, NEW = "three-words-or-four", "anchors and chains", "a-lantern-at-sea"


class AShop(Journey):
    def as_somebody(self, name: str, password: str) -> None:
        """Sign whoever is there out, and this person in."""
        self.browser.delete_all_cookies()
        self.go("/sign-in/")
        self.fill("username", name)
        self.fill("password", password)
        self.press("Sign in")

    def submit(self, action: str) -> None:
        """Press the button of the form that goes to this address."""
        button = self.find(f"form[action$='{action}'] button:not([type=button])")
        self.browser.execute_script("arguments[0].scrollIntoView({block: 'center'}); arguments[0].click()", button)

    def tick(self, name: str, value: str) -> None:
        choice = self.find(f"input[name='{name}'][value='{value}']")
        self.browser.execute_script("arguments[0].click()", choice)


class AnOwner(AShop):
    """From the page of the first start to a shop with people, an adviser who takes a car in, a countersigned verdict,
    somebody locked out and let in again, somebody who left."""

    allowed_errors = ("429", "400", "403")  # what is refused in words is an error to the browser

    def setUp(self) -> None:
        super().setUp()
        User.objects.all().delete()  # nobody is known yet

    def one_time_password(self, full_name: str, username: str, role: str) -> str:
        self.go("/people/")
        self.press("Add somebody")
        self.fill("full_name", full_name)
        self.fill("username", username)
        Select(self.find("[name=role]")).select_by_value(role)
        self.press("Add and make a password")
        self.see("to be used once")
        return self.find(".code-big").text

    def test_a_shop_is_set_up_and_runs(self) -> None:
        self.go("/")
        self.see("Set the shop up")
        for name, value in {
            "shop_name": "Kelda Yard", "address": "Harbour Road 4", "phone": "555 0100", "currency": "£",
            "labour_per_hour": "72,50", "tax_name": "VAT", "tax_percent": "20", "full_name": "Lena Marsh",
            "username": "lena", "password": OWNERS, "again": OWNERS, "code": first.code(),
        }.items():  # fmt: skip
            self.fill(name, value)
        self.press("Open the shop")
        self.see("Lena Marsh")
        word = self.one_time_password("Tess Arden", "tess", Role.TECHNICIAN)
        advisers = self.one_time_password("Mila Brook", "mila", Role.ADVISER)

        self.as_somebody("tess", word)
        self.see("Another password")
        self.go("/")
        self.see("Another password")  # nothing else is open to her until then
        self.fill("old", word)
        self.fill("password", TESSAS)
        self.fill("again", TESSAS)
        self.press("Change it")
        self.see("Password changed")

        self.as_somebody("mila", advisers)
        self.fill("old", advisers)
        self.fill("password", NEW)
        self.fill("again", NEW)
        self.press("Change it")
        self.see("Password changed")
        self.go("/cases/new/")
        for name, value in {"plate": "AB 12 CDE", "make": "Ostrel", "model": "Tern 1.6", "owner": "Ada Berg"}.items():
            self.browser.find_element(By.CSS_SELECTOR, f"form[data-draft] [name={name}]").send_keys(value)
        self.press("Open the case")
        self.see("In the customer's words")
        self.fill("text", "hisses at idle since the service")
        self.press("Store the complaint")
        self.see("Complaint stored")
        case = Case.objects.get()
        self.assertEqual((case.opened_by.username, case.owner), ("mila", "Ada Berg"))

        self.as_somebody("tess", TESSAS)
        self.go(f"/cases/{case.pk}/scan/")
        self.press("Car not connected?")
        self.fill("codes", "P0171 confirmed")
        self.submit("/scan/typed/")
        self.see("P0171")
        self.go(f"/cases/{case.pk}/repair/?suspect=crankcase_hose_split")
        self.press("Store the verdict")
        self.see("Verdict stored")

        self.as_somebody("lena", OWNERS)
        self.go(f"/cases/{case.pk}/repair/")
        self.press("Countersign")
        self._await(lambda _: Review.objects.filter(kind="countersigned").exists(), "nobody countersigned", 15)

        for _ in range(6):
            self.as_somebody("tess", "not her password")
        self.see("Too many")
        self.as_somebody("lena", OWNERS)
        self.go("/people/")
        self.see("locked for a while")
        self.press("Tess Arden")
        self.press("Unlock")
        self.as_somebody("tess", TESSAS)
        self.see("Cases on the board")

        self.as_somebody("lena", OWNERS)
        self.go("/people/")
        self.press("Mila Brook")
        self.press("Deactivate")
        self.as_somebody("mila", NEW)
        self.assertIn("/sign-in/", self.browser.current_url)
        self.as_somebody("lena", OWNERS)
        self.go(f"/cases/{case.pk}/report/file/")
        self.see("Mila Brook")  # what she did stays on record


class FromHandToHand(AShop):
    """A technician at the car with a phone hands over for the night; another goes on at the desk, closes; years later
    somebody finds it by a piece of the part number."""

    def test_a_case_goes_from_hand_to_hand_and_is_found_again(self) -> None:
        support.person("arne", Role.TECHNICIAN)
        vehicle = support.car("", "KL 40 MN")
        case = support.case_of(self.person, vehicle, "rough_idle")
        self.resize(*PHONE)
        self.sign_in()
        self.find("#find-text").send_keys("kl40")
        self.find("#found[data-found='kl40']")
        self.find("#find-text").send_keys(Keys.ARROW_DOWN, Keys.ENTER)
        self.see("KL 40 MN")
        self.go(f"/cases/{case.pk}/bench/hand/compression/")
        fields = [one for one in self.browser.find_elements(By.CSS_SELECTOR, "[data-pad]") if one.is_displayed()]
        self.browser.execute_script("arguments[0].click()", fields[0])
        for value in ("1180", "1210", "1195", "1200"):
            for sign in value:
                self.find(f".pad-keys [data-sign='{sign}']").click()
            self.press("Take it")
        self.press("Work it out")
        self.press("Store")
        self.see("Recorded as a test")
        with tempfile.TemporaryDirectory() as folder:
            picture = Path(folder) / "hose.jpg"
            Image.new("RGB", (800, 600), "brown").save(picture)
            self.go(f"/cases/{case.pk}/bench/")
            self.browser.find_element(By.CSS_SELECTOR, ".camera input[type=file]").send_keys(str(picture))
            self.see("The photograph is kept")
        self.go(f"/cases/{case.pk}/hand-over/")
        Select(self.find("#to")).select_by_visible_text(
            next(one.text for one in Select(self.find("#to")).options if one.text.lower().startswith("arne"))
        )
        self.fill("done", "compression is even")
        self.fill("next", "look at the hoses")
        self.fill("off", "engine cover")
        self.submit("/hand-over/give/")
        self.see("Cases on the board")
        self.go(f"/cases/{case.pk}/hand-over/")
        self.see("look at the hoses")
        self.tick("what", "night")
        self.submit("/hand-over/wait/")
        self.see("waits for")

        self.resize(*DESK)
        self.as_somebody("arne", support.PASSWORD)
        self.press("By person")
        self.see("Arne")
        self.go(f"/cases/{case.pk}/hand-over/")
        self.see("engine cover")
        self.press("It goes on")
        self.go(f"/cases/{case.pk}/scan/")
        self.press("Car not connected?")
        self.fill("codes", "P0171 confirmed")
        self.submit("/scan/typed/")
        self.go(f"/cases/{case.pk}/repair/?suspect=crankcase_hose_split")
        self.press("Store the verdict")
        self.see("Verdict stored")
        self.go(f"/cases/{case.pk}/repair/lines/?repair=renew_crankcase_hose")
        self.press("Propose", exact=True)
        self.see("Get the customer's answer")
        line = case.lines.get()
        self.tick("kind", "approved")
        self.fill("who", "Ada Berg")
        self.submit(f"/line/{line.pk}/answer/")
        self.go(f"/cases/{case.pk}/repair/work/")
        self.fill("part_number", "CB-77120/4")
        self.submit(f"/line/{line.pk}/work/")
        self.see("Recorded as done")
        self.go(f"/cases/{case.pk}/report/")
        self.fill("reason", "the owner drives it home, comes back for the proof")
        self.submit("/report/close/")
        self.see("Closed")
        self.assertIsNotNone(Case.objects.get(pk=case.pk).closed_at)

        for text in ("77120", "even", "kl 40 mn", "P0171"):
            self.go("/")
            field = self.find("#find-text")
            field.send_keys(text, Keys.ENTER)
            self.see(case.number)
        self.find(".found-link").click()
        self.see("Closed")
        day = timezone.localdate()
        self.go(f"/cases/?stage=closed&since={day}&person={User.objects.get(username='arne').pk}")
        self.see(case.number)
        self.assertTrue(re.search(r"closed", self.find("table").text))
