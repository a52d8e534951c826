"""Live in the browser: strips run, a recording is made and replayed, a stretch measured, a moment marked, by key."""

from __future__ import annotations

import time

from selenium.webdriver.common.by import By

from gumshoe.web.accounts.models import User
from gumshoe.web.live.models import Mark, Recording
from tests.journeys.browser import Journey
from tests.web import support


class Live(Journey):
    def setUp(self) -> None:
        super().setUp()
        self.runner = support.start(support.stand_in())
        self.case = support.case_of(User.objects.get(username="tess"), support.car())
        self.sign_in()

    def body_key(self, *keys: str) -> None:
        for key in keys:
            self.browser.find_element(By.TAG_NAME, "body").send_keys(key)
            time.sleep(0.15)

    def strips(self, what: str) -> float:
        """Something of the page's strips."""
        component = "Alpine.$data(document.querySelector('[x-data=live], [x-data=replay]')).strips"
        return float(self.browser.execute_script(f"return {component}.{what}"))

    def test_watch_record_replay_measure_mark(self) -> None:
        self.runner.key("on")
        self.runner.key("start")
        self.runner.skip(30.0)
        self.go(f"/cases/{self.case.pk}/live/")
        self.see("warm idle", wait=20)
        self.see("in band", wait=20)
        self.axe("live")

        # Closer, farther, back: the picture stands still then, and nothing that comes meanwhile is lost.
        wide = self.strips("span")
        self.body_key("+")
        self.assertAlmostEqual(self.strips("span"), wide / 2, delta=0.1)
        self.body_key("\ue012")
        self.see("Go on")
        held, count = self.strips("x1"), self.strips("columns.rpm.n")
        self._await(lambda _: self.strips("columns.rpm.n") > count + 5, "samples that came meanwhile", 20)
        self.assertEqual(self.strips("x1"), held)
        self.body_key("a")
        self.assertGreater(self.strips("x1"), self.strips("newest()") - 1.0)
        self.body_key("p")
        self.body_key("p")
        self.see("Pause the picture")

        # Record what is looked at, mark a moment, stop by key.
        self.find("#label").send_keys("lights on")
        self.body_key("r")
        self.see("samples", wait=10)
        began = self.strips("columns.rpm.n")
        self._await(lambda _: self.strips("columns.rpm.n") > began + 40, "some seconds of the recording", 20)
        self.body_key("m")
        self.see("marked")
        self.body_key("s")
        self._await(
            lambda b: b.find_elements(By.CSS_SELECTOR, "a[href*='/recordings/']"), "the recording is listed", 20
        )
        self.assertEqual(Mark.objects.count(), 1)
        recording = Recording.objects.get()
        self.go(f"/cases/{self.case.pk}/live/recordings/{recording.pk}/")
        self._await(lambda _: self.strips("newest()") > self.strips("begin()") + 2.0, "the samples are there", 15)
        self.axe("replay")
        self.see("marked")
        self.body_key("[", "]")  # the whole picture, when the pointer is nowhere
        self.see("Stretch of")
        self.see("Engine speed")
        self.press("Keep as a recording")
        self._await(lambda _: Recording.objects.count() == 2, "the stretch is kept", 10)

    def test_choosing_what_to_look_at(self) -> None:
        self.go(f"/cases/{self.case.pk}/live/channels/")
        self.see("By symptom")
        self.axe("channels")
        self.press("Misfire")
        self.find("#search").send_keys("throttle")
        shown = [row for row in self.browser.find_elements(By.CSS_SELECTOR, "[data-names]") if row.is_displayed()]
        self.assertTrue(0 < len(shown) < 20)
        self.press("Look at these")
        self.see("Misfires this trip")
