"""At the car: the same pages on a phone and a tablet, with thumbs in gloves, by day and by night."""

from __future__ import annotations

import tempfile
from pathlib import Path

from django.test import tag
from PIL import Image
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from gumshoe.web.bench.models import HandMeasurement, TestRecord
from tests.journeys.test_usable import MuchOnEveryPage

PHONE, TABLET, DESK = (390, 844), (800, 1200), (1280, 800)
LEAST_PX = 44
TARGETS = """
const own = 'button, .btn, summary, select, textarea, .choice, .tabs a, input:not([type=hidden]):not([type=checkbox])'
  + ':not([type=radio]):not([type=range])';
return Array.from(document.querySelectorAll(own)).filter(function (one) {
  const box = one.getBoundingClientRect();
  if (!one.offsetParent || one.closest('.visually-hidden, svg') || one.matches('.visually-hidden')) return false;
  return box.height > 0 && Math.round(box.height) < arguments[0];
}.bind(null)).map(one => one.tagName + ' ' + (one.innerText || one.name || one.id || '').trim().slice(0, 30)
  + ' ' + Math.round(one.getBoundingClientRect().height));
"""
COVERED = """
const seen = document.activeElement, box = seen.getBoundingClientRect();
if (seen === document.body || !box.width) return '';
const x = Math.min(Math.max(box.left + box.width / 2, 0), innerWidth - 1);
const y = Math.min(Math.max(box.top + box.height / 2, 0), innerHeight - 1);
const over = document.elementFromPoint(x, y), bar = over && over.closest('.bay, .topbar');
if (bar && !bar.contains(seen)) return seen.tagName + ' ' + (seen.innerText || seen.name || '').trim().slice(0, 40);
return '';
"""


@tag("long")
class EveryPage(MuchOnEveryPage):
    """Every page, on a phone, a tablet and a desk."""

    maxDiff = None

    def setUp(self) -> None:
        super().setUp()
        self.case = self.case_with_much()
        self.sign_in()

    def whole_pages(self) -> dict[str, str]:
        """What a browser opens; what comes into a page as one types is looked at there."""
        return {name: address for name, address in self.addresses(self.case).items() if "/typed/" not in address}

    def test_axe_by_day_and_by_night(self) -> None:
        found = {}
        for size in (PHONE, TABLET, DESK):
            self.resize(*size)
            for name, address in self.whole_pages().items():
                self.go(address)
                for theme in ("day", "night"):
                    self.browser.execute_script(f"document.documentElement.dataset.theme = '{theme}'")
                    against = self.violations()
                    if against:
                        found[f"{name} at {size[0]}, {theme}"] = against
        self.assertEqual(found, {})

    def test_what_is_pressed_is_large_enough_and_nothing_scrolls_sideways(self) -> None:
        small: dict[str, list[str]] = {}
        wide = {}
        for size in (PHONE, TABLET):
            self.resize(*size)
            for name, address in self.whole_pages().items():
                self.go(address)
                found = self.browser.execute_script(TARGETS.replace("arguments[0]", str(LEAST_PX)))
                if found:
                    small[f"{name} at {size[0]}"] = found
                if self.browser.execute_script("return document.documentElement.scrollWidth") > size[0]:
                    wide[f"{name} at {size[0]}"] = size
        self.assertEqual((small, wide), ({}, {}))

    def test_focus_is_never_under_a_bar(self) -> None:
        covered = set()
        for size in (PHONE, DESK):
            self.resize(*size)
            for name in ("scans:scan", "suspects:suspects", "proposal:lines", "work:work"):
                self.go(self.addresses(self.case)[name])
                self.find(".bay")
                for _ in range(60):
                    ActionChains(self.browser).send_keys(Keys.TAB).perform()  # and nothing else moves the page
                    under = self.browser.execute_script(COVERED)
                    if under:
                        covered.add(f"{name} at {size[0]}: {under}")
        self.assertEqual(covered, set())


