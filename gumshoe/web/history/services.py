"""What the shop has behind it: a vehicle's cases on one line, comebacks, recurrences, and how long parts live."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime

from django.db.models import Prefetch, QuerySet
from django.utils import timezone

from gumshoe.core.history.comebacks import Comeback, Done, Warranty, comebacks
from gumshoe.core.history.parts import PartLife, in_order
from gumshoe.core.proof.exposure import Recurrences
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.entries import newest
from gumshoe.web.cases.models import Case
from gumshoe.web.history.models import LifeSum
from gumshoe.web.history.sums import up_to_date
from gumshoe.web.kit.memo import once
from gumshoe.web.scans import services as scans
from gumshoe.web.scans.models import Scan
from gumshoe.web.vehicles.models import Vehicle
from gumshoe.web.work.models import Work

MOST_EARLIER, A_PAGE, LIVES_A_PAGE = 40, 10, 25
"""So many earlier cases of a vehicle are looked at; so many unproven ones, so many kinds of parts stand on a
page."""


def odometer_of(case: Case) -> int | None:
    """The odometer as it was written down at intake."""
    complaint = cases.complaint_of(case)
    return complaint.odometer_km if complaint else None


def with_past(cases: QuerySet[Case]) -> QuerySet[Case]:
    """Cases with everything that their past is told from, in a fixed number of queries however many they are."""
    return cases.select_related("vehicle").prefetch_related(
        Prefetch("scans", Scan.objects.defer("frames")),
        "complaints",
        "verdicts",
        "judgements",
        "works__line",
        "lines__answers",
    )


@once
def earlier_cases(case: Case) -> list[Case]:
    """The vehicle's cases before this one, oldest first; of a car that came very often the latest."""
    rows = with_past(case.vehicle.cases.filter(opened_at__lt=case.opened_at)).order_by("-opened_at")[:MOST_EARLIER]
    return list(rows)[::-1]


# -- comebacks --------------------------------------------------------------------------------------------


@once
def comebacks_of(case: Case, earlier: tuple[Case, ...] | None = None) -> tuple[Comeback, ...]:
    """Earlier repairs of the vehicle that this case may be the comeback of: by its codes, or by the part condemned.
    ``earlier``: the vehicle's cases before it, where they are at hand."""
    before = [other for other in (earlier_cases(case) if earlier is None else earlier) if other.works.all()]
    if not before:
        return ()
    verdict = newest(case.verdicts.all())
    fault = cases.knowledge_of(case).faults.get(verdict.suspect) if verdict else None
    done = [row for other in before for row in _done(other)]
    today = timezone.localtime(case.opened_at).date()
    return comebacks(done, scans.telling_codes(case), [fault.component] if fault else [], today, odometer_of(case))


def _done(case: Case) -> Iterable[Done]:
    codes = frozenset(scans.telling_codes(case))
    for work in case.works.all():
        yield Done(
            case=case.number,
            codes=codes,
            words=work.line.words,
            component=work.line.component,
            make=work.part_make,
            on=timezone.localtime(work.at).date(),
            odometer_km=work.odometer_km or odometer_of(case),
            warranty=Warranty(
                Warranty.months if work.warranty_months is None else work.warranty_months,
                Warranty.km if work.warranty_km is None else work.warranty_km,
            ),
        )


def recurrences(case: Case) -> Recurrences | None:
    """How often a code of this case was here before, over the distance between the first case and this one; None where
    it never was, or the odometers do not tell."""
    codes = set(scans.telling_codes(case))
    seen = [
        (odometer_of(other), other) for other in [*earlier_cases(case), case] if codes & set(scans.telling_codes(other))
    ]
    known = [km for km, _ in seen if km is not None]
    if len(known) < 2 or known[-1] <= known[0]:
        return None
    return Recurrences(len(known) - 1, float(known[-1] - known[0]))


# -- one line of time -------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Visit:
    """One case on the line of time."""

    case: Case
    at: datetime
    odometer_km: int | None
    codes: tuple[str, ...]
    fault: str
    guess: bool
    done: tuple[Work, ...]
    refused: tuple[str, ...]
    verdict: str
    comeback: tuple[Comeback, ...] = ()
    x: float = 0.0

    @property
    def unproven(self) -> bool:
        """Something was done, and nothing shows that it helped."""
        return bool(self.done) and self.verdict != "proven"


