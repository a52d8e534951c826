#!/usr/bin/env python3
"""Does the shop's past slow the present? Every page with few and with many closed cases behind it.

The same open case each time; closed ones are written in bulk. Baseline in the same run: the sign-in page, which asks
the database for the settings and whether anybody is known. Prints medians, their ratio to the baseline and to the small
shop, and the number of queries. Writes benchmarks/figures/shop.json.

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
from gumshoe.web.finding import services as finding  # noqa: E402
from gumshoe.web.proposal import services as offering  # noqa: E402
from gumshoe.web.scans import services as scans  # noqa: E402
from gumshoe.web.verdicts import services as verdicts  # noqa: E402
from tests.web import support  # noqa: E402
from tests.web.grown import grow  # noqa: E402
from tests.web.test_scale import pages  # noqa: E402

ROUNDS = 11
GOAL = 1.5


class Shop:
    """One of two shops of the same open case, each in a database of its own."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def open(self) -> None:
        """From here on requests go to this shop."""
        connection.close()
        connection.settings_dict["NAME"] = str(self.path)
        connection.ensure_connection()


def spent_ms(client: Client, address: str) -> float:
    """The processor time of a page in milliseconds: another load does not change it."""
    began = time.process_time()
    assert client.get(address).status_code == 200, address
    return (time.process_time() - began) * 1000.0


def queries_of(client: Client, address: str) -> int:
    """How often a page asks the database."""
    asked: list[str] = []

    def count(execute: Any, sql: str, *rest: Any) -> Any:
        asked.append(sql)
        return execute(sql, *rest)

    with connection.execute_wrapper(count):
        client.get(address)
    return len(asked)


def build(few: int, many: int) -> tuple[dict[str, Shop], Client, dict[str, str]]:
    """Both shops, somebody signed in at either, and the addresses of the pages."""
    call_command("migrate", verbosity=0, interactive=False)
    lead = support.person("lena", Role.LEAD)
    case = support.case_of(lead, support.car("", "T 9"), "rough_idle")
    scans.type_in(case, lead, "P0171 confirmed P0303 pending")
    verdicts.give_verdict(case, lead, "crankcase_hose_split")
    offering.propose_line(case, lead, "renew_crankcase_hose")
    client = Client()
    client.force_login(lead)
    shops = {}
    for size, number, more in (("few", few, few), ("many", many, many - few)):
        grow(lead, more, size)
        finding.catch_up()
        shops[size] = Shop(Path(os.environ["GUMSHOE_DATA"]) / f"{size}-{number}.sqlite3")
        connection.cursor().execute("VACUUM INTO %s", [str(shops[size].path)])
    return shops, client, pages(case)


def main(few: int, many: int) -> int:
    setup_test_environment()
    shops, client, addresses = build(few, many)
    stranger = Client()
    bare = statistics.median(spent_ms(stranger, "/sign-in/") for _ in range(ROUNDS))
    print(f"bare view (sign-in page): {bare:.2f} ms; {few} and {many} closed cases, medians of {ROUNDS}, taken in turn")
    found: dict[str, dict[str, float]] = {}
    for name, address in addresses.items():
        times: dict[str, list[float]] = {size: [] for size in shops}
        row = found[name] = {}
        for turn in range(ROUNDS):
            for size, shop in shops.items():  # in turn: the machine is as fast for one as for the other
                shop.open()
                asked = queries_of(client, address)
                if turn == 0:
                    row[f"{size}_queries"] = asked
                times[size].append(spent_ms(client, address))
        row |= {f"{size}_ms": round(statistics.median(taken), 2) for size, taken in times.items()}
        row["growth"] = round(statistics.median(b / a for a, b in zip(times["few"], times["many"], strict=True)), 3)
        print(
            f"{name:22} {row['few_ms']:8.1f} ms → {row['many_ms']:8.1f} ms   {row['growth']:5.2f} times   "
            f"{row['many_ms'] / bare:6.1f} bare views   {row['few_queries']} → {row['many_queries']} queries"
        )
    worst, most = max(row["growth"] for row in found.values()), max(row["many_queries"] for row in found.values())
    print(f"worst growth {worst:.2f} times (goal {GOAL}); most queries {most}")
    figures = {"few": few, "many": many, "bare_ms": round(bare, 3), "pages": found, "worst_growth": worst}
    target = ROOT / "benchmarks" / "figures" / "shop.json"
    target.write_text(json.dumps({"machine": platform.machine(), **figures}, indent=1) + "\n", encoding="utf-8")
    return 0


if __name__ == "__main__":
    sizes = [int(text) for text in sys.argv[1:3]]
    sys.exit(main(*(sizes if len(sizes) == 2 else (15, 1000))))
