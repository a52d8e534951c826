"""A shop with a past, for measuring: so many closed cases, each with what a case leaves behind.

Customers with cars that come again, complaint, scan, tests by hand, verdict, offer, answer, work, clearing, scan after
it and judgement. Faults are those of the tables, each about as often as its rate says. Written in bulk, since it is
ballast: what matters is that it is there in the amounts and the variety a shop has after some years. The same number
makes the same shop.
"""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from decimal import Decimal
from functools import cache
from typing import Any

from django.db import transaction
from django.utils import timezone

from gumshoe.core.knowledge.catalogue import Knowledge, expand
from gumshoe.core.knowledge.parts import GENERIC
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.obd.stored import plain_snapshot
from gumshoe.core.obd.typed import read_typed
from gumshoe.web.accounts.models import User
from gumshoe.web.bench.models import TestRecord
from gumshoe.web.cases.models import Case, Complaint, Note, State
from gumshoe.web.clearing.models import Clearing
from gumshoe.web.finding import services as finding
from gumshoe.web.history import sums
from gumshoe.web.proofs.models import Judgement
from gumshoe.web.proposal.models import Answer, Line
from gumshoe.web.scans.models import Scan
from gumshoe.web.settings.models import Settings
from gumshoe.web.vehicles import description
from gumshoe.web.vehicles.models import Customer, Owning, Vehicle
from gumshoe.web.verdicts.models import Verdict
from gumshoe.web.work.models import Work

AT_ONCE, CASES_A_CAR = 500, 2
KINDS = ("ostrel_tern_16", "havsel_skua_14", "")
HOURS_A_CASE, BEFORE_DAYS = 1.4, 2.0
"""Some six cases a working day, the last two days ago."""
PREFIX = "G"
VERDICTS = ("proven", "proven", "proven", "came back", "not yet")
WORDS = (
    "lamp on",
    "jerks when cold",
    "hard to start",
    "no power uphill",
    "whistles",
    "smells of fuel",
    "idles unevenly",
)
NAMES = ("Alder", "Birch", "Cedar", "Elm", "Hazel", "Juniper", "Larch", "Maple", "Rowan", "Willow")
SEED = 20261201


@dataclass(frozen=True)
class Told:
    """A fault as it is met: its code, its suspect, what cures it, and on which part."""

    codes: str
    suspect: str
    repair: str
    component: str


@cache
def _known(platform: str) -> Knowledge:
    held = platforms().get(platform)
    return expand(description.powertrain_of(Vehicle(platform=platform)), held.local if held else GENERIC)


@cache
def tests(platform: str) -> tuple[tuple[str, str], ...]:
    """Tests by hand with one of their outcomes."""
    return tuple((row.id, outcome.id) for row in _known(platform).tests.values() for outcome in row.outcomes)


@cache
def faults(platform: str) -> tuple[tuple[Told, ...], tuple[float, ...]]:
    """What cars of this platform have, and how often."""
    knowledge = _known(platform)
    rows = [fault for fault in knowledge.faults.values() if fault.codes and fault.repair]
    told = (
        Told(f"{max(row.codes, key=lambda code: row.codes[code])} confirmed", row.id, row.repair, row.component)
        for row in rows
    )
    return tuple(told), tuple(row.rate for row in rows)


@cache
def _snapshot(codes: str) -> dict[str, object]:
    """A scan with these codes; with none, where there are none."""
    told = read_typed(codes or "P0420")
    if not codes:
        told = replace(told, modules=tuple(replace(module, codes=()) for module in told.modules))
    return plain_snapshot(told)


