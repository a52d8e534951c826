#!/usr/bin/env python3
"""Live data in size: pan and zoom of an hour of 24 channels at 10 Hz in headless Chromium, the page's memory, bytes a
sample on disk, what twenty browsers at one car cost the server, and reading a CSV of a million samples.

Baselines in the same run: the same browser drawing an empty canvas at every frame (what it can do at all), and pandas
reading the same CSV. Writes benchmarks/figures/charts.json.

    .venv/bin/python benchmarks/charts.py
"""

from __future__ import annotations

import io
import json
import os
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))
os.environ["DJANGO_SETTINGS_MODULE"] = "gumshoe.settings.test"
os.environ.setdefault("GUMSHOE_DATA", tempfile.mkdtemp())

import django  # noqa: E402

django.setup()

import numpy as np  # noqa: E402
import pandas as pd  # noqa: E402
from django.contrib.staticfiles.testing import StaticLiveServerTestCase  # noqa: E402
from django.test.utils import get_runner  # noqa: E402
from selenium.webdriver.common.by import By  # noqa: E402

from gumshoe.core.signals.recording import Channel  # noqa: E402
from gumshoe.core.signals.recording import Recording as Samples  # noqa: E402
from gumshoe.core.signals.strips import channels_of  # noqa: E402
from gumshoe.core.signals.tables import read_table  # noqa: E402

CHANNELS, HZ, SECONDS = 24, 10, 3600
LEAST_FPS, MOST_MB, MOST_BYTES, MOST_TIMES = 30.0, 250.0, 6.0, 3.0
MOST_CORE_PCT = 20.0
FRAMES = 120
BROWSERS, ASKS_EVERY_S, LOOKS_EVERY = 20, 0.4, 3
"""What a page does: see live.js."""
figures: dict[str, Any] = {}

MOVE = """
const done = arguments[arguments.length - 1], frames = arguments[0];
const strips = Alpine.$data(document.querySelector('[x-data=replay]')).strips;
const first = strips.begin(), last = strips.newest(), whole = last - first;
let n = 0, began = performance.now();
function frame() {
  n += 1;
  const share = n / frames, wide = whole * (0.05 + 0.9 * Math.abs(Math.cos(3 * share)));
  strips.x0 = first + (whole - wide) * share; strips.x1 = strips.x0 + wide; strips.draw();
  if (n < frames) requestAnimationFrame(frame); else done(1000 * frames / (performance.now() - began));
}
requestAnimationFrame(frame);
"""
MEMORY = """
let held = performance.memory.usedJSHeapSize;
const strips = Alpine.$data(document.querySelector('[x-data=replay]')).strips;
for (const key in strips.columns) held += strips.columns[key].t.byteLength + strips.columns[key].v.byteLength;
return held;
"""
EMPTY = """
const done = arguments[arguments.length - 1], frames = arguments[0];
const canvas = document.createElement('canvas'); canvas.width = 1200; canvas.height = 700; document.body.append(canvas);
let n = 0, began = performance.now();
function frame() {
  n += 1; canvas.getContext('2d').clearRect(0, 0, 1200, 700);
  if (n < frames) requestAnimationFrame(frame);
  else { canvas.remove(); done(1000 * frames / (performance.now() - began)); }
}
requestAnimationFrame(frame);
"""


def signals() -> dict[str, Channel]:
    """An hour of 24 channels that walk about, told as finely as their channels are."""
    draw = np.random.default_rng(1)
    told = [key for key, row in channels_of_car().items() if row.source == "service 01"][:CHANNELS]
    found = {}
    for key in told:
        times = 1.7e9 + np.arange(SECONDS * HZ) / HZ + draw.normal(0.0, 0.003, SECONDS * HZ)
        step = channels_of_car()[key].step
        found[key] = Channel(times, step * np.rint(np.cumsum(draw.normal(0.0, 1.5, times.size))))
    return found


def channels_of_car() -> Any:
    from gumshoe.core.knowledge.platform import platforms

    return channels_of(platforms()["ostrel_tern_16"].powertrain)