class OnAPhone(MuchOnEveryPage):
    """What is otherwise on a phone than on a desk."""

    def setUp(self) -> None:
        super().setUp()
        self.case = self.case_with_much()
        self.sign_in()
        self.resize(*PHONE)

    def shown(self, selector: str) -> bool:
        return any(one.is_displayed() for one in self.browser.find_elements(By.CSS_SELECTOR, selector))

    def test_the_next_step_stands_on_top_and_the_stages_are_one_button(self) -> None:
        self.go(f"/cases/{self.case.pk}/read/")
        tops = "return ['.next-action', '.label', '.stages-button'].map(s =>"
        tops += " document.querySelector(s).getBoundingClientRect().top)"
        found = self.browser.execute_script(tops)
        self.assertEqual(found, sorted(found))
        self.assertLess(found[0], 120.0)
        self.assertFalse(self.shown(".tabs a"))
        self.press("all stages")
        self.assertTrue(self.shown(".tabs a"))
        self.find(".tabs a").send_keys(Keys.ESCAPE)
        self.assertFalse(self.shown(".tabs a"))
        self.press("all stages")
        self.press("Suspects", exact=False)
        self.see("Best explanation")
        self.assertFalse(self.shown(".top-more a"))
        self.find(".top-menu").click()
        self.assertTrue(self.shown(".top-more a"))

    def test_a_photograph_goes_straight_into_the_case(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            picture = Path(folder) / "plug.jpg"
            Image.new("RGB", (640, 480), "brown").save(picture)
            self.go(f"/cases/{self.case.pk}/read/")
            field = self.browser.find_element(By.CSS_SELECTOR, ".camera input[type=file]")
            self.assertEqual(field.get_attribute("capture"), "environment")
            field.send_keys(str(picture))
            self.see("The photograph is kept")
        self.assertIn(f"/cases/{self.case.pk}/read/", self.browser.current_url)
        self.assertEqual(self.case.photos.get().words, "Read")

    def test_readings_are_typed_on_a_pad_with_their_unit(self) -> None:
        self.go(f"/cases/{self.case.pk}/bench/hand/compression/")
        fields = [one for one in self.browser.find_elements(By.CSS_SELECTOR, "[data-pad]") if one.is_displayed()]
        self.assertEqual(len(fields), 4)
        self.browser.execute_script("arguments[0].click()", fields[0])
        self.see("Pressure, cylinder 1")
        self.assertEqual(self.find("#pad-unit").text, "kPa")
        for value in ("1180", "1210", "1195", "610"):  # one pad opens after the other
            for sign in value:
                self.find(f".pad-keys [data-sign='{sign}']").click()
            self.press("Take it")
        self.assertFalse(self.shown("#pad"))
        self.assertEqual([one.get_attribute("value") for one in fields], ["1180", "1210", "1195", "610"])
        self.press("Work it out")
        self.see("It comes to")
        self.press("Store")
        self._await(lambda _: HandMeasurement.objects.exists(), "nothing was stored", 15)

    def test_the_pad_takes_back_clears_and_gives_way(self) -> None:
        self.go(f"/cases/{self.case.pk}/bench/hand/compression/")
        field = self.find("[data-pad]")
        self.browser.execute_script("arguments[0].click()", field)
        for sign in ("1", "2", ".", "5", ".", "back", "minus"):
            self.find(f".pad-keys [data-sign='{sign}']").click()
        self.assertEqual(self.find("#pad-value").text, "-12.")
        self.find(".pad-keys [data-sign='clear']").click()
        self.assertEqual(self.find("#pad-value").text, "–")
        self.press("Type it, or with another unit")
        self.assertFalse(self.shown("#pad"))
        self.browser.switch_to.active_element.send_keys("170 psi")
        self.assertEqual(field.get_attribute("value"), "170 psi")

    def test_live_shows_big_numbers_and_the_strip_of_the_stand_in_folds(self) -> None:
        self.go(f"/cases/{self.case.pk}/live/")
        self.find(".big-numbers")
        self.assertFalse(self.shown(".bay-more"))
        self.press("Stand-in")
        self.assertTrue(self.shown(".bay-more"))
        self.go(f"/cases/{self.case.pk}/scan/")
        self.assertTrue(self.shown(".bay-more"))  # as it was left
        self.press("Stand-in")
        self.resize(*DESK)
        self.go(f"/cases/{self.case.pk}/scan/")
        self.assertFalse(self.shown(".bay-more"))

    def test_a_wide_circuit_is_moved_under_its_frame(self) -> None:
        self.go(f"/cases/{self.case.pk}/bench/circuits/feed_main/")
        frame = self.find(".pan")
        inner, outer = self.browser.execute_script("return [arguments[0].scrollWidth, arguments[0].clientWidth]", frame)
        self.assertGreater(inner, outer)
        frame.send_keys(Keys.ARROW_RIGHT)
        self._await(
            lambda b: b.execute_script("return arguments[0].scrollLeft", frame) > 0, "the circuit does not move", 5
        )
        self.assertEqual(TestRecord.objects.count(), 0)
