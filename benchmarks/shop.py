#!/usr/bin/env python3
"""Does the shop's past slow the present? Every page of the real server, with few and with many closed cases behind it.

Two shops with the same open case, grown by ``manage.py grow``'s own code, each served by a process of its own. One
person asks for every page in turn, once of the one and once of the other: p50 and p95 of the time until the whole page
is there. Then twenty people at once work with the large shop, each looking at a page for a second or three before the
next.
Baseline in the same run: a bare Django view of the same server, the sign-in page (a form and two questions to the
database). Writes benchmarks/figures/shop.json.

    .venv/bin/python benchmarks/shop.py [FEW MANY]
"""

from __future__ import annotations

import http.client
import json
import math
import os
import platform
import random
import re
import socket
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import urlencode

ROOT = Path(__file__).resolve().parent.parent
PASSWORD = "a password of the benchmark"
PEOPLE, WORK_S, LOOKED_AT_S = 20, 90.0, (1.0, 3.0)
ROUNDS, WARM = 25, 3
GOALS = {"growth": 1.3, "page": 5.0, "heart": 10.0, "queries": 25}
HEART = ("scans:read", "suspects:suspects", "proofs:prove")
BARE = "sign-in (bare)"


def make(number: int) -> None:
    """In a process of its own: the shop in ``GUMSHOE_DATA``; prints the addresses of its pages, and how often each asks
    the database when it is looked at again."""
    os.environ["DJANGO_SETTINGS_MODULE"] = "gumshoe.settings.base"
    os.environ["GUMSHOE_HOSTS"] = "testserver"
    sys.path.insert(0, str(ROOT))
    import django

    django.setup()
    from django.core.management import call_command
    from django.db import connection
    from django.test import Client

    from gumshoe.demo.growing import grow, settle
    from gumshoe.web.accounts.models import Role, User
    from gumshoe.web.proposal import services as offering
    from gumshoe.web.scans import services as scans
    from gumshoe.web.verdicts import services as verdicts
    from tests.web import support
    from tests.web.test_scale import pages

    call_command("migrate", verbosity=0, interactive=False)
    lead = User.objects.create_user("lena", password=PASSWORD, role=Role.LEAD)
    for person in range(PEOPLE):
        User.objects.create_user(f"person{person}", password=PASSWORD, role=Role.TECHNICIAN)
    case = support.case_of(lead, support.car("", "T 9"), "rough_idle")
    scans.type_in(case, lead, "P0171 confirmed P0303 pending")
    verdicts.give_verdict(case, lead, "crankcase_hose_split")
    offering.propose_line(case, lead, "renew_crankcase_hose")
    grow(lead, number)
    settle()
    client = Client()
    client.force_login(lead)
    asked: dict[str, int] = {}
    for name, address in pages(case).items():
        for _ in range(2):
            count = [0]

            def counted(execute, sql, params, many, context, count=count):  # type: ignore[no-untyped-def]
                count[0] += 1
                return execute(sql, params, many, context)

            with connection.execute_wrapper(counted):
                assert client.get(address).status_code == 200, address
        asked[name] = count[0]
    print(json.dumps({"pages": pages(case), "queries": asked}))


def made(folder: Path, number: int, **more: str) -> dict[str, dict[str, str]]:
    """A shop in a folder; the addresses of its pages and how often each asks the database."""
    done = subprocess.run(
        [sys.executable, str(Path(__file__).resolve()), "--make", str(number)],
        env=os.environ | {"GUMSHOE_DATA": str(folder)} | more, stdout=subprocess.PIPE, text=True, check=True,
    )  # fmt: skip
    found: dict[str, dict[str, str]] = json.loads(done.stdout.splitlines()[-1])
    return found


