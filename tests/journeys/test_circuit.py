"""An open load found at its wires in the browser: scan, circuit, probes by key and by press, conclusion, suspects."""

from __future__ import annotations

from itertools import pairwise

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from gumshoe.web.accounts.models import User
from gumshoe.web.bench import commanding
from gumshoe.web.bench.models import CircuitConclusion, CircuitReading, CommandRun
from tests.journeys.browser import Journey
from tests.web import support

MOST = 12


class OpenLoad(Journey):
    def setUp(self) -> None:
        super().setUp()
        tess = User.objects.get(username="tess")
        support.start(support.stand_in(defects=("purge-open",), history=("mixed", "mixed"))).key("on")
        self.case = support.case_of(tess, support.car())
        self.sign_in()

    def key(self, name: str) -> None:
        """Press a key on the page itself."""
        body = self.browser.find_element(By.TAG_NAME, "body")
        page = self.browser.find_element(By.TAG_NAME, "html").id
        body.send_keys(name)
        self._await(lambda b: b.find_element(By.TAG_NAME, "html").id != page, f"key {name} does nothing", 15)

    def test_found_by_the_proposed_probes(self) -> None:
        self.go(f"/cases/{self.case.pk}/scan/")
        self.press("Scan now")
        self.see("P0443", wait=40)
        self.go(f"/cases/{self.case.pk}/bench/circuits/")
        self.see("Named by the leading suspects")
        self.axe("circuits")
        self.key("m")
        self.see("Ground-side switched load: purge valve")
        self.axe("circuit")

        # A plug is taken off and put back by a press on the diagram; a lead goes where one presses.
        plug = self.find("a[aria-label='Take off: plug of purge valve']")
        self.browser.execute_script("arguments[0].dispatchEvent(new MouseEvent('click', {bubbles: true}))", plug)
        self.see("plug of purge valve: off")
        pin = self.find("a[aria-label^='Put the red (+) lead on feed pin of purge valve itself']")
        pin.send_keys(Keys.ENTER)
        self.see("feed pin of purge valve itself to battery negative")
        self.find("a[aria-label='Plug in: plug of purge valve']").send_keys(Keys.ENTER)
        self.see("is reached only with the plug of purge valve off")  # said, not hidden

        # A slip of the keyboard is refused where it is typed.
        self.go(f"/cases/{self.case.pk}/bench/circuits/purge_valve/?plus=control")
        self.fill("value", "1260")
        self.press("Store the reading")
        self.see("cannot be read here")
        self.assertEqual(self.browser.find_element(By.NAME, "value").get_attribute("value"), "1260")

        self.go(f"/cases/{self.case.pk}/bench/circuits/purge_valve/")
        for _ in range(MOST):
            if "It stands" in self.browser.find_element(By.TAG_NAME, "body").text:
                break
            self.key("m")
            self.read_at_the_stand_in()
        self.see("It stands")
        self.see("you read")
        self.axe("circuit concluded")
        self.key("e")
        self.see("Concluded:")
        found = CircuitConclusion.objects.get()
        self.assertEqual((found.of, found.outcome), ("part", "part"))
        self.assertLess(CircuitReading.objects.count(), MOST)
        self.find(".suspect")
        self.assertIn("purge valve", self.browser.find_element(By.CSS_SELECTOR, ".suspect").text)
        self.check_quiet_but("400")

    def read_at_the_stand_in(self) -> None:
        """Type what the stand-in shows, and store it by key."""
        shown = self.find("[data-shown]").get_attribute("data-shown")
        radios = self.browser.find_elements(By.CSS_SELECTOR, f"input[type=radio][value='{shown}']")
        if radios:
            self.browser.execute_script("arguments[0].click()", radios[0])
        else:
            self.fill("value", shown)
            self.browser.find_element(By.NAME, "value").send_keys(Keys.ESCAPE)
            self.browser.execute_script("document.activeElement.blur()")
        self.key("r")

    def check_quiet_but(self, allowed: str) -> None:
        self.allowed_errors = (allowed,)
        self.check_quiet()

    def steps_seen(self) -> int:
        """Values the purge valve was commanded to, with samples of each, in the run that is on."""
        run = commanding.of(self.case.vehicle, "purge_valve")
        taken = run.taken() if run and run.is_alive() else []
        return sum(a[1] != b[1] for a, b in pairwise(taken)) + (len(taken) > 1)

    def test_a_command_that_nothing_answers_and_a_hand_test(self) -> None:
        self.go(f"/cases/{self.case.pk}/bench/commands/purge_valve/")
        self.axe("command")
        self.press("Run the steps")
        self.see("since")
        self._await(lambda _: self.steps_seen() >= 3, "three steps with their feedback", 30)
        self.axe("command running")
        self.press("Stop")
        self.see("stopped by hand")
        self.see("stands still")
        self.assertEqual(CommandRun.objects.get().verdict, "stands still")
        self.press("Run the steps")
        self._await(lambda _: self.steps_seen() >= 1, "the second run steps", 20)
        self.go(f"/cases/{self.case.pk}/bench/hand/voltage_drop/")  # leaving the page gives the valve back
        self.fill("drop", "0.35")
        self.fill("current", "7 A")
        self.press("Work it out")
        self.see("50.0")
        self.axe("hand test")
        self.press("Store")
        self.see("Worked out in this case")
        self.go(f"/cases/{self.case.pk}/bench/traces/")
        self.axe("traces")
        self.assertEqual(CommandRun.objects.count(), 2)
        self.check_quiet()
