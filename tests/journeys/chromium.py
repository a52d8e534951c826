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


WITHOUT_WINDOWS = Path("/usr/lib/chromium/chromium-headless-shell")
"""The program itself: what is on the path only starts it, and would be ended without it."""


def open_browser() -> webdriver.Chrome:
    """A new headless browser that logs its console and its requests: Chromium without its windows (a package of its
    own, a third of the work), or the whole one."""
    options = webdriver.ChromeOptions()
    for flag in FLAGS:
        options.add_argument(flag)
    whole = shutil.which("chromium") or "/usr/bin/chromium"
    options.binary_location = str(WITHOUT_WINDOWS) if WITHOUT_WINDOWS.exists() else whole
    options.set_capability("goog:loggingPrefs", {"browser": "ALL", "performance": "ALL"})
    driver = shutil.which("chromedriver") or "/usr/bin/chromedriver"
    return webdriver.Chrome(options=options, service=webdriver.ChromeService(driver))
