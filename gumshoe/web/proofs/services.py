"""The proof of a repair: plan, drive, check list, verdict."""

from __future__ import annotations

from typing import Any

from gumshoe.core.codes import CodeState
from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.core.knowledge.catalogue import monitor_needs
from gumshoe.core.proof.tracker import (
    GRID_LOAD,
    GRID_RPM,
    SIMILAR_LOAD_PCT,
    SIMILAR_RPM,
    Observation,
    Plan,
    Tracker,
    Verdict,
    plan_proof,
    replay,
)
from gumshoe.web.accounts.models import User
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.proofs import runner
from gumshoe.web.proofs.models import Judgement, ProofDrive
from gumshoe.web.repairs.models import Clearing
from gumshoe.web.scans import services as scans
from gumshoe.web.scans.models import Scan
from gumshoe.web.vehicles import services as vehicles
from gumshoe.web.vehicles.links import connection


def clearing_of(case: Case) -> Clearing | None:
    """The clearing whose proof is looked at: the newest after a repair."""
    return case.clearings.filter(triage=False).last()


def plan_of(clearing: Clearing) -> Plan:
    """What has to be shown after this clearing."""
    snapshot = scans.snapshot_of(clearing.before)
    if snapshot is None:
        raise BadInput("The scan before clearing was interrupted: there is nothing to prove against.")
    return plan_proof(snapshot, cases.knowledge_of(clearing.case))


def tracker_of(clearing: Clearing) -> Tracker:
    """The tracker as it stands: the running one, else rebuilt from every recorded drive."""
    watcher = runner.running(clearing.case_id)
    if watcher is not None:
        return watcher.tracker
    return replay(plan_of(clearing), recorded(clearing))


def recorded(clearing: Clearing) -> list[Observation]:
    """Every observation on record since the clearing."""
    return [
        seen
        for drive in clearing.drives.prefetch_related("chunks")
        for chunk in drive.chunks.all()
        for seen in runner.unpack(chunk.data)
    ]


def begin(case: Case, user: User) -> ProofDrive:
    """Begin to watch; a stand-in is driven, a real vehicle waits for its driver. Raises BadInput when not possible."""
    clearing = clearing_of(case)
    if clearing is None:
        raise BadInput("Nothing has been cleared after a repair yet.", remedies=("clear first, then prove",))
    if case.looseends.filter(closed__isnull=True).exists():
        raise BadInput("There is a loose end.", remedies=("put it back and tick it on the Repair page",))
    if runner.running(case.pk):
        raise BadInput("A drive is being watched already.")
    tracker = replay(plan_of(clearing), recorded(clearing))
    how = "stand-in, two mixed drives, 60 times real time" if case.vehicle.stand_in else "road test"
    drive = ProofDrive.objects.create(case=case, by=user, clearing=clearing, how=how)
    if case.vehicle.stand_in:
        vehicles.act(case.vehicle, "drive:proof")
    runner.start(drive, connection(case.vehicle), tracker)
    return drive


def finish(case: Case, user: User) -> Judgement:
    """Stop watching, scan once more, judge, store the verdict."""
    watcher = runner.running(case.pk)
    if watcher is not None:
        watcher.stop()
    clearing = clearing_of(case)
    if clearing is None:
        raise BadInput("Nothing has been cleared after a repair yet.")
    tracker = tracker_of(clearing)
    after = _scan_after(case, user)
    if after is not None:
        tracker.observe(after)
    verdict, reasons = tracker.verdict()
    if after is None and verdict is Verdict.PROVEN:
        verdict, reasons = Verdict.NOT_YET, ("The codes were not read after the drive: key on, then judge again",)
    return Judgement.objects.create(case=case, by=user, clearing=clearing, verdict=verdict.value, reasons=list(reasons))


def _scan_after(case: Case, user: User) -> Observation | None:
    """The closing scan as an observation of the codes; None when the vehicle does not answer."""
    try:
        stored = scans.perform(case, user, Scan.Why.AFTER_DRIVE)
    except GumshoeError:
        return None
    snapshot = scans.snapshot_of(stored)
    if snapshot is None or snapshot.engine is None:
        return None
    engine = snapshot.engine
    return Observation(
        None,
        confirmed=engine.with_state(CodeState.CONFIRMED),
        pending=engine.with_state(CodeState.PENDING),
        permanent=engine.with_state(CodeState.PERMANENT),
    )


