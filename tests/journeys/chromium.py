"""Start headless Chromium; needs no Django, so that tools can use it too."""

from __future__ import annotations

import shutil
from pathlib import Path

from selenium import webdriver

FLAGS = (
    "--headless",
    "--hide-scrollbars",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-dev-shm-usage",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--window-size=1280,800",
)


BESIDE = Path("/usr/lib/chromium/chromium-headless-shell")
"""The program itself: what is on the path only starts it, and would be ended without it."""
WITHOUT_WINDOWS = str(BESIDE) if BESIDE.exists() else ""


def open_browser() -> webdriver.Chrome:
    """A new headless browser that logs its console and its requests: Chromium without its windows (a package of its
    own, a third of the work), or the whole one."""
    options = webdriver.ChromeOptions()
    for flag in FLAGS:
        options.add_argument(flag)
    options.binary_location = next((path for path in (WITHOUT_WINDOWS, shutil.which("chromium")) if path), "")
    options.set_capability("goog:loggingPrefs", {"browser": "ALL", "performance": "ALL"})
    driver = shutil.which("chromedriver") or "/usr/bin/chromedriver"
    return webdriver.Chrome(options=options, service=webdriver.ChromeService(driver))
