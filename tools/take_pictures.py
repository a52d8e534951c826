#!/usr/bin/env python3
"""Walk the demo's story in headless Chromium and take the pictures of docs/screenshots, at 1280 x 800.

The demo must be freshly loaded and running (python3 run.py demo). Uses the car that the demo leaves for the newcomer.

    .venv/bin/python tools/take_pictures.py [ADDRESS]
"""

from __future__ import annotations

import sys
import time
from pathlib import Path

from selenium import webdriver
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import WebDriverWait

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from tests.journeys.chromium import open_browser  # noqa: E402

SHOTS = ROOT / "docs" / "screenshots"


class Walk:
    """One newcomer at the demo."""

    def __init__(self, address: str) -> None:
        self.address, self.browser = address, open_browser()
        self.browser.execute_cdp_cmd(
            "Emulation.setDeviceMetricsOverride",
            {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False},
        )

    def go(self, path: str) -> None:
        """Open a page and let it settle."""
        self.browser.get(self.address + path)
        time.sleep(0.8)

    def press(self, words: str, wait: float = 60.0) -> None:
        """Click what shows these words, once it can be clicked."""
        path = f"//*[self::button or self::a or self::label][contains(normalize-space(.), '{words}')]"

        def ready(browser: webdriver.Chrome) -> object:
            return next(
                (e for e in browser.find_elements(By.XPATH, path) if e.is_displayed() and e.is_enabled()), False
            )

        element = WebDriverWait(self.browser, wait).until(ready, words)
        self.browser.execute_script("arguments[0].click()", element)
        time.sleep(0.5)

    def see(self, words: str, wait: float = 60.0) -> None:
        """Wait for words."""
        WebDriverWait(self.browser, wait).until(lambda b: words in b.find_element(By.TAG_NAME, "body").text, words)

    def shot(self, name: str) -> None:
        """Keep the picture."""
        self.browser.execute_script("document.activeElement && document.activeElement.blur()")
        self.browser.save_screenshot(str(SHOTS / f"{name}.png"))
        print(name)


def main(address: str) -> int:
    """The whole walk."""
    walk = Walk(address)
    password = (ROOT / "data/demo/sign-in.txt").read_text().strip()
    walk.go("/sign-in/")
    walk.browser.find_element(By.NAME, "username").send_keys("runa")
    walk.browser.find_element(By.NAME, "password").send_keys(password)
    walk.press("Sign in")
    for path, name in (
        ("/cases/2/misfire/", "misfire"),
        ("/cases/13/repair/lines/", "proposal"),
    ):
        walk.go(path)
        walk.shot(name)
    walk.go("/practice/")
    walk.press("Go on")
    on_hand = walk.browser.current_url.split("/cases/")[1].split("/")[0]
    walk.go(f"/cases/{on_hand}/scan/")
    walk.shot("exercise")
    walk.go("/practice/progress/")
    walk.press("P-0001")
    walk.shot("debrief")
    walk.go("/cases/10/complaint/")
    walk.press("comeback?")
    walk.shot("history")
    walk.go("/cases/5/bench/circuits/purge_valve/")
    walk.press("Key on")
    walk.see("key on")
    walk.go("/cases/5/bench/circuits/purge_valve/?with=LAMP&plus=feed&minus=control&command=100&off=part")
    walk.shot("circuit")
    walk.go("/cases/")
    walk.shot("cases")
    walk.go("/cases/new/")
    walk.browser.find_element(By.ID, "id_bay_here").send_keys("5")
    walk.browser.find_element(By.ID, "id_q").send_keys("hq204")
    time.sleep(1)
    walk.press("HQ 204")
    walk.browser.find_element(By.NAME, "text").send_keys(
        "Uneven idle at every stop of the round, a little too high. The lamp has been on for two days, steady."
    )
    for words in ("uneven idle", "idle too high"):
        walk.press(words)
    walk.browser.find_element(By.CSS_SELECTOR, "input[name='lamp'][value='steady']").click()
    walk.browser.find_element(By.NAME, "odometer_km").send_keys("96412")
    walk.shot("complaint")
    walk.press("Store the complaint")
    case = walk.browser.current_url.split("/cases/")[1].split("/")[0]
    walk.press("Key on")
    walk.see("key on")
    walk.press("Scan now")
    walk.see("Scan stored")
    walk.go(f"/cases/{case}/scan/")
    walk.shot("scan")
    walk.go(f"/cases/{case}/read/")
    walk.shot("read")
    walk.go(f"/cases/{case}/live/")
    walk.press("Start")
    walk.see("Engine: warm idle")
    time.sleep(25)
    walk.press("Warm idle")
    time.sleep(18)
    walk.press("Hold 2500")
    walk.see("Engine: 2500 rpm")
    time.sleep(12)
    walk.press("2500 rpm")
    time.sleep(18)
    walk.see("g/s of air")
    time.sleep(14)
    walk.shot("live")
    walk.press("Let go")
    walk.press("Key off")
    walk.go(f"/cases/{case}/suspects/")
    walk.shot("suspects")
    walk.go(f"/cases/{case}/bench/look_hoses/")
    walk.press("crankcase hose split")
    walk.shot("test")
    walk.press("Store and judge")
    walk.go(f"/cases/{case}/bench/smoke_intake/")
    walk.browser.find_element(By.CSS_SELECTOR, "input[value='crankcase ventilation hose']").click()
    walk.press("Store and judge")
    walk.go(f"/cases/{case}/repair/?suspect=crankcase_hose_split")
    walk.press("Store the verdict")
    walk.press("oil mist and heat harden the rubber until it cracks at the bend")
    walk.press("Store the reason")
    walk.shot("repair")
    walk.press("To the proposal")
    walk.press("Propose")
    walk.press("Record")
    walk.press("3 · Work")
    walk.press("air-flow meter unplugged")
    walk.press("Night bay")
    walk.shot("work")
    walk.press("Night bay")
    walk.press("Key on")
    walk.see("key on")
    time.sleep(3)
    walk.press("Back in place")
    walk.press("Done")
    walk.go(f"/cases/{case}/scan/")
    walk.press("Scan again")
    walk.see("Scan stored")
    walk.go(f"/cases/{case}/clear/")
    walk.shot("clear")
    walk.press("Clear the codes of every module")
    walk.see("scanned again at once")
    walk.press("Drive the stand-in")
    time.sleep(12)
    walk.shot("prove")
    walk.see("Verdicts given", 120)
    walk.go(f"/cases/{case}/report/")
    walk.shot("report")
    walk.go("/")
    walk.shot("board")
    walk.browser.quit()
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8000"))
