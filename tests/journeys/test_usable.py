"""What every page owes a person: visible focus, no sideways scrolling, keys that can be switched off, work kept."""

from __future__ import annotations

from django.urls import reverse
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from gumshoe.web.cases.models import Case
from gumshoe.web.ledger import ends
from gumshoe.web.proposal import services as offering
from gumshoe.web.scans import services as scans
from gumshoe.web.vehicles import register
from gumshoe.web.verdicts import services as verdicts
from tests.journeys.browser import Journey
from tests.web import support
from tests.web.test_scale import pages

WIDTHS = (390, 640)
"""A phone; and 1280 px at 200 % zoom (WCAG 1.4.10)."""
FOCUS = """
const seen = document.activeElement, style = getComputedStyle(seen);
return [seen.tagName, (seen.innerText || seen.name || '').trim().slice(0, 40), style.outlineStyle,
        parseFloat(style.outlineWidth), style.outlineColor];
"""


class MuchOnEveryPage(Journey):
    """A case with something on every page, and the addresses of all of them."""

    def case_with_much(self) -> Case:
        """A case that has something on every page."""
        support.start(support.stand_in())
        self.car = support.car()
        case = support.case_of(self.person, self.car, "rough_idle", "runs_hot")
        scans.type_in(
            case, self.person, "P0171 P0174 P0300 P0303 P0443 confirmed P0420 pending P1234 U0101 P0016 B1000"
        )
        verdicts.give_verdict(case, self.person, "crankcase_hose_split")
        line = offering.propose_line(case, self.person, "renew_crankcase_hose")
        offering.propose_line(case, self.person, "renew_air_flow_meter")
        offering.answer(case, self.person, line.pk, "refused", "the owner of the car", "by phone")
        ends.open_end(case, self.person, "air-flow meter unplugged", "air_flow_meter")
        return case

    def addresses(self, case: Case) -> dict[str, str]:
        more = {
            "test": reverse("bench:test", args=[case.pk, "look_hoses"]),
            "hand test": reverse("bench:hand_one", args=[case.pk, "compression"]),
            "circuit": reverse("bench:circuit", args=[case.pk, "purge_valve"]),
            "settings": reverse("settings:settings"),
            **self.of_the_shop(case),
            "import": reverse("reports:import"),
            "channels": reverse("live:channels", args=[case.pk]),
            "proposal on paper": reverse("proposal:lines_printed", args=[case.pk]),
        }
        return pages(case) | more

    def of_the_shop(self, case: Case) -> dict[str, str]:
        """Pages of people, lists, and of what is on file."""
        owner = register.customer_named("Ada Berg", "ada@example.org", self.person)
        assert owner is not None
        register.change_owner(case.vehicle, self.person, owner)
        return {
            "people": reverse("accounts:people"),
            "somebody new": reverse("accounts:add"),
            "a person": reverse("accounts:one", args=[self.person.pk]),
            "me": reverse("accounts:me"),
            "customer": reverse("finding:customer", args=[owner.pk]),
            "vehicle": reverse("finding:vehicle", args=[case.vehicle_id]),
            "cases": reverse("finding:cases"),
            "customers": reverse("finding:customers"),
            "found": f"{reverse('finding:find')}?q=berg",
            "due to be forgotten": reverse("finding:due"),
            "hand over": reverse("crew:hand_over", args=[case.pk]),
            "practice": reverse("practice:practice"),
            "progress": reverse("practice:progress"),
        }