def state(case: Case) -> dict[str, Any]:
    """What the page shows while driving: conditions, coverage, verdict so far, the drive's progress."""
    clearing = clearing_of(case)
    if clearing is None:
        return {"running": False, "conditions": [], "coverage": [], "verdict": "", "reasons": []}
    watcher = runner.running(case.pk)
    tracker = tracker_of(clearing)
    if watcher is not None:
        with watcher.lock:
            shown = _shown(tracker)
    else:
        shown = _shown(tracker)
    shown["running"] = watcher is not None
    shown["trouble"] = watcher.trouble.what if watcher and watcher.trouble else ""
    shown["drive"] = None
    if case.vehicle.stand_in and watcher is not None:
        car = vehicles.state(case.vehicle)
        shown["drive"] = {
            key: car[key] for key in ("drive_share", "driving", "speedup", "rpm", "speed_kmh", "coolant_c")
        }
    return shown


def _shown(tracker: Tracker) -> dict[str, Any]:
    verdict, reasons = tracker.verdict()
    return {
        "conditions": [
            {"words": row.words, "done": row.done, "detail": row.detail, "share": round(row.share, 3)}
            for row in tracker.conditions()
        ],
        "coverage": [[rpm, load, round(seconds, 1)] for (rpm, load), seconds in tracker.coverage.items()],
        "here": [_x(max(tracker.position[0], GRID_RPM[0])), _y(tracker.position[1])] if tracker.position else None,
        "trips": len(tracker.trips),
        "km": round(tracker.km, 1),
        "minutes": round(tracker.total_s / 60.0, 1),
        "permanent": list(tracker.permanent),
        "new": tracker.new,
        "verdict": verdict.value,
        "reasons": list(reasons),
    }


def drive_plan(plan: Plan) -> list[dict[str, str]]:
    """What to drive, in words: each monitor's needs and the frame's window."""
    rows = []
    for monitor in dict.fromkeys(target.monitor for target in plan.targets):
        trips = max(target.trips for target in plan.targets if target.monitor == monitor)
        need = monitor_needs().get(monitor, "See the vehicle's service information.")
        rows.append({"what": f"Monitor “{monitor}”, {trips} trip{'s' if trips > 1 else ''}", "how": need})
    if plan.frame:
        low, high = window(plan)
        rows.append(
            {
                "what": f"Similar to the frame of {plan.frame_code}",
                "how": f"{low[0]:.0f}–{high[0]:.0f} 1/min at {low[1]:.0f}–{high[1]:.0f} % load, engine "
                f"{'warm' if plan.frame.get('coolant_c', 0) >= 70 else 'cold'}, a minute in all.",
            }
        )
    return rows


def window(plan: Plan) -> tuple[tuple[float, float], tuple[float, float]]:
    """The frame's window: lower and upper corner in (1/min, % load)."""
    rpm, load = plan.frame.get("rpm", 0.0), plan.frame.get("load_pct", 0.0)
    return (
        (max(rpm - SIMILAR_RPM, 0.0), max(load - SIMILAR_LOAD_PCT, 0.0)),
        (rpm + SIMILAR_RPM, min(load + SIMILAR_LOAD_PCT, 100.0)),
    )


CELL_W, CELL_H, MAP_LEFT, MAP_TOP = 30, 22, 44, 10


def _x(rpm: float) -> float:
    return round(MAP_LEFT + (rpm - GRID_RPM[0]) / 250.0 * CELL_W, 1)


def _y(load: float) -> float:
    return round(MAP_TOP + (100.0 - load) / 10.0 * CELL_H, 1)


def coverage_map(plan: Plan) -> dict[str, Any]:
    """The grid of the coverage drawing: cells with their place, axes, and the frame's window."""
    x, y = _x, _y
    cells = [
        {"id": f"{rpm}-{load}", "x": x(rpm), "y": y(load + 10)} for rpm in GRID_RPM for load in GRID_LOAD if load < 100
    ]
    shape: dict[str, Any] = {
        "cells": cells,
        "cell_w": CELL_W - 1,
        "cell_h": CELL_H - 1,
        "left": MAP_LEFT,
        "bottom": y(0),
        "width": x(GRID_RPM[-1] + 250) + 10,
        "height": y(0) + 40,
        "rpm_ticks": [{"x": x(rpm), "text": rpm} for rpm in range(500, 4751, 500)],
        "load_ticks": [{"y": y(load), "text": load} for load in range(0, 101, 20)],
        "frame": None,
    }
    if plan.frame:
        low, high = window(plan)
        left_x, right_x = x(max(low[0], GRID_RPM[0])), x(min(high[0], GRID_RPM[-1] + 250))
        shape["frame"] = {
            "x": left_x,
            "y": y(high[1]),
            "w": right_x - left_x,
            "h": y(low[1]) - y(high[1]),
            "dot_x": x(plan.frame.get("rpm", 0.0)),
            "dot_y": y(plan.frame.get("load_pct", 0.0)),
        }
    return shape