def grow(user: User, number: int, prefix: str = "G", told: Callable[[int], None] = lambda done: None) -> None:
    """Add so many closed cases on cars of their own. ``told``: how many are done, as it goes on. What is found and what
    is summed up follow by themselves; ``settle`` does it at once."""
    chance = random.Random(f"{SEED} {prefix}")  # no secret
    began = timezone.now() - timedelta(days=BEFORE_DAYS, hours=HOURS_A_CASE * number)
    vehicles: list[Vehicle] = []
    for start in range(0, number, AT_ONCE):
        with transaction.atomic():
            size = min(AT_ONCE, number - start)
            wanted = (start + size - 1) // CASES_A_CAR + 1 - len(vehicles)
            vehicles += _cars(chance, prefix, len(vehicles), wanted)
            at = [began + timedelta(hours=HOURS_A_CASE * n) for n in range(start, start + size)]
            cars = [vehicles[n // CASES_A_CAR] for n in range(start, start + size)]
            _fill(user, chance, _cases(user, prefix, start, at, cars), at, start)
        told(start + size)
    Settings.learnt()


def settle(told: Callable[[str], None] = lambda words: None) -> None:
    """Put what was added into the search and into the shop's sums."""
    told("counting …")
    while sums.count_some():
        pass
    told("making the index of the search …")
    finding.catch_up()


def _cars(chance: random.Random, prefix: str, first: int, number: int) -> list[Vehicle]:
    owners = Customer.objects.bulk_create(
        Customer(name=f"{chance.choice(NAMES)} {prefix}{n}", phone=f"555 {n:06d}") for n in range(first, first + number)
    )
    cars = Vehicle.objects.bulk_create(
        Vehicle(
            plate=f"{prefix}{first + n}", make="Ostrel", model="Tern 1.6", year=2015,
            platform=KINDS[(first + n) % len(KINDS)], customer=owners[n],
        )
        for n in range(number)
    )  # fmt: skip
    Owning.objects.bulk_create(Owning(vehicle=car, customer=car.customer) for car in cars)
    return cars


def _cases(user: User, prefix: str, start: int, at: list[datetime], cars: list[Vehicle]) -> list[Case]:
    rows = Case.objects.bulk_create(
        Case(
            number=f"{prefix}-{start + n:05d}", vehicle=car, customer_id=car.customer_id, opened_at=at[n],
            opened_by=user, closed_at=at[n] + timedelta(hours=5), bay=str(1 + (start + n) % 4),
        )
        for n, car in enumerate(cars)
    )  # fmt: skip
    State.objects.bulk_create(State(case=case) for case in rows)
    return rows


def _fill(user: User, chance: random.Random, cases: list[Case], at: list[datetime], start: int) -> None:
    def when(place: int, minutes: int) -> datetime:
        return at[place] + timedelta(minutes=minutes)

    def rows(model: Any, minutes: int, *values: dict[str, Any]) -> list[Any]:
        return list(
            model.objects.bulk_create(
                model(case=case, by=user, at=when(n, minutes), **values[n]) for n, case in enumerate(cases)
            )
        )

    told = [chance.choices(*faults(case.vehicle.platform))[0] for case in cases]
    km = [40_000 + 9_000 * ((start + n) % 9) for n in range(len(cases))]
    words = [chance.choice(WORDS) for _ in cases]
    rows(
        Complaint,
        1,
        *({"text": word, "lamp": "steady", "odometer_km": far} for word, far in zip(words, km, strict=True)),
    )
    scans = rows(Scan, 5, *({"link": "typed in", "snapshot": _snapshot(row.codes)} for row in told))
    for minutes in (12, 20, 27):
        done = [chance.choice(tests(case.vehicle.platform)) for case in cases]
        rows(TestRecord, minutes, *({"test": name, "outcome": outcome} for name, outcome in done))
    verdicts = rows(
        Verdict, 30,
        *({"suspect": row.suspect, "words": row.suspect.replace("_", " "), "probability": 0.9, "guess": False,
           "standing": "shown by a test"} for row in told),
    )  # fmt: skip
    lines = rows(
        Line, 40,
        *({"verdict": verdict, "repair": row.repair, "words": row.repair.replace("_", " "), "component": row.component,
           "minutes": 30, "parts": Decimal(40), "labour": Decimal(42)}
          for row, verdict in zip(told, verdicts, strict=True)),
    )  # fmt: skip
    rows(Answer, 50, *({"line": line, "kind": "approved", "who": "owner", "how": "by phone"} for line in lines))
    rows(
        Work, 90,
        *({"line": line, "part_make": ("Alpha", "Beta")[(start + n) % 2], "part_number": f"N-{start + n}",
           "odometer_km": km[n], "warranty_months": 24, "warranty_km": 40_000} for n, line in enumerate(lines)),
    )  # fmt: skip
    cleared = rows(Clearing, 100, *({"before": scan, "modules": []} for scan in scans))
    rows(Scan, 150, *({"link": "typed in", "snapshot": _snapshot("")} for _ in cases))
    rows(Note, 155, *({"text": f"{word}: gone on the drive, to be looked at again"} for word in words))
    rows(
        Judgement, 160,
        *({"clearing": row, "verdict": VERDICTS[(start + n) % len(VERDICTS)]} for n, row in enumerate(cleared)),
    )  # fmt: skip
