"""Three situations after the work, in the browser: a flat battery, a plug left off, and a code the owner defers."""

from __future__ import annotations

from selenium.webdriver.common.by import By

from gumshoe.web.cases.models import Case
from gumshoe.web.proposal import services as offering
from gumshoe.web.scans import services as scans
from gumshoe.web.verdicts import services as verdicts
from gumshoe.web.work import services as working
from tests.journeys.browser import Journey
from tests.web import support


class AfterTheWork(Journey):
    """What the journeys share: a car, a case, somebody signed in."""

    def open(self, *defects: str, history: tuple[str, ...] = ()) -> Case:
        self.car = support.car()
        self.runner = support.start(support.stand_in(defects=defects, history=history, coolant_c=84.0))
        self.case = support.case_of(self.person, self.car, "rough_idle")
        self.sign_in()
        return self.case

    def page(self, path: str) -> None:
        self.go(f"/cases/{self.case.pk}/{path}/")

    def scan(self) -> None:
        self.page("scan")
        self.press("Key on")
        self.see("key on")
        self.press("Scan again" if self.case.scans.exists() else "Scan now")
        self.see("Scan stored")

    def printed(self, letter: bool) -> int:
        """Pages this page prints on, A4 or Letter."""
        size = {"paperWidth": 8.5, "paperHeight": 11.0} if letter else {"paperWidth": 8.27, "paperHeight": 11.69}
        return self.printed_pages(size)


class FlatBattery(AfterTheWork):
    def test_explained_relearnt_and_cleared_in_both(self) -> None:
        self.open()
        self.scan()
        self.page("repair/work")
        self.axe("work")
        self.press("battery went flat")
        self.see("Charged again", wait=30)
        self.see("1 loose end")
        self.press("Charged again")
        self.see("nothing open")
        self.press("Key off")
        self.see("key off")
        self.scan()
        self.page("clear")
        self.see("expected from the work")
        self.see("P0882")
        self.see("P0513")
        self.see("Relearn the throttle")
        self.axe("clear")
        self.press("Do it")
        self.see("Run by the control unit")
        self.axe("procedure")
        self.press("Start")
        self.see("Relearn the throttle's stops: done.", wait=30)
        self.page("clear")
        self.press("Clear for triage")
        self.see("Cleared, and scanned again at once", wait=30)
        self.see("Triage")
        self.see("returned: today's fault")
        codes = self.case.scans.last().snapshot["modules"]
        self.assertEqual([code for module in codes for code in module["codes"]], [])
        self.check_quiet()


class PlugLeftOff(AfterTheWork):
    def test_chosen_on_the_map_overruled_and_named(self) -> None:
        self.open("crankcase-hose-split", history=("mixed", "mixed"))
        self.scan()
        verdicts.give_verdict(self.case, self.person, "crankcase_hose_split")
        line = offering.propose_line(self.case, self.person, "renew_crankcase_hose")
        offering.answer(self.case, self.person, line.pk, "approved", "owner", "by phone")
        working.do_work(self.case, self.person, line.pk, minutes=20)
        self.page("repair/work")
        part = self.find("[data-map] [data-part='air_flow_meter'] .reach")
        self.browser.execute_script("arguments[0].dispatchEvent(new MouseEvent('click', {bubbles: true}))", part)
        self.press("Write down")
        self.see("unplugged")
        self.assertEqual(self.case.looseends.get().component, "air_flow_meter")
        self.page("clear")
        self.see("Loose end:")
        self.press("Overrule (lead)")
        self.fill("overruled", "put back, not looked at")
        self.press("Overrule", exact=True)
        self.see("overruled: put back, not looked at")
        self.press("Clear the codes of every module")
        self.see("Cleared, and scanned again at once", wait=30)
        self.page("prove")
        self.see("What to drive")
        self.axe("prove")
        self.press("Drive the stand-in")
        self._await(lambda _: self.case.judgements.exists(), "no verdict was given", 150)
        self.page("prove")
        self.see("the work had set it, so something is still off")
        self.assertEqual(self.case.judgements.last().verdict, "not yet")
        self.see("Look first at the ledger")
        self.check_quiet()


class Deferred(AfterTheWork):
    def test_odds_on_screen_on_paper_and_on_the_board(self) -> None:
        self.open()
        scans.type_in(self.case, self.person, "P0335 confirmed")
        verdicts.give_verdict(self.case, self.person, "open_crank_sensor")
        self.page("repair/lines")
        self.fill("times", "3")
        self.fill("over", "9000")
        self.find("#r-times").submit()
        self.see("Recorded how often it was seen")
        self.press("Propose")
        self.see("Who answered")
        self.press("deferred")
        self.fill("who", "the owner")
        self.find(".test-card form").submit()
        self.see("Half of such cars have it back within")
        self.axe("proposal")
        self.page("repair/lines/print")
        self.assertEqual((self.printed(False), self.printed(True)), (1, 1))
        self.axe("printed proposal")
        self.page("report")
        self.see("Deferred:")
        self.see("the lamp is expected to stay on")
        self.assertEqual((self.printed(False), self.printed(True)), (1, 1))
        self.page("report/file")
        self.axe("technical file")
        self.assertLessEqual(max(self.printed(False), self.printed(True)), 3)
        wide = self.browser.execute_script("return document.documentElement.scrollWidth")
        self.assertLessEqual(wide, 1280)
        self.go(f"/vehicles/{self.car.pk}/history/")
        self.see("not done:")
        self.axe("history")
        self.go("/parts/")
        self.axe("part life")
        self.resize(800, 1200)
        for path in ("repair/lines", "repair/work", "clear", "report/file"):
            self.page(path)
            wide = self.browser.execute_script("return document.documentElement.scrollWidth")
            self.assertLessEqual(wide, 800, path)
        self.assertTrue(self.browser.find_elements(By.CSS_SELECTOR, ".report"))
        self.check_quiet()