class Usable(MuchOnEveryPage):
    def test_pages_of_the_shop_are_accessible(self) -> None:
        case = support.case_of(self.person, support.car(""), "rough_idle")
        self.sign_in()
        for name, address in self.of_the_shop(case).items():
            self.go(address)
            self.axe(name)
        self.find("#find-text").send_keys("berg")
        self.find("#found[data-found='berg']")
        self.axe("found as typed")
        self.find("#find-text").send_keys(Keys.ARROW_DOWN)
        self.assertIn("found-link", self.browser.switch_to.active_element.get_attribute("class") or "")
        self.browser.switch_to.active_element.send_keys(Keys.ESCAPE)
        self.assertFalse(self.find("#found").is_displayed())
        self.press("Night bay")
        self.find("#find-text").send_keys(Keys.ARROW_DOWN)
        self.assertTrue(self.find("#found").is_displayed())
        self.axe("found as typed, at night")
        self.check_quiet()

    def test_no_page_scrolls_sideways(self) -> None:
        case = self.case_with_much()
        self.sign_in()
        wide = {}
        for width in WIDTHS:
            self.resize(width, 800)
            for name, address in self.addresses(case).items():
                self.go(address)
                found = self.browser.execute_script("return document.documentElement.scrollWidth")
                if found > width:
                    wide[f"{name} at {width}"] = found
        self.assertEqual(wide, {})

    def test_focus_is_seen_on_everything_that_takes_it(self) -> None:
        case = self.case_with_much()
        self.sign_in()
        unseen = set()
        for name in ("board", "scans:scan", "suspects:suspects", "verdicts:repair", "proposal:lines", "live:live"):
            self.go(self.addresses(case)[name])
            body = self.browser.find_element(By.TAG_NAME, "body")
            for _ in range(45):
                body.send_keys(Keys.TAB)
                tag, words, style, width, _colour = self.browser.execute_script(FOCUS)
                if tag not in ("BODY", "HTML") and (style == "none" or width < 2.0):
                    unseen.add(f"{name}: {tag} {words}")
        self.assertEqual(unseen, set())

    def test_single_keys_can_be_switched_off(self) -> None:
        case = self.case_with_much()
        self.sign_in()
        self.go(f"/cases/{case.pk}/scan/")
        body = self.browser.find_element(By.TAG_NAME, "body")
        body.send_keys("?")
        self.see("Single keys do something")
        self.press("Single keys do something")
        self.press("Close", exact=True)
        self.browser.find_element(By.TAG_NAME, "body").send_keys("b")
        self.assertIn("/scan/", self.browser.current_url)
        self.go(f"/cases/{case.pk}/read/")
        self.browser.find_element(By.TAG_NAME, "body").send_keys("b")
        self.assertIn("/read/", self.browser.current_url)
        self.press("?")
        self.press("Single keys do something")
        self.press("Close", exact=True)
        self.browser.find_element(By.TAG_NAME, "body").send_keys("b")
        self.see("Cases on the board")

    def test_what_was_typed_survives_an_expired_session(self) -> None:
        case = self.case_with_much()
        self.sign_in()
        self.go(f"/cases/{case.pk}/complaint/")
        self.fill("text", "Jerks on the ferry ramp, since the storm")
        self.browser.delete_cookie("sessionid")
        self.press("Store the complaint")
        self.see("Sign in")
        self.fill("username", "tess")
        self.fill("password", support.PASSWORD)
        self.press("Sign in")
        self.see("Your unfinished entry was kept")
        self.assertIn("/complaint/", self.browser.current_url)
        self.assertEqual(self.find("#id_text").get_attribute("value"), "Jerks on the ferry ramp, since the storm")
        self.press("Store the complaint")
        self.see("Complaint stored")
        self.assertEqual(case.complaints.last().text, "Jerks on the ferry ramp, since the storm")
        self.go(f"/cases/{case.pk}/complaint/")
        self.assertFalse(self.find("[data-draft-note]").is_displayed())

    def test_a_comma_is_a_decimal_sign(self) -> None:
        self.sign_in()
        self.go("/settings/")
        self.fill("labour_per_hour", "95,50")
        self.press("Store")
        self.see("Settings stored")
        self.assertEqual(self.find("#id_labour_per_hour").get_attribute("value"), "95.50")
        self.fill("labour_per_hour", "1,234")
        self.press("Store")
        self.see("has 3 decimals")

    def test_a_server_that_is_gone_makes_values_old(self) -> None:
        case = self.case_with_much()
        self.sign_in()
        self.go(f"/cases/{case.pk}/live/")
        self.press("Start", exact=True)
        self.see("Engine: ", wait=20)
        self.allowed_errors = ("Failed to load resource", "ERR_INTERNET_DISCONNECTED")
        offline = {"offline": True, "latency": 0, "downloadThroughput": 0, "uploadThroughput": 0}
        self.browser.execute_cdp_cmd("Network.enable", {})
        self.browser.execute_cdp_cmd("Network.emulateNetworkConditions", offline)
        self.see("The server does not answer", wait=20)
        self.see("what is shown is old")
        self.find(".stale")
        self.browser.execute_cdp_cmd(
            "Network.emulateNetworkConditions",
            offline | {"offline": False, "downloadThroughput": -1, "uploadThroughput": -1},
        )
        self._await(lambda b: not b.find_elements(By.CSS_SELECTOR, ".stale"), "it stays old", 20)

    def test_what_was_not_heard_is_not_drawn(self) -> None:
        """A line is broken where nothing came for longer than five usual steps."""
        self.case_with_much()
        self.sign_in()
        self.go(f"/cases/{Case.objects.get().pk}/live/")
        self.see("Engine: ", wait=20)
        gaps = self.browser.execute_script(
            """
            const live = Alpine.$data(document.querySelector('[x-data="live"]')), s = live.strips;
            const key = s.strips[0].series[0].key;
            const column = s.columns[key];
            column.n = 0;
            for (let i = 0; i < 50; i += 1) column.push(1000 + 0.2 * i, 800);
            for (let i = 0; i < 50; i += 1) column.push(1130 + 0.2 * i, 800);
            s.follow = false; s.x0 = 995; s.x1 = 1145;
            return s.gapsOf(s.charts[0], key).length;
            """
        )
        self.assertEqual(gaps, 1)

    def test_short_pages_hold_their_holes(self) -> None:
        case = support.case_of(self.person, support.car(""), "rough_idle")
        self.sign_in()
        self.go(f"/cases/{case.pk}/prove/")
        hole, sheet = self.browser.execute_script(
            "const s = document.querySelector('.sheet.punched');"
            "const hole = parseFloat(getComputedStyle(s, '::after').top) + 13; return [hole, s.offsetHeight];"
        )
        self.assertLessEqual(hole, sheet)
