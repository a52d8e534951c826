#!/usr/bin/env python3
"""Does the shop's past slow the present? Every page with few and with many closed cases behind it.

The same open case each time; closed ones are written in bulk. Baseline in the same run: the sign-in page, which asks
the database for nothing. Prints medians, their ratio to the baseline and to the small shop, and the number of queries.
Writes benchmarks/figures/shop.json.

    .venv/bin/python benchmarks/shop.py [FEW MANY]
"""

from __future__ import annotations

import json
import os
import platform
import statistics
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))
os.environ["GUMSHOE_DATA"] = tempfile.mkdtemp(prefix="gumshoe-shop-")
os.environ["DJANGO_SETTINGS_MODULE"] = "gumshoe.settings.test"

import django  # noqa: E402

django.setup()

from django.core.management import call_command  # noqa: E402
from django.db import connection  # noqa: E402
from django.test import Client  # noqa: E402
from django.test.utils import setup_test_environment  # noqa: E402

from gumshoe.web.accounts.models import Role  # noqa: E402
from gumshoe.web.repairs import offering, verdicts  # noqa: E402
from gumshoe.web.scans import services as scans  # noqa: E402
from tests.web import support  # noqa: E402
from tests.web.grown import grow  # noqa: E402
from tests.web.test_scale import pages  # noqa: E402

ROUNDS = 11
GOAL = 1.5


def median_ms(client: Client, address: str) -> tuple[float, int]:
    """The median processor time of a page in milliseconds (another load does not change it), and its queries."""
    asked: list[str] = []

    def count(execute: Any, sql: str, *rest: Any) -> Any:
        asked.append(sql)
        return execute(sql, *rest)

    connection.ensure_connection()
    with connection.execute_wrapper(count):
        assert client.get(address).status_code == 200, address
    times = []
    for _ in range(ROUNDS):
        began = time.process_time()
        client.get(address)
        times.append((time.process_time() - began) * 1000.0)
    return statistics.median(times), len(asked)


def main(few: int, many: int) -> int:
    setup_test_environment()
    call_command("migrate", verbosity=0, interactive=False)
    lead = support.person("lena", Role.LEAD)
    case = support.case_of(lead, support.car("", "T 9"), "rough_idle")
    scans.type_in(case, lead, "P0171 confirmed P0303 pending")
    verdicts.give_verdict(case, lead, "crankcase_hose_split")
    offering.propose_line(case, lead, "renew_crankcase_hose")
    client, stranger = Client(), Client()
    client.force_login(lead)
    found: dict[str, dict[str, float]] = {}
    baselines = []
    grown = 0
    for size, number in (("few", few), ("many", many)):
        grow(lead, number - grown, size)
        grown = number
        baselines.append(median_ms(stranger, "/sign-in/")[0])
        for name, address in pages(case).items():
            ms, queries = median_ms(client, address)
            found.setdefault(name, {})[f"{size}_ms"] = round(ms, 2)
            found[name][f"{size}_queries"] = queries
    bare = statistics.median(baselines)
    print(f"bare view (sign-in page): {bare:.2f} ms; {few} and {many} closed cases, medians of {ROUNDS}")
    worst = 0.0
    for name, row in found.items():
        ratio = row["many_ms"] / row["few_ms"]
        worst = max(worst, ratio)
        print(
            f"{name:22} {row['few_ms']:8.1f} ms → {row['many_ms']:8.1f} ms   {ratio:5.2f} times   "
            f"{row['many_ms'] / bare:6.1f} bare views   {row['few_queries']} → {row['many_queries']} queries"
        )
    most = max(row["many_queries"] for row in found.values())
    print(f"worst growth {worst:.2f} times (goal {GOAL}); most queries {most}")
    figures = {"few": few, "many": many, "bare_ms": round(bare, 3), "pages": found, "worst_growth": round(worst, 3)}
    target = ROOT / "benchmarks" / "figures" / "shop.json"
    target.write_text(json.dumps({"machine": platform.machine(), **figures}, indent=1) + "\n", encoding="utf-8")
    return 0


if __name__ == "__main__":
    sizes = [int(text) for text in sys.argv[1:3]]
    sys.exit(main(*(sizes if len(sizes) == 2 else (15, 1000))))
