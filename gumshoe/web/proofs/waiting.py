"""What is far enough for a fault that comes and goes, and the cases that wait for their proof: due list and
calendar."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from django.utils import timezone
from icalendar import Calendar, Event

from gumshoe.core.entry import float_of, whole_of
from gumshoe.core.errors import BadInput
from gumshoe.core.proof.exposure import Curve, Recurrences, Unit, curve
from gumshoe.core.proof.tracker import Condition, ProofVerdict, Tracker
from gumshoe.web.accounts.models import User
from gumshoe.web.cases.models import Case
from gumshoe.web.clearing.models import Clearing
from gumshoe.web.proofs.models import FollowUp, Recurrence
from gumshoe.web.proposal import services as offering
from gumshoe.web.scans import services as scans

DAYS_LATER = 7
"""When a case whose proof is open is looked at again, unless somebody says otherwise (common practice)."""
KM_A_DAY = 40.0
MOST_DAYS = 400
MOST_TIMES, MOST_OVER = 10_000, 5_000_000.0


def write_recurrence(case: Case, user: User, times: str, over: str, unit: str, belief: str, why: str) -> Recurrence:
    """How often the fault was seen before the repair. Raises BadInput for what cannot be."""
    try:
        found = Recurrences(whole_of(times, "Times", 10**9), float_of(over, "Over", 0.0), Unit(unit))
        share = float_of(belief.replace("%", ""), "Belief") / 100.0 if belief.strip() else None
    except (ValueError, BadInput) as error:
        raise BadInput(
            "How often was it seen, over what?", remedies=("a number of times, a number, and km, trips or days",)
        ) from error
    if found.times > MOST_TIMES or found.over > MOST_OVER:
        raise BadInput(f"{times} times over {over} {unit} cannot be.", remedies=("count what was really seen",))
    if share is not None and not 0.0 < share < 1.0:
        raise BadInput(f"A belief of {belief} % cannot be.", remedies=("above 0 and below 100",))
    return Recurrence.objects.create(
        case=case, by=user, times=found.times, over=found.over, unit=found.unit, belief=share, why=why.strip()
    )


def belief_of(case: Case) -> tuple[float, str]:
    """The probability that the repair was right before anything was driven: the technician's own, else the
    verdict's."""
    row, verdict = case.recurrences.last(), case.verdicts.last()
    if row is not None and row.belief is not None:
        return row.belief, f"the belief of {row.by}"
    if verdict is not None:
        return min(max(verdict.probability, 0.01), 0.99), "the verdict's probability"
    return 0.5, "even odds: no verdict is on record"


def clean_exposure(clearing: Clearing, tracker: Tracker, unit: Unit) -> float:
    """What has passed since the clearing without the fault: watched, or told by the car's own counters later."""
    if tracker.returned:
        return 0.0
    if unit is Unit.DAYS:
        return max((timezone.now() - clearing.at).total_seconds() / 86_400.0, 0.0)
    stored = scans.latest(clearing.case)
    snapshot = scans.snapshot_of(stored) if stored and stored.at > clearing.at else None
    told = snapshot.engine.values if snapshot and snapshot.engine and not clearing.by_itself else {}
    if unit is Unit.KM:
        return max(tracker.km, told.get("distance_clear_km", 0.0))
    return float(max(len(tracker.trips), told.get("warmups_clear", 0.0)))


def curve_of(clearing: Clearing, tracker: Tracker) -> Curve | None:
    """The Gamma–Poisson curve of a fault that comes and goes; None where nobody knows how often."""
    before = offering.recurrences_of(clearing.case)
    if before is None:
        return None
    return curve(belief_of(clearing.case)[0], before, clean_exposure(clearing, tracker, before.unit))


def condition_of(found: Curve) -> Condition:
    """The line of the check list for it."""
    unit = found.before.unit
    words = f"Fault-free for long enough: it was seen {found.before.times} times over {found.before.over:,.0f} {unit}"
    shown = f"{found.clean:,.0f} of {found.wanted:,.0f} {unit}; fixed with {found.now:.0%} so far".replace("%", " %")
    share = 1.0 if found.enough else min(found.clean / found.wanted, 1.0) if found.wanted else 1.0
    return Condition(words, found.enough, shown, share, waits=True)


# -- following up -----------------------------------------------------------------------------------------


def follow_up(case: Case, user: User, due: date, km: int | None, why: str) -> FollowUp:
    """Say when the case is looked at again. Raises BadInput for a day that has passed or is too far away."""
    today = timezone.localdate()
    if not today <= due <= today + timedelta(days=MOST_DAYS):
        raise BadInput(f"{due:%d %b %Y} cannot be followed up.", remedies=(f"from today on, within {MOST_DAYS} days",))
    return FollowUp.objects.create(case=case, by=user, due=due, km=km, why=why.strip() or FollowUp.BY_ITSELF)


def remember(case: Case, user: User, found: Curve | None) -> FollowUp | None:
    """After a verdict of *not yet*: a day to look again, where none is set."""
    held = case.followups.last()
    if held is not None and held.due >= timezone.localdate():
        return held
    km = round(found.left) if found and found.before.unit is Unit.KM and found.left < 1e6 else None
    days = DAYS_LATER if km is None else min(max(round(km / KM_A_DAY), 1), MOST_DAYS)
    return follow_up(case, user, timezone.localdate() + timedelta(days=days), km, FollowUp.BY_ITSELF)


@dataclass(frozen=True)
class Due:
    """A case that waits for its proof: when, how far, why; ``late``: the day has passed."""

    case: Case
    row: FollowUp
    late: bool


def due_list() -> list[Due]:
    """Open cases with a day to be looked at again whose repair is not proven, the earliest first."""
    today = timezone.localdate()
    found = []
    for case in (
        Case.objects.filter(closed_at__isnull=True, followups__isnull=False)
        .distinct()
        .select_related("vehicle")
        .prefetch_related("judgements", "followups")
    ):
        judgement = next(reversed(case.judgements.all()), None)
        row = next(reversed(case.followups.all()), None)
        if row is None or (judgement is not None and judgement.verdict == ProofVerdict.PROVEN):
            continue
        found.append(Due(case, row, row.due < today))
    return sorted(found, key=lambda item: (item.row.due, item.case.number))


def calendar(items: list[Due], shop: str) -> bytes:
    """The due list as an iCalendar file (RFC 5545 [S])."""
    made = Calendar()
    made.add("prodid", "-//Gumshoe//cases waiting for their proof//EN")
    made.add("version", "2.0")
    made.add("x-wr-calname", f"{shop}: proofs due")
    for item in items:
        event = Event()
        car = item.case.vehicle
        event.add("uid", f"case-{item.case.number}-{item.row.pk}@gumshoe.invalid")
        event.add("dtstamp", item.row.at)
        event.add("dtstart", item.row.due)
        event.add("dtend", item.row.due + timedelta(days=1))
        event.add("summary", f"Case {item.case.number}, {car.plate}: {item.row.why}")
        far = f" After {item.row.km} km." if item.row.km else ""
        event.add("description", f"{car.make} {car.model}, {item.case.owner}. Read codes and judge the proof.{far}")
        made.add_component(event)
    return bytes(made.to_ical())
