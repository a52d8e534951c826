"""Headless Chromium for the journeys, and what must never happen in it."""

from __future__ import annotations

import base64
import json
import re
from pathlib import Path
from typing import Any
from urllib.parse import urlparse

from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from selenium import webdriver
from selenium.common.exceptions import StaleElementReferenceException, TimeoutException
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import WebDriverWait

from gumshoe.web.accounts.models import Role
from tests.journeys.chromium import open_browser
from tests.web import support

ROOT = Path(__file__).resolve().parents[2]
AXE = ROOT / "tests/vendor/axe/axe.min.js"
LOOK_AGAIN_S = 0.05


class Journey(StaticLiveServerTestCase):
    """A test in the browser. At its end the console must be silent and no other host may have been asked."""

    allowed_errors: tuple[str, ...] = ()

    def setUp(self) -> None:
        self.addCleanup(support.stop_everything)
        self.browser = open_browser()
        self.addCleanup(self.browser.quit)
        self.person = support.person("tess", Role.LEAD)

    def go(self, path: str) -> None:
        """Open a page of the application."""
        self.browser.get(self.live_server_url + path)

    def sign_in(self) -> None:
        """Sign in through the page."""
        self.go("/sign-in/")
        self.fill("username", "tess")
        self.fill("password", support.PASSWORD)
        self.press("Sign in")
        self.see("Cases on the board")

    def fill(self, name: str, text: str) -> None:
        """Type into the field of that name."""
        field = self.browser.find_element(By.NAME, name)
        field.clear()
        field.send_keys(text)

    def find(self, selector: str) -> WebElement:
        """The first element for a CSS selector, waited for."""
        return WebDriverWait(self.browser, 15, LOOK_AGAIN_S).until(lambda b: b.find_element(By.CSS_SELECTOR, selector))

    def press(self, words: str, *, wait: float = 15, exact: bool = False) -> None:
        """Click the visible, enabled button or link with these words (``exact``: with these and no others)."""
        text = f"normalize-space(.) = '{words}'" if exact else f"contains(normalize-space(.), '{words}')"
        path = f"//*[self::button or self::a or self::summary or self::label][{text}]"

        def ready(browser: webdriver.Chrome) -> WebElement | bool:
            for element in browser.find_elements(By.XPATH, path):
                if element.is_displayed() and element.is_enabled():
                    return element
            return False

        element = self._await(ready, f"no button “{words}”", wait)
        self.browser.execute_script("arguments[0].scrollIntoView({block: 'center'})", element)
        self.browser.execute_script("arguments[0].click()", element)

    def see(self, words: str, *, wait: float = 15) -> None:
        """The page shows these words."""
        self._await(lambda b: words in b.find_element(By.TAG_NAME, "body").text, f"“{words}” does not appear", wait)

    def _await(self, condition: Any, trouble: str, wait: float) -> Any:
        """Wait for a condition; a failure says what the page shows instead."""
        try:
            stale = [StaleElementReferenceException]
            return WebDriverWait(self.browser, wait, LOOK_AGAIN_S, ignored_exceptions=stale).until(condition)
        except TimeoutException:
            text = self.browser.find_element(By.TAG_NAME, "body").text
            raise AssertionError(f"{trouble} at {self.browser.current_url}; the page shows:\n{text[:1500]}") from None

    def resize(self, width: int, height: int) -> None:
        """Give the page this size."""
        self.browser.execute_cdp_cmd(
            "Emulation.setDeviceMetricsOverride",
            {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False},
        )

    def printed_pages(self, paper: dict[str, float] | None = None) -> int:
        """How many pages the browser prints this page on: A4, unless another paper (inches) is given."""
        size = (paper or {"paperWidth": 8.27, "paperHeight": 11.69}) | {"preferCSSPageSize": True}
        pdf = base64.b64decode(self.browser.execute_cdp_cmd("Page.printToPDF", size)["data"])
        return len(re.findall(rb"/Type\s*/Page[^s]", pdf))

    def axe(self, page: str) -> None:
        """No accessibility violation."""
        self.assertEqual(self.violations(), [], f"{page}: accessibility")

    def violations(self) -> list[str]:
        """What axe-core finds against by the rules of WCAG 2.0, 2.1 and 2.2, A and AA."""
        if not self.browser.execute_script("return Boolean(window.axe)"):
            self.browser.execute_script(AXE.read_text(encoding="utf-8"))
        # The strip lies over whatever stands there at the moment; that it can be scrolled free is a test of its own.
        result = self.browser.execute_async_script(
            "const told = arguments[arguments.length - 1], bars = document.querySelectorAll('.bay');"
            "const stand = way => { for (const bar of bars) bar.style.position = way; };"
            "const done = found => { stand(''); told(found); };"
            "stand('static');"
            "axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']})"
            ".then(done, e => done({violations: [{id: String(e), nodes: []}]}));"
        )
        return [
            f"{item['id']}: {item['nodes'][0]['html'][:140] if item['nodes'] else ''}" for item in result["violations"]
        ]

    def check_quiet(self) -> None:
        """The console holds no error, and every request went to this server."""
        said = [
            entry["message"] for entry in self.browser.get_log("browser") if entry["level"] in ("SEVERE", "WARNING")
        ]
        errors = [message for message in said if not any(part in message for part in self.allowed_errors)]
        self.assertEqual(errors, [])
        own = urlparse(self.live_server_url).netloc
        asked = set()
        for entry in self.browser.get_log("performance"):
            message = json.loads(entry["message"])["message"]
            if message["method"] == "Network.requestWillBeSent":
                url = urlparse(message["params"]["request"]["url"])
                if url.scheme in ("http", "https", "ws", "wss"):
                    asked.add(url.netloc)
        self.assertEqual(asked, {own})
