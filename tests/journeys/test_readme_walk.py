"""The walk of the README, exactly as it is written there, with nothing done that it does not say."""

from __future__ import annotations

from pathlib import Path

from selenium.webdriver.common.by import By

from gumshoe.simulator.fleet import fleet
from gumshoe.web.accounts.models import Role
from gumshoe.web.cases.models import Case
from gumshoe.web.vehicles.models import Vehicle
from tests.journeys.browser import Journey
from tests.web import support

README = Path(__file__).resolve().parents[2] / "README.md"


class Walk(Journey):
    def test_as_written(self) -> None:
        told = " ".join(README.read_text(encoding="utf-8").split())
        for step in (
            "Sign in as `runa`",
            "*New case*, type `hq204`, press the car",
            "press *Key on*",
            "*Scan now*",
            "press *Start*",
            "*Hold 2500*",
        ):
            self.assertIn(step, told)
        support.person("runa", Role.TECHNICIAN)
        Vehicle.objects.create(
            plate="HQ 204", make="Ostrel", model="Tern 1.6", stand_in="tern-library", platform="ostrel_tern_16"
        )
        self.runner = support.start(fleet()["tern-library"])
        self.go("/sign-in/")
        self.fill("username", "runa")
        self.fill("password", support.PASSWORD)
        self.press("Sign in")
        self.press("New case")
        self.find("#id_q").send_keys("hq204")
        self.find("#here[data-found='hq204']")
        self.press("HQ 204")
        self.see("In the customer's words")
        self.case = Case.objects.get()
        self.fill("text", "uneven idle, a little too high")
        self.press("uneven idle")
        self.press("idle too high")
        self.press("Store the complaint")
        self.press("Key on", exact=True)
        self.see("key on")
        self.press("Scan now")
        self.see("Scan stored")
        self.press("Read")
        self.see("What the codes mean together")
        self._live()
        self._suspects()
        self._repair("air_flow_meter_low", "renew_air_flow_meter")  # the wrong thing first
        self._clear_and_prove("came back")
        self._repair("crankcase_hose_split", "renew_crankcase_hose")
        self._clear_and_prove("proven")
        self.check_quiet()

    def _tab(self, name: str) -> None:
        self.browser.find_element(
            By.XPATH, f"//ul[@class='tabs']//a[starts-with(normalize-space(.), '{name}')]"
        ).click()

    def _live(self) -> None:
        self._tab("Live")
        self.press("Start", exact=True)
        self.see("Engine: warm idle", wait=60)
        self.press("Warm idle", wait=30)
        self.see("s left")
        self.see("far too lean", wait=60)
        self.press("Hold 2500")
        self.see("Engine: 2500 rpm, standing", wait=60)
        self.press("2500 rpm", wait=30)
        self.see("g/s of air that the meter does not see", wait=60)

    def _suspects(self) -> None:
        self._tab("Suspects")
        self.see("Ranking")
        self.see("Ways to work", wait=60)
        self.press("Key off")
        self.see("key off")
        self.go(f"/cases/{self.case.pk}/bench/look_hoses/")
        self.press("crankcase hose split")
        self.press("Store and judge")
        self.see("ranked anew")

    def _repair(self, suspect: str, repair: str) -> None:
        self._tab("Repair")
        if self.case.verdicts.exists():
            self.press("Another verdict")
        option = f"#suspect option[value='{suspect}']"
        self.find(option).click()
        self.press("Store the verdict")
        self.see("Verdict stored")
        self.press("To the proposal")
        self.find(f"#repair option[value='{repair}']").click()
        self.press("Show its ways")
        self.press("Propose")
        self.see("Who answered")
        for field in self.browser.find_elements(By.NAME, "who"):
            field.clear()
            field.send_keys("the library")
        self.press("Record")
        self.see("Recorded: approved")
        self.press("3 · Work")
        self.press("Done")
        self.see("Recorded as done")

    def _clear_and_prove(self, verdict: str) -> None:
        """Clear first, then Key on as the page asks for: it looks again by itself."""
        self._tab("Clear")
        keyed = self.browser.find_element(By.CSS_SELECTOR, "[data-action='on']").text
        self.press(keyed)  # “Key on”, or “Stop engine, key on” where it runs
        self.press("Clear the codes of every module", wait=30)
        self.see("Cleared, and scanned again at once", wait=40)
        given = self.case.judgements.count()
        self.press("Drive the stand-in")
        self._await(lambda _: self.case.judgements.count() > given, "no verdict was given", 150)
        self.assertEqual(self.case.judgements.last().verdict, verdict)
        self.see("Verdicts given")
