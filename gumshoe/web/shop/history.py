"""What the shop has behind it: a vehicle's cases on one line, comebacks, recurrences, and how long parts live."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime

from django.utils import timezone

from gumshoe.core.history.comebacks import Comeback, Done, Warranty, comebacks
from gumshoe.core.history.parts import Fitted, PartLife, part_lives
from gumshoe.core.proof.exposure import Recurrences
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case, Complaint
from gumshoe.web.repairs import working
from gumshoe.web.repairs.models import Work
from gumshoe.web.scans import services as scans
from gumshoe.web.vehicles.models import Vehicle


def odometer_of(case: Case) -> int | None:
    """The odometer as it was written down at intake."""
    complaint = cases.complaint_of(case)
    return complaint.odometer_km if complaint else None


def earlier_cases(case: Case) -> list[Case]:
    """The vehicle's cases before this one, oldest first."""
    return list(case.vehicle.cases.filter(opened_at__lt=case.opened_at).order_by("opened_at"))


# -- comebacks --------------------------------------------------------------------------------------------


def comebacks_of(case: Case) -> tuple[Comeback, ...]:
    """Earlier repairs of the vehicle that this case may be the comeback of: by its codes, or by the part condemned."""
    before = [other for other in earlier_cases(case) if other.works.exists()]
    if not before:
        return ()
    verdict = case.verdicts.last()
    fault = cases.knowledge_of(case).faults.get(verdict.suspect) if verdict else None
    done = [row for other in before for row in _done(other)]
    today = timezone.localtime(case.opened_at).date()
    return comebacks(done, scans.telling_codes(case), [fault.component] if fault else [], today, odometer_of(case))


def _done(case: Case) -> Iterable[Done]:
    codes = frozenset(scans.telling_codes(case))
    for work in case.works.select_related("line"):
        yield Done(
            case=case.number,
            codes=codes,
            words=work.line.words,
            component=work.line.component,
            make=work.part_make,
            on=timezone.localtime(work.at).date(),
            odometer_km=work.odometer_km or odometer_of(case),
            warranty=Warranty(
                *(
                    given if given is not None else usual
                    for given, usual in ((work.warranty_months, Warranty.months), (work.warranty_km, Warranty.km))
                )
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
class Line:
    """The visits of a vehicle, and where each stands on the drawing (0 to 1)."""

    vehicle: Vehicle
    visits: tuple[Visit, ...]
    by: str
    ticks: tuple[tuple[float, str], ...] = field(default=())


def timeline(vehicle: Vehicle) -> Line:
    """A vehicle's cases by distance, or by date where the odometers do not tell."""
    visits = [_visit(case) for case in vehicle.cases.order_by("opened_at")]
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
    return Line(vehicle, placed, "distance" if by_km else "date", ticks)


def _visit(case: Case) -> Visit:
    verdict, judgement = case.verdicts.last(), case.judgements.last()
    refused = [
        line.words
        for line in case.lines.prefetch_related("answers")
        if (given := list(line.answers.all())) and given[-1].kind != "approved"
    ]
    return Visit(
        case,
        case.opened_at,
        odometer_of(case),
        scans.telling_codes(case),
        verdict.words if verdict else "",
        bool(verdict and verdict.guess),
        tuple(case.works.select_related("line")),
        tuple(refused),
        judgement.verdict if judgement else "",
        comebacks_of(case),
    )


LINE_W, LINE_LEFT = 1200.0, 70.0


def chart(line: Line) -> list[dict[str, object]]:
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


def unproven() -> list[Visit]:
    """Every case in which something was done and nothing shows that it helped, the newest first."""
    worked = Case.objects.filter(works__isnull=False).distinct().select_related("vehicle").order_by("-opened_at")
    return [visit for visit in map(_visit, worked) if visit.unproven]


# -- part life --------------------------------------------------------------------------------------------


def part_life() -> tuple[PartLife, ...]:
    """Every part the shop renewed, by kind and make: how far it came, and whether it had to be renewed again."""
    works = Work.objects.exclude(line__component="").select_related("line", "case__vehicle").order_by("at")
    by_place: dict[tuple[int, str], list[Work]] = {}
    for work in works:
        if working.put_in_new(cases.knowledge_of(work.case), work):
            by_place.setdefault((work.case.vehicle_id, work.line.component), []).append(work)
    last_km = _last_odometers()
    fitted = []
    for (vehicle, component), rows in by_place.items():
        for work, following in zip(rows, [*rows[1:], None], strict=True):
            end = following.odometer_km if following else last_km.get(vehicle)
            if work.odometer_km is None or end is None or end < work.odometer_km:
                continue
            kind = _kind(work, component)
            fitted.append(Fitted(kind, work.part_make, float(end - work.odometer_km), following is not None))
    return part_lives(fitted)


def _kind(work: Work, component: str) -> str:
    part = cases.knowledge_of(work.case).components.get(component)
    return part.row.id if part else component


def _last_odometers() -> dict[int, int]:
    """The highest odometer on record, by vehicle."""
    found: dict[int, int] = {}
    rows = Complaint.objects.exclude(odometer_km=None).values_list("case__vehicle_id", "odometer_km")
    for vehicle, km in rows:
        found[vehicle] = max(found.get(vehicle, 0), km)
    return found
