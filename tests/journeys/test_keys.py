"""Hands on the keyboard, drafts that survive an interruption, and the demo's promise that nothing needs a mouse."""

from __future__ import annotations

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By

from tests.journeys.browser import Journey
from tests.web import support


class Keyboard(Journey):
    """Stages by digit, next action by n, help by ?."""

    def key(self, text: str) -> None:
        """Press keys with nothing focused."""
        self.browser.execute_script("document.activeElement && document.activeElement.blur()")
        ActionChains(self.browser).send_keys(text).perform()

    def test_stages_help_and_drafts(self) -> None:
        case = support.case_of(self.person, support.car(), "rough_idle")
        self.sign_in()
        self.go(f"/cases/{case.pk}/complaint/")
        self.key("7")
        self.see("Loose-ends ledger")
        self.key("n")
        self.see("One press reads and stores everything")
        self.key("?")
        self.see("Tabs of the folder")
        self.key("?")
        self.key("t")
        self.assertEqual(self.find("html").get_attribute("data-theme"), "night")
        self.key("t")

        self.key("1")
        self.see("In the customer's words")
        self.fill("text", "interrupted in the middle of")
        self.key("b")
        self.see("Cases on the board")
        self.go(f"/cases/{case.pk}/complaint/")
        self.see("Your unfinished entry was kept")
        self.assertEqual(self.find("[name=text]").get_attribute("value"), "interrupted in the middle of")
        self.press("Store the complaint")
        self.see("Complaint stored")
        self.go(f"/cases/{case.pk}/complaint/")
        self.assertFalse(self.find("[data-draft-note]").is_displayed())
        self.assertEqual(case.complaints.count(), 2)

    def test_touch_targets_are_large_enough(self) -> None:
        case = support.case_of(self.person, support.car(), "rough_idle")
        self.sign_in()
        for page in ("complaint", "scan", "suspects", "bench", "repair", "clear"):
            self.go(f"/cases/{case.pk}/{page}/")
            small = [
                (item.text or item.get_attribute("outerHTML")[:80], item.size)
                for item in self.browser.find_elements(
                    By.CSS_SELECTOR, "button, a.btn, .tabs a, select, .suspect, summary"
                )
                if item.is_displayed() and item.size["height"] < 43.5
            ]
            self.assertEqual(small, [], page)
        self.check_quiet()