@dataclass(frozen=True)
class HistoryRow:
    """The visits of a vehicle, and where each stands on the drawing (0 to 1)."""

    vehicle: Vehicle
    visits: tuple[Visit, ...]
    by: str
    ticks: tuple[tuple[float, str], ...] = field(default=())


def timeline(vehicle: Vehicle) -> HistoryRow:
    """A vehicle's cases by distance, or by date where the odometers do not tell."""
    rows = list(with_past(vehicle.cases.all()).order_by("opened_at"))
    visits = [_visit(case, tuple(rows[:place])) for place, case in enumerate(rows)]
    known = [visit.odometer_km for visit in visits]
    by_km = len(visits) > 1 and None not in known and known == sorted(known, key=lambda km: km or 0)
    places = [float(km or 0) for km in known] if by_km else [visit.at.timestamp() for visit in visits]
    first, last = (min(places), max(places)) if places else (0.0, 0.0)
    span = (last - first) or 1.0
    placed = tuple(
        Visit(**(visit.__dict__ | {"x": (place - first) / span if last > first else 0.5}))
        for visit, place in zip(visits, places, strict=True)
    )
    ticks = tuple(
        (visit.x, f"{visit.odometer_km:,} km" if by_km else f"{timezone.localtime(visit.at):%d %b %Y}")
        for visit in placed
    )
    return HistoryRow(vehicle, placed, "distance" if by_km else "date", ticks)


def _visit(case: Case, earlier: tuple[Case, ...] | None = None) -> Visit:
    verdict, judgement = newest(case.verdicts.all()), newest(case.judgements.all())
    refused = [
        line.words for line in case.lines.all() if (given := list(line.answers.all())) and given[-1].kind != "approved"
    ]
    return Visit(
        case,
        case.opened_at,
        odometer_of(case),
        scans.telling_codes(case),
        verdict.words if verdict else "",
        bool(verdict and verdict.guess),
        tuple(case.works.all()),
        tuple(refused),
        judgement.verdict if judgement else "",
        comebacks_of(case, earlier) if earlier is not None else (),
    )


LINE_W, LINE_LEFT = 1200.0, 70.0


def chart(line: HistoryRow) -> list[dict[str, object]]:
    """Where each visit stands on the drawing; neighbours that would cover each other stand in two rows."""
    found: list[dict[str, object]] = []
    last = [-1000.0, -1000.0]
    for visit in line.visits:
        x = LINE_LEFT + (LINE_W - 2 * LINE_LEFT) * visit.x
        row = 0 if x - last[0] >= 130.0 else 1
        last[row] = x
        tone = (
            "is-bad"
            if visit.comeback or visit.verdict == "came back"
            else "is-good"
            if visit.verdict == "proven"
            else ""
        )
        found.append({"visit": visit, "x": round(x, 1), "row": row, "tone": tone})
    return found


def unproven(page: int = 1) -> tuple[list[Visit], bool]:
    """A page of the cases in which something was done and nothing shows that it helped, the newest first; and whether
    there are more."""
    up_to_date()
    first = (page - 1) * A_PAGE
    newest_first = Case.objects.filter(state__unproven=True).order_by("-opened_at", "-pk")
    rows = list(with_past(newest_first)[first : first + A_PAGE + 1])
    return [_visit(case) for case in rows[:A_PAGE]], len(rows) > A_PAGE


# -- part life --------------------------------------------------------------------------------------------


@once
def part_life() -> tuple[PartLife, ...]:
    """Every part the shop renewed, by kind and make: how far it came, and whether it had to be renewed again."""
    up_to_date()
    names = ("kind", "make", "fitted", "failed", "longest_km", "first_km", "median_km")
    return in_order(PartLife(*row) for row in LifeSum.objects.values_list(*names))


def lives_on(page: int) -> tuple[tuple[PartLife, ...], bool]:
    """A page of part life, and whether there is more."""
    lives, first = part_life(), (page - 1) * LIVES_A_PAGE
    return lives[first : first + LIVES_A_PAGE], len(lives) > first + LIVES_A_PAGE
