"""The proof of a repair: plan, drive, check list, verdict."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from operator import itemgetter
from typing import Any

from django.utils import timezone

from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.core.proof.clear_guard import permanent_words
from gumshoe.core.proof.drive_plan import DrivePlan
from gumshoe.core.proof.from_recording import observations_of
from gumshoe.core.proof.from_scan import observation_of
from gumshoe.core.proof.plan import Plan, drive_for, needs_of, plan_proof
from gumshoe.core.proof.tracker import (
    GRID_RPM,
    NOT_READ,
    TO_BE_READ,
    Condition,
    Observation,
    ProofVerdict,
    Tracker,
    left,
    replay,
)
from gumshoe.core.words import measured
from gumshoe.web.accounts.models import User
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.alone import alone, has_it
from gumshoe.web.cases.models import Case
from gumshoe.web.clearing.models import Clearing
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.kit.memo import once
from gumshoe.web.ledger import ends
from gumshoe.web.live import store
from gumshoe.web.live.models import Recording
from gumshoe.web.proofs import beyond, runner, waiting
from gumshoe.web.proofs.drawing import x_of, y_of
from gumshoe.web.proofs.models import HandTried, Judgement, ProofChunk, ProofDrive
from gumshoe.web.scans import services as scans
from gumshoe.web.scans.models import Scan
from gumshoe.web.ui.readers import for_shop
from gumshoe.web.vehicles.cars import car_of
from gumshoe.web.vehicles.links import connection
from gumshoe.web.vehicles.services import in_words

WARM_C = 70.0
STILL_WARM = timedelta(minutes=20)
"""So long a warm engine stays warm enough (common practice)."""
BEING_WATCHED = "A drive is being watched already."


@once
def clearing_of(case: Case) -> Clearing | None:
    """The clearing whose proof is looked at: the newest after a repair."""
    return case.clearings.filter(triage=False).select_related("before").defer("before__frames").last()


@once
def plan_of(clearing: Clearing) -> Plan:
    """What has to be shown after this clearing."""
    snapshot = scans.snapshot_of(clearing.before)
    if snapshot is None:
        raise BadInput("The scan before clearing was interrupted: there is nothing to prove against.")
    knowledge = cases.knowledge_of(clearing.case)
    return plan_proof(
        snapshot,
        knowledge,
        by_itself=clearing.by_itself,
        provoked=clearing.expected,
        repaired=beyond.repaired_before(clearing),
    )


def tracker_of(clearing: Clearing) -> Tracker:
    """The tracker as it stands: the running one, else rebuilt from every recorded drive."""
    watcher = runner.running(clearing.case_id)
    if watcher is not None:
        return watcher.tracker
    return replay(plan_of(clearing), recorded(clearing))


@once
def recorded(clearing: Clearing) -> list[Observation]:
    """Every observation on record since the clearing, in the order they were made: the drives, and between them the
    scans that closed one."""
    made: list[tuple[datetime, list[Observation]]] = [
        (drive.at, [seen for chunk in drive.chunks.all() for seen in runner.unpack(chunk.data)])
        for drive in clearing.drives.prefetch_related("chunks")
    ]
    closing = [row for row in scans.whole(clearing.case) if row.why == Scan.Why.AFTER_DRIVE and row.at > clearing.at]
    made += [(row.at, [seen]) for row in closing if (seen := _seen_in(clearing, row)) is not None]
    return [seen for _, seen_then in sorted(made, key=itemgetter(0)) for seen in seen_then]


# -- driving ----------------------------------------------------------------------------------------------


def still_to_drive(clearing: Clearing, tracker: Tracker) -> DrivePlan:
    """The cheapest drive for what is missing; none where the proof came with a file, proven by drives that are not on
    record here."""
    came = judged_elsewhere(clearing)
    if came is not None and came.verdict == ProofVerdict.PROVEN:
        return DrivePlan((), ())
    needs = needs_of(tracker.plan, tracker.completed, frame_met=tracker.frame_met, tried=tracker.circumstances_met)
    warm = _is_warm(clearing.case)
    features = cases.powertrain_of(clearing.case).features
    return drive_for(needs, features, starts_warm=warm)


def _is_warm(case: Case) -> bool:
    """Whether the engine is warm now: the stand-in shows it, of a real car the coolant in a scan made just now."""
    if (shown := car_of(case.vehicle).coolant_c()) is not None:
        return shown >= WARM_C
    stored = scans.latest(case)
    snapshot = scans.snapshot_of(stored) if stored and timezone.now() - stored.at < STILL_WARM else None
    return bool(snapshot and snapshot.engine and snapshot.engine.values.get("coolant_c", 0.0) >= WARM_C)


def pieces_of(plan: DrivePlan) -> tuple[tuple[str, ...], ...]:
    """The plan's trips by the names of their segments; idle and a round in town where nothing is missing."""
    return tuple(tuple(row.id for row in trip.segments) for trip in plan.trips) or (("idle", "town"),)


