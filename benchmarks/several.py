#!/usr/bin/env python3
"""How many pages a second: one process with a file, one with PostgreSQL, and two more for pages beside it.

Twenty people ask without a pause for the pages of a case and of the shop, as fast as they come. The baseline is the one
process with its file, in the same run. Writes benchmarks/figures/several.json.

    .venv/bin/python -m benchmarks.several [CASES]
"""

from __future__ import annotations

import json
import platform
import sys
import tempfile
import threading
import time
from contextlib import ExitStack
from pathlib import Path

from benchmarks.shop import PEOPLE, Person, made, p95, served
from tools import postgres

ROOT = Path(__file__).resolve().parent.parent
ASKED_S = 25.0
PAGES = ("board", "cases:complaint", "suspects:suspects", "verdicts:repair", "reports:report", "cases", "found")


def pages_a_second(ports: list[int], pages: dict[str, str]) -> tuple[float, float]:
    """Pages a second over all people, and the time in milliseconds that nineteen of twenty keep."""
    people = [Person(ports[number % len(ports)], f"person{number}") for number in range(PEOPLE)]
    for port in ports:  # what a process does once after its start
        first = Person(port, "lena")
        for name in PAGES:
            first.took_ms(pages[name])
    times: list[float] = []
    until = time.monotonic() + ASKED_S

    def ask(number: int) -> None:
        turn = number
        while time.monotonic() < until:
            times.append(people[number].took_ms(pages[PAGES[turn % len(PAGES)]]))
            turn += 1

    threads = [threading.Thread(target=ask, args=(number,)) for number in range(PEOPLE)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return len(times) / ASKED_S, p95(times)


def main(cases: int) -> int:
    found: dict[str, tuple[float, float]] = {}
    with tempfile.TemporaryDirectory(prefix="gumshoe-several-") as top:
        file = Path(top) / "file"
        pages = made(file, cases)["pages"]
        with served(file) as port:
            found["one process, a file"] = pages_a_second([port], pages)
        with postgres.running() as address:
            told = {"GUMSHOE_DATABASE": address}
            folder = Path(top) / "server"
            pages = made(folder, cases, **told)["pages"]
            with served(folder, **told) as cars:
                found["one process, PostgreSQL"] = pages_a_second([cars], pages)
                with ExitStack() as more:
                    two = [more.enter_context(served(folder, GUMSHOE_PAGES_ONLY="1", **told)) for _ in range(2)]
                    found["two for pages beside it"] = pages_a_second(two, pages)
    base = found["one process, a file"][0]
    for name, (rate, slow) in found.items():
        print(f"{name:26} {rate:6.1f} pages/s ({rate / base:.2f} times), 95 % within {slow:6.0f} ms, {cases} cases")
    rows = {name: {"pages_per_s": round(rate, 1), "p95_ms": round(slow)} for name, (rate, slow) in found.items()}
    target = ROOT / "benchmarks" / "figures" / "several.json"
    target.write_text(json.dumps({"machine": platform.machine(), "cases": cases, "ways": rows}, indent=1) + "\n")
    return 0


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 1000))