class Charts(StaticLiveServerTestCase):
    """Runs as a test so that it has a database and a server; its figures are printed, not asserted."""

    def test_an_hour(self) -> None:
        from gumshoe.web.live import looking, store
        from tests.journeys.chromium import open_browser
        from tests.web import support

        person = support.person()
        case = support.case_of(person, support.car())
        columns = signals()
        began = time.perf_counter()
        recording = store.keep(case, person, Samples(columns), looking.steps(case, columns), label="an hour")
        figures["store_s"] = round(time.perf_counter() - began, 2)
        count = sum(channel.times.size for channel in columns.values())
        figures["samples"] = count
        held = sum(len(chunk.data) for chunk in recording.chunks.all())
        figures["bytes_a_sample"] = round(held / count, 2)
        browser = open_browser()
        try:
            size = {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False}
            browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
            browser.get(f"{self.live_server_url}/sign-in/")
            browser.find_element(By.NAME, "username").send_keys("tess")
            browser.find_element(By.NAME, "password").send_keys(support.PASSWORD)
            browser.find_element(By.CSS_SELECTOR, "form .btn").click()
            time.sleep(1)
            browser.get(f"{self.live_server_url}/cases/{case.pk}/live/recordings/{recording.pk}/")
            began = time.perf_counter()
            loaded = "return Alpine.$data(document.querySelector('[x-data=replay]')).loading"
            while browser.execute_script(loaded):
                time.sleep(0.1)
            figures["load_s"] = round(time.perf_counter() - began, 2)
            browser.set_script_timeout(120)
            figures["strips"] = len(browser.find_elements(By.CSS_SELECTOR, ".strip"))
            figures["empty_fps"] = round(browser.execute_async_script(EMPTY, FRAMES), 1)
            figures["pan_zoom_fps"] = round(browser.execute_async_script(MOVE, FRAMES), 1)
            browser.execute_cdp_cmd("HeapProfiler.enable", {})
            browser.execute_cdp_cmd("HeapProfiler.collectGarbage", {})
            figures["page_mb"] = round(browser.execute_script(MEMORY) / 1e6, 1)
        finally:
            browser.quit()

    def test_twenty_browsers_at_one_car(self) -> None:
        from gumshoe.web.live import looking
        from tests.web import support

        person = support.person()
        runner = support.start(support.stand_in())
        case = support.case_of(person, support.car())
        runner.key("on")
        runner.key("start")
        self.client.force_login(person)
        keys = ",".join(looking.looking(case, person).keys)
        url = f"/cases/{case.pk}/live/news/?keys={keys}&cursor="
        cursor = self.client.get(f"{url}0").json()["cursor"]
        time.sleep(3.0)
        began, asked = time.thread_time(), 90
        for number in range(asked):
            look = "&look=1" if number % LOOKS_EVERY == 0 else ""
            cursor = self.client.get(f"{url}{cursor}{look}").json()["cursor"]
        each = (time.thread_time() - began) / asked
        support.stop_everything()
        figures["news_cpu_ms"] = round(1000.0 * each, 2)
        figures["twenty_browsers_core_pct"] = round(100.0 * BROWSERS * each / ASKS_EVERY_S, 1)

    def test_a_million_samples_of_csv(self) -> None:
        draw = np.random.default_rng(2)
        table = pd.DataFrame({"time [s]": np.arange(50_000) * 0.1})
        for number in range(20):
            table[f"c{number} [V]"] = np.round(draw.normal(5.0, 2.0, 50_000), 3)
        data = table.to_csv(index=False).encode()
        times: dict[str, list[float]] = {"pandas": [], "ours": []}
        for _ in range(5):
            began = time.perf_counter()
            pd.read_csv(io.BytesIO(data))
            times["pandas"].append(time.perf_counter() - began)
            began = time.perf_counter()
            read_table(data, channels_of_car())
            times["ours"].append(time.perf_counter() - began)
        figures["csv_s"] = round(min(times["ours"]), 3)
        figures["csv_pandas_s"] = round(min(times["pandas"]), 3)
        figures["csv_ratio"] = round(figures["csv_s"] / figures["csv_pandas_s"], 2)


def main() -> int:
    """Run, print, write the figures; the exit code says whether the goals hold."""
    from django.conf import settings

    runner = get_runner(settings)(verbosity=0)
    failed = runner.run_tests(["benchmarks.charts"])
    folder = ROOT / "benchmarks" / "figures"
    (folder / "charts.json").write_text(json.dumps(figures, indent=1) + "\n", encoding="utf-8")
    print(json.dumps(figures, indent=1))
    holds = (
        not failed
        and figures["pan_zoom_fps"] >= LEAST_FPS
        and figures["page_mb"] <= MOST_MB
        and figures["bytes_a_sample"] <= MOST_BYTES
        and figures["twenty_browsers_core_pct"] <= MOST_CORE_PCT
        and figures["csv_ratio"] <= MOST_TIMES
    )
    return 0 if holds else 1


if __name__ == "__main__":
    from benchmarks import charts  # the class that runs is the module's, so its figures are too

    raise SystemExit(charts.main())