def begin(case: Case, user: User) -> ProofDrive:
    """Begin to watch; a stand-in is driven as the plan says, a real vehicle waits for its driver.

    Raises BadInput when not possible.
    """
    clearing = clearing_of(case)
    if clearing is None:
        raise BadInput("Nothing has been cleared after a repair yet.", remedies=("clear first, then prove",))
    ends.refuse_while_open(case)
    with alone(case, "drive", BEING_WATCHED, user):
        watched = runner.running(case.pk)
        if watched is not None:
            raise has_it(BEING_WATCHED, watched.drive.by)
        tracker = replay(plan_of(clearing), recorded(clearing))
        plan = still_to_drive(clearing, tracker)
        trips = pieces_of(plan)
        car = car_of(case.vehicle)
        how = car.drive_words(trips)
        drive = ProofDrive.objects.create(case=case, by=user, clearing=clearing, how=how)
        car.drive(trips)
        runner.start(drive, connection(case.vehicle), tracker, car.keep_in_sight)
        return drive


def tell_tried(case: Case, user: User, circumstance: str, how: str, remark: str) -> HandTried:
    """Put on record what was tried by hand, and how it went. Raises BadInput where nothing was cleared, the proof does
    not ask for it, or the answer is none."""
    clearing = clearing_of(case)
    plan = plan_of(clearing) if clearing else None
    row = next((row for row in plan.circumstances if row.by_hand and row.id == circumstance), None) if plan else None
    if clearing is None or row is None:
        raise BadInput("This proof does not ask for that.", remedies=("look at the page again",))
    if how not in HandTried.How.values:
        raise BadInput("How did it go: did it stay right, or did it come again?")
    watcher = runner.running(case.pk)
    if watcher is not None:
        watcher.fixed = None  # the check list is made anew
    return HandTried.objects.create(
        case=case,
        by=user,
        clearing=clearing,
        circumstance=row.id,
        words=row.words,
        how=how,
        remark=remark.strip(),
    )


def recordings_to_count(clearing: Clearing) -> list[Recording]:
    """Recordings made since the clearing that do not count towards its proof yet."""
    counted = set(clearing.drives.exclude(recording=None).values_list("recording_id", flat=True))
    made = clearing.case.recordings.filter(at__gt=clearing.at)
    return [row for row in made if row.pk not in counted]


def count_recording(case: Case, user: User, recording_pk: int) -> ProofDrive:
    """Let a recording made since the clearing count: where it was driven and the trims, neither monitors nor codes.

    Raises BadInput for one of before, one that counts already, or one that does not tell enough.
    """
    clearing = clearing_of(case)
    found = next((row for row in recordings_to_count(clearing) if row.pk == recording_pk), None) if clearing else None
    if clearing is None or found is None:
        raise BadInput("This recording cannot count.", remedies=("choose one that was made after the clearing",))
    seen = list(observations_of(store.load(found)))
    with in_turn():
        drive = ProofDrive.objects.create(
            case=case, by=user, clearing=clearing, how=f"recording “{found.label}”"[:80], recording=found
        )
        ProofChunk.objects.create(drive=drive, number=0, data=runner.pack(seen), last=True)
    return drive


