"""What has to be shown before a repair counts as proven: from the scan that was stored before clearing."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace

from gumshoe.core.codes import CodeState
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.proof.drive_plan import DrivePlan, Need, plan_drive, segments_file, segments_for
from gumshoe.core.proof.similar import Window, window_of
from gumshoe.core.signals.regions import Region, classify

LAMP_TRIPS = 3
"""Good trips in a row after which the control unit puts the lamp out by itself (40 CFR 86.1806, 13 CCR 1968.2 [S])."""
WARM_UPS = 40
"""Warm-ups without the fault after which it erases the code by itself [S]."""


@dataclass(frozen=True)
class Target:
    """One code that must stay away, and what must have happened before its absence counts."""

    code: str
    title: str
    monitor: str
    trips: int
    provoked: bool = False
    """The work itself set it: one good trip is asked for, and its return means that something is still off."""


@dataclass(frozen=True)
class Plan:
    """What has to be shown: targets, the frame to come near to, the region and bank whose trim must be good.

    ``by_itself``: nothing was cleared; the control unit is left to put the lamp out after its good trips.
    """

    targets: tuple[Target, ...]
    frame_code: str = ""
    frame: Mapping[str, float] = field(default_factory=dict)
    signal_region: Region | None = None
    signal_bank: int = 1
    known_before: frozenset[str] = frozenset()
    by_itself: bool = False

    @property
    def window(self) -> Window | None:
        """Conditions similar to the stored frame."""
        return window_of(self.frame)

    @property
    def monitors(self) -> dict[str, int]:
        """The monitors that must run to their end, each with the trips it needs."""
        found: dict[str, int] = {}
        for target in self.targets:
            found[target.monitor] = max(found.get(target.monitor, 0), target.trips)
        return found


def plan_proof(
    before: Snapshot, knowledge: Knowledge, *, by_itself: bool = False, provoked: Collection[str] = ()
) -> Plan:
    """Derive the plan from the scan stored before clearing (or before the car was left to itself).

    ``provoked``: codes that the work itself has set."""
    targets = []
    for code in before.codes_in(CodeState.CONFIRMED, CodeState.PENDING):
        row = knowledge.codes.get(code)
        if row is None:
            targets.append(Target(code, "not in the catalogue", "comprehensive components", 2))
        else:
            targets.append(Target(code, row.title, row.monitor, row.trips))
        if code in provoked:
            targets[-1] = replace(targets[-1], trips=1, provoked=True)
    if by_itself:
        targets = [replace(target, trips=LAMP_TRIPS) for target in targets]
    module = before.engine
    frame = module.frames[0] if module and module.frames else None
    frame_row = knowledge.codes.get(frame.code) if frame else None
    measured = frame is not None and frame_row is not None and bool(frame_row.frame_clue)
    return Plan(
        tuple(targets),
        frame.code if frame else "",
        dict(frame.values) if frame else {},
        classify(frame.values) if frame and measured else None,
        2 if frame_row is not None and "bank 2" in frame_row.component else 1,
        frozenset(before.codes_in()),
        by_itself,
    )


def needs_of(plan: Plan, good_trips: Mapping[str, int], *, frame_met: bool) -> tuple[Need, ...]:
    """What is still to be driven. ``good_trips``: trips each monitor has completed since the clearing."""
    needs = [
        Need(f"monitor “{monitor}”", max(trips - good_trips.get(monitor, 0), 0), monitor)
        for monitor, trips in plan.monitors.items()
    ]
    if plan.window and not frame_met:
        needs.append(Need(f"similar to the frame of {plan.frame_code}", 1, window=plan.window))
    return tuple(need for need in needs if need.trips)


def drive_for(needs: tuple[Need, ...], features: frozenset[str], *, starts_warm: bool = False) -> DrivePlan:
    """The cheapest drive for what is still missing, on a powertrain with those features."""
    return plan_drive(needs, segments_for(features), segments_file().monitor, starts_warm=starts_warm)
