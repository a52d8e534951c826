"""At the counter in the browser: a customer signs on the tablet; a label is read by a reader of another make."""

from __future__ import annotations

import io
from decimal import Decimal

import zxingcpp
from PIL import Image
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By

from gumshoe.web.proposal import services as offering
from tests.journeys.browser import Journey
from tests.web import support

STILL = "const done = arguments[0]; requestAnimationFrame(() => requestAnimationFrame(done))"
"""Until the page has come to rest after scrolling."""


class AtTheCounter(Journey):
    def test_signed_and_labelled(self) -> None:
        self.sign_in()
        case = support.case_of(self.person, support.car(""), "hiss")
        offering.propose_maintenance(case, self.person, "Wiper blades", 12, Decimal(20))
        self.go(f"/cases/{case.pk}/repair/lines/counter/")
        self.see("Our offer")
        self.axe("counter")
        self.press("yes")
        self.fill("name", "Ansa Brekke")
        canvas = self.find("canvas.sign-field")
        self.browser.execute_script("arguments[0].scrollIntoView({block: 'center'})", canvas)
        self.browser.execute_async_script(STILL)
        pen = ActionChains(self.browser).move_to_element_with_offset(canvas, -200, 0).click_and_hold()
        for step in range(12):
            pen = pen.move_by_offset(25, 30 if step % 2 else -30)
        pen.release().perform()
        self.press("Signed")
        self.see("Signed by Ansa Brekke")
        self.assertGreater(len(case.signatures.get().strokes[0]), 8)
        self.go(f"/cases/{case.pk}/report/")
        self.find("figure.signed svg")
        self._label(case.pk)
        self.check_quiet()

    def _label(self, pk: int) -> None:
        """Read off the screen by a reader that has nothing to do with the writer."""
        self.go(f"/cases/{pk}/label/")
        self.see("Key tag and label")
        self.axe("label")
        for label in self.browser.find_elements(By.CSS_SELECTOR, ".qr"):
            self.browser.execute_script("arguments[0].scrollIntoView({block: 'center'})", label)
            shown = Image.open(io.BytesIO(label.screenshot_as_png))
            read = zxingcpp.read_barcodes(shown.resize((shown.width * 3, shown.height * 3)))
            self.assertEqual([row.text for row in read], [f"{self.live_server_url}/cases/{pk}/"])