def finish(case: Case, user: User) -> Judgement:
    """Stop watching, scan once more, judge, store the verdict. A loose end, or codes that were not read, keep it
    from being proven. Raises BadInput where nothing was cleared, or somebody is judging it just now."""
    with alone(case, "drive", "The drive is being begun or judged just now.", user):
        return _judge(case, user)


def _judge(case: Case, user: User) -> Judgement:
    watcher = runner.running(case.pk)
    if watcher is not None:
        watcher.stop()
    clearing = clearing_of(case)
    if clearing is None:
        raise BadInput("Nothing has been cleared after a repair yet.")
    tracker = tracker_of(clearing)
    after = _scan_after(clearing, user)
    if after is not None:
        tracker.observe(after)
    more = beyond.conditions_beyond(clearing, tracker)
    verdict, reasons = verdict_of(case, tracker, more)
    if (after is None or not after.whole) and verdict is ProofVerdict.PROVEN:
        verdict, reasons = ProofVerdict.NOT_YET, (NOT_READ,)
    reasons = (*reasons, *(f"Look first at the ledger: {words}" for words in _named_by_ledger(case, tracker)))
    judgement = Judgement.objects.create(
        case=case,
        by=user,
        clearing=clearing,
        verdict=verdict.value,
        reasons=list(reasons),
        conditions=[asdict(row) for row in (*tracker.conditions(), *more)],
    )
    if verdict is ProofVerdict.NOT_YET and reasons[:1] != (NOT_READ,):  # to read them needs no other day
        waiting.remember(case, user, waiting.curve_of(clearing, tracker))
    return judgement


def verdict_of(case: Case, tracker: Tracker, more: tuple[Condition, ...]) -> tuple[ProofVerdict, tuple[str, ...]]:
    """The verdict as things stand, for the page and for the record: what the drive and what is beyond it say, and that
    nothing is left to be put back."""
    verdict, reasons = tracker.verdict(more)
    loose = ends.open_ends(case)
    if loose and verdict is ProofVerdict.PROVEN:
        return ProofVerdict.NOT_YET, tuple(f"Loose end: {end}" for end in loose)
    return verdict, reasons


def judged_elsewhere(clearing: Clearing) -> Judgement | None:
    """The judgement that came with a file: it was judged by drives that are not on record here."""
    if clearing.drives.exists() or runner.running(clearing.case_id):
        return None
    return next((row for row in clearing.judgements.order_by("-at", "-pk") if row.conditions), None)


def check_list(clearing: Clearing, tracker: Tracker) -> tuple[Condition, ...]:
    """Every condition and how far it is; of a proof that came with a file as it was judged there."""
    came = judged_elsewhere(clearing)
    if came is not None:
        return tuple(Condition(**row) for row in came.conditions)
    return (*tracker.conditions(), *beyond.conditions_beyond(clearing, tracker))


def _named_by_ledger(case: Case, tracker: Tracker) -> list[str]:
    """Which entry of the ledger, or which part of the work, would explain a code that is new or back."""
    seen = {*tracker.new, *tracker.returned}
    return list(dict.fromkeys(f"{row.code}: {row.words}" for row in ends.provoked_codes(case) if row.code in seen))


def _scan_after(clearing: Clearing, user: User) -> Observation | None:
    """The closing scan as an observation of the codes of every module; None when the vehicle does not answer."""
    try:
        stored = scans.perform(clearing.case, user, Scan.Why.AFTER_DRIVE)
    except GumshoeError:
        return None
    return _seen_in(clearing, stored)


def _seen_in(clearing: Clearing, stored: Scan) -> Observation | None:
    snapshot = scans.snapshot_of(stored)
    return observation_of(snapshot, scans.snapshot_of(clearing.before)) if snapshot else None


# -- for the page -----------------------------------------------------------------------------------------