@contextmanager
def served(folder: Path, **more: str) -> Iterator[int]:
    """A server of the shop in a folder; its port. ``more``: of its environment."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    environment = os.environ | {"GUMSHOE_DATA": str(folder)} | more
    command = [sys.executable, "manage.py", "serve", "--port", str(port)]
    process = subprocess.Popen(command, cwd=ROOT, env=environment, stdout=subprocess.DEVNULL)
    try:
        until = time.monotonic() + 120.0
        while time.monotonic() < until:
            try:
                socket.create_connection(("127.0.0.1", port), 1.0).close()
                break
            except OSError:
                time.sleep(0.2)
        yield port
    finally:
        process.terminate()
        process.wait(60)


class Person:
    """Somebody with a browser: cookies, compressed pages, one connection."""

    def __init__(self, port: int, name: str) -> None:
        self.connection = http.client.HTTPConnection("127.0.0.1", port, timeout=120)
        self.cookies: dict[str, str] = {}
        if name:
            token = re.search(r'csrfmiddlewaretoken" value="(\w+)"', self.asked("GET", "/sign-in/", plain=True)[1])
            assert token
            told = {"username": name, "password": PASSWORD, "csrfmiddlewaretoken": token[1]}
            assert self.asked("POST", "/sign-in/", urlencode(told))[0] == 302

    def asked(self, method: str, address: str, body: str = "", *, plain: bool = False) -> tuple[int, str]:
        """The status and, where it comes plain, the page."""
        head = {"Cookie": "; ".join(f"{name}={value}" for name, value in self.cookies.items())}
        head |= {} if plain else {"Accept-Encoding": "gzip"}
        if body:
            head |= {"Content-Type": "application/x-www-form-urlencoded"}
        self.connection.request(method, address, body or None, head)
        answer = self.connection.getresponse()
        content = answer.read()
        for header, value in answer.getheaders():
            if header.lower() == "set-cookie":
                name, _, rest = value.partition("=")
                self.cookies[name] = rest.partition(";")[0]
        return answer.status, content.decode(errors="replace") if plain else ""

    def took_ms(self, address: str) -> float:
        """How long a page takes until all of it is there."""
        began = time.perf_counter()
        status, _ = self.asked("GET", address)
        assert status == 200, (status, address)
        return (time.perf_counter() - began) * 1000.0


def p95(times: list[float]) -> float:
    """The time that nineteen of twenty keep."""
    return sorted(times)[max(math.ceil(0.95 * len(times)) - 1, 0)]


def one_person(ports: dict[str, int], pages: dict[str, str]) -> dict[str, dict[str, list[float]]]:
    """The times of every page in each shop, taken in turn."""
    people = {size: Person(port, "lena") for size, port in ports.items()}
    strangers = {size: Person(port, "") for size, port in ports.items()}
    times: dict[str, dict[str, list[float]]] = {name: {size: [] for size in ports} for name in (*pages, BARE)}
    for turn in range(WARM + ROUNDS):
        for name, address in (*pages.items(), (BARE, "/sign-in/")):
            for size in ports:
                took = (strangers if name == BARE else people)[size].took_ms(address)
                if turn >= WARM:
                    times[name][size].append(took)
    return times


def many_people(port: int, pages: dict[str, str]) -> dict[str, list[float]]:
    """The times of every page while twenty people work."""
    times: dict[str, list[float]] = {name: [] for name in (*pages, BARE)}
    first = Person(port, "lena")
    for address in pages.values():  # what a server does once after its start
        first.took_ms(address)
    until = time.monotonic() + WORK_S

    def work(number: int) -> None:
        chance, person, stranger = random.Random(number), Person(port, f"person{number}"), Person(port, "")
        while time.monotonic() < until:
            name = chance.choice((*pages, BARE))
            took = (stranger if name == BARE else person).took_ms(pages.get(name, "/sign-in/"))
            times[name].append(took)
            time.sleep(chance.uniform(*LOOKED_AT_S))

    people = [threading.Thread(target=work, args=(number,)) for number in range(PEOPLE)]
    for thread in people:
        thread.start()
    for thread in people:
        thread.join()
    return times


def main(few: int, many: int) -> int:
    with tempfile.TemporaryDirectory(prefix="gumshoe-shop-") as top:
        told = {}
        for size, number in (("few", few), ("many", many)):
            began = time.monotonic()
            told[size] = made(Path(top) / size, number)
            print(f"{number} cases made in {time.monotonic() - began:.0f} s", flush=True)
        pages = told["many"]["pages"]
        with served(Path(top) / "few") as small, served(Path(top) / "many") as large:
            alone = one_person({"few": small, "many": large}, pages)
        with served(Path(top) / "many") as large:
            crowd = many_people(large, pages)
    bare = statistics.median(alone[BARE]["many"])
    bare_crowd = statistics.median(crowd[BARE])
    print(f"bare view: {bare:.1f} ms alone, {bare_crowd:.1f} ms among {PEOPLE} people; {few} and {many} closed cases")
    heads = f"{'few p50':>9}{'many p50':>9}{'p95':>8}{'growth':>8}{'bare':>7}{'queries':>9}"
    print(f"{'':22}{heads}   {PEOPLE} people p50    p95")
    rows = {}
    for name, by_size in alone.items():
        p50 = statistics.median(by_size["many"])
        row = rows[name] = {
            "few_ms": round(statistics.median(by_size["few"]), 1),
            "many_ms": round(p50, 1),
            "many_p95_ms": round(p95(by_size["many"]), 1),
            "growth": round(p50 / statistics.median(by_size["few"]), 2),
            "bare_views": round(p50 / bare, 1),
            "queries": [told[size]["queries"].get(name, 0) for size in ("few", "many")],
            "people_ms": round(statistics.median(crowd[name]), 1) if crowd[name] else None,
            "people_p95_ms": round(p95(crowd[name]), 1) if crowd[name] else None,
        }
        asked = f"{row['queries'][0]:5}→{row['queries'][1]:<3}"
        alone_ms = f"{row['few_ms']:9.1f}{row['many_ms']:9.1f}{row['many_p95_ms']:8.1f}{row['growth']:8.2f}"
        print(f"{name:22}{alone_ms}{row['bare_views']:7.1f}{asked}   {row['people_ms']:12} {row['people_p95_ms']:9}")
    pages_of = [(name, row) for name, row in rows.items() if name != BARE]
    beyond = [name for name, row in pages_of if row["bare_views"] > GOALS["heart" if name in HEART else "page"]]
    grown = [name for name, row in pages_of if row["growth"] > GOALS["growth"] or row["queries"][1] > row["queries"][0]]
    print(f"beyond {GOALS['page']:.0f} bare views ({GOALS['heart']:.0f} for the heart): {', '.join(beyond) or 'none'}")
    print(f"grown by more than {GOALS['growth']} times: {', '.join(grown) or 'none'}")
    print(f"most queries: {max(row['queries'][1] for _, row in pages_of)} (goal {GOALS['queries']})")
    figures = {"few": few, "many": many, "people": PEOPLE, "bare_ms": round(bare, 2)}
    figures["bare_people_ms"] = round(bare_crowd, 2)
    target = ROOT / "benchmarks" / "figures" / "shop.json"
    target.write_text(
        json.dumps({"machine": platform.machine(), **figures, "goals": GOALS, "pages": rows}, indent=1) + "\n",
        encoding="utf-8",
    )
    return 0


if __name__ == "__main__":
    if sys.argv[1:2] == ["--make"]:
        make(int(sys.argv[2]))
    else:
        sizes = [int(text) for text in sys.argv[1:3]]
        sys.exit(main(*(sizes if len(sizes) == 2 else (100, 10_000))))
