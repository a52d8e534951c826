"""A shop with a past: so many closed cases, each with complaint, scan, verdict, proposal, work, clearing and judgement.

Written in bulk, since it is ballast: what matters is that it is there in the amounts a shop has after some years.
"""

from __future__ import annotations

from datetime import datetime, timedelta
from decimal import Decimal

from django.utils import timezone

from gumshoe.core.obd.stored import plain_snapshot
from gumshoe.core.obd.typed import read_typed
from gumshoe.web.accounts.models import User
from gumshoe.web.cases.models import Case, Complaint
from gumshoe.web.clearing.models import Clearing
from gumshoe.web.proofs.models import Judgement
from gumshoe.web.proposal.models import Answer, Line
from gumshoe.web.scans.models import Scan
from gumshoe.web.vehicles.models import Vehicle
from gumshoe.web.verdicts.models import Verdict
from gumshoe.web.work.models import Work

FAULTS = (
    ("P0171 confirmed", "crankcase_hose_split", "renew_crankcase_hose", "crankcase_hose"),
    ("P0303 confirmed", "coil_breakdown_3", "renew_coil_3", "ignition_coil_3"),
    ("P0455 confirmed", "cap_loose", "renew_cap", "filler_cap"),
    ("P0420 confirmed", "catalyst_worn", "renew_catalyst", "catalyst"),
)
CASES_A_CAR = 3
KINDS = ("ostrel_tern_16", "havsel_skua_14", "")


def grow(user: User, number: int, prefix: str = "G") -> None:
    """Add so many closed cases on cars of their own."""
    began = timezone.now() - timedelta(days=2000)
    cars = Vehicle.objects.bulk_create(
        Vehicle(plate=f"{prefix}{n}", make="Ostrel", model="Tern 1.6", year=2015, platform=KINDS[n % len(KINDS)])
        for n in range(number // CASES_A_CAR + 1)
    )
    at = [began + timedelta(hours=40 * n) for n in range(number)]
    rows = Case.objects.bulk_create(
        Case(
            number=f"{prefix}-{n:05d}",
            vehicle=cars[n // CASES_A_CAR],
            opened_at=at[n],
            opened_by=user,
            closed_at=at[n] + timedelta(hours=5),
        )
        for n in range(number)
    )
    snapshots = [plain_snapshot(read_typed(codes)) for codes, *_ in FAULTS]
    for start in range(0, number, 500):
        _fill(user, rows[start : start + 500], at[start : start + 500], start, snapshots)


def _fill(user: User, cases: list[Case], at: list[datetime], start: int, snapshots: list[dict[str, object]]) -> None:
    def when(place: int, minutes: int) -> datetime:
        return at[place] + timedelta(minutes=minutes)

    told = [FAULTS[(start + place) % len(FAULTS)] for place in range(len(cases))]
    Complaint.objects.bulk_create(
        Complaint(
            case=case, by=user, at=when(n, 1), text="lamp on", lamp="steady", odometer_km=40_000 + 9_000 * (n % 9)
        )
        for n, case in enumerate(cases)
    )
    scans = Scan.objects.bulk_create(
        Scan(case=case, by=user, at=when(n, 5), link="typed in", snapshot=snapshots[(start + n) % len(FAULTS)])
        for n, case in enumerate(cases)
    )
    verdicts = Verdict.objects.bulk_create(
        Verdict(
            case=case, by=user, at=when(n, 30), suspect=told[n][1], words=told[n][1], probability=0.9, guess=False,
            standing="shown by a test",
        )
        for n, case in enumerate(cases)
    )  # fmt: skip
    lines = Line.objects.bulk_create(
        Line(
            case=case, by=user, at=when(n, 40), verdict=verdicts[n], repair=told[n][2], words=told[n][2],
            component=told[n][3], minutes=30, parts=Decimal(40), labour=Decimal(42),
        )
        for n, case in enumerate(cases)
    )  # fmt: skip
    Answer.objects.bulk_create(
        Answer(case=case, by=user, at=when(n, 50), line=lines[n], kind="approved", who="owner", how="by phone")
        for n, case in enumerate(cases)
    )
    Work.objects.bulk_create(
        Work(
            case=case, by=user, at=when(n, 90), line=lines[n], part_make=("Alpha", "Beta")[n % 2], part_number="N-1",
            odometer_km=40_000 + 9_000 * (n % 9), warranty_months=24, warranty_km=40_000,
        )
        for n, case in enumerate(cases)
    )  # fmt: skip
    cleared = Clearing.objects.bulk_create(
        Clearing(case=case, by=user, at=when(n, 100), before=scans[n], modules=[]) for n, case in enumerate(cases)
    )
    Judgement.objects.bulk_create(
        Judgement(
            case=case, by=user, at=when(n, 160), clearing=cleared[n],
            verdict=("proven", "proven", "proven", "came back", "not yet")[n % 5],
        )
        for n, case in enumerate(cases)
    )  # fmt: skip