def state(case: Case) -> dict[str, Any]:
    """What the page shows while driving: conditions, coverage, verdict so far, the drive's progress."""
    clearing = clearing_of(case)
    if clearing is None:
        return {
            "running": False,
            "conditions": [],
            "coverage": [],
            "verdict": "",
            "left": "",
            "reasons": [],
            "ready": [],
        }
    watcher = runner.running(case.pk)
    tracker = tracker_of(clearing)
    more = beyond.conditions_beyond(clearing, tracker)
    came = judged_elsewhere(clearing)
    if watcher is not None:
        with watcher.lock:
            shown = _shown(case, tracker, more)
    else:
        shown = _shown(case, tracker, more)
    judged = clearing.judgements.last()
    stands = watcher is not None or (judged is not None and judged.verdict == ProofVerdict.PROVEN)
    if shown["verdict"] == ProofVerdict.PROVEN and not stands:
        shown |= {"verdict": ProofVerdict.NOT_YET.value, "reasons": [TO_BE_READ]}
    if came is not None:
        shown |= {
            "conditions": [_line(row) for row in check_list(clearing, tracker)],
            "verdict": came.verdict,
            "reasons": came.reasons,
        }
    waits = watcher is None and shown["verdict"] == ProofVerdict.NOT_YET
    shown["left"] = left((row["done"] for row in shown["conditions"]), shown["reasons"]) if waits else ""
    shown["running"] = watcher is not None
    shown["trouble"] = watcher.trouble.what if watcher and watcher.trouble else ""
    shown["drive"] = None
    progress = car_of(case.vehicle).progress() if watcher is not None else None
    if progress is not None:
        shown["drive"] = in_words(progress)
    return shown


def _shown(case: Case, tracker: Tracker, more: tuple[Condition, ...]) -> dict[str, Any]:
    verdict, reasons = verdict_of(case, tracker, more)
    return {
        "conditions": [_line(row) for row in (*tracker.conditions(), *more)],
        "coverage": [[rpm, load, round(seconds, 1)] for (rpm, load), seconds in tracker.coverage.items()],
        "here": [x_of(max(tracker.position[0], GRID_RPM[0])), y_of(tracker.position[1])] if tracker.position else None,
        "trips": len(tracker.trips),
        "ready": sorted(tracker.completed),
        "km": round(tracker.km, 1),
        "distance": for_shop(measured(tracker.km, "km", 1)),
        "minutes": round(tracker.total_s / 60.0, 1),
        "permanent": list(tracker.permanent),
        "new": tracker.new,
        "verdict": verdict.value,
        "reasons": list(reasons),
    }


def _line(row: Condition) -> dict[str, Any]:
    words, detail = for_shop(row.words), for_shop(row.detail)
    return {"words": words, "done": row.done, "detail": detail, "share": round(row.share, 3)}


@dataclass(frozen=True)
class ReadinessRow:
    """One readiness monitor: before clearing, and now; ``wanted``: the proof needs it."""

    name: str
    before: bool | None
    now: bool
    wanted: bool


def readiness(clearing: Clearing, tracker: Tracker) -> list[ReadinessRow]:
    """Readiness before the clearing and now: told by the newest scan since, or completed on a watched trip."""
    before = scans.snapshot_of(clearing.before)
    stored = scans.latest(clearing.case)
    later = scans.snapshot_of(stored) if stored and stored.at > clearing.at else None
    held = before.engine.status if before and before.engine else None
    told = later.engine.status if later and later.engine else None
    done = {item.name for item in told.monitors if item.supported and item.complete} if told else set()
    if clearing.by_itself and held:
        done |= {item.name for item in held.monitors if item.supported and item.complete}
    done |= set(tracker.completed)
    shown = told or held
    names = [item.name for item in shown.monitors if item.supported] if shown else []
    was = {item.name: item.complete for item in held.monitors if item.supported} if held else {}
    return [ReadinessRow(name, was.get(name), name in done, name in tracker.plan.monitors) for name in names]


def permanent_note(plan: Plan, tracker: Tracker) -> str:
    """Why permanent codes are still there, and what takes them away."""
    monitors = {target.code: target.monitor for target in plan.targets}
    return permanent_words({code: monitors.get(code, "comprehensive components") for code in tracker.permanent})
