"""What has to be shown before a repair counts as proven: from the scan that was stored before clearing."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field, replace

from gumshoe.core.codes import CodeState
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.proof_rows import CircumstanceRow
from gumshoe.core.obd.snapshot import FreezeFrame, Snapshot
from gumshoe.core.obd.status import MonitorStatus
from gumshoe.core.proof.circumstances import Repaired, asked_of
from gumshoe.core.proof.drive_plan import DrivePlan, Need, plan_drive, segments_file, segments_for
from gumshoe.core.proof.similar import STANDING_KMH, Window, window_of
from gumshoe.core.signals.regions import Region, classify

LAMP_TRIPS = 3
"""Good trips in a row after which the control unit puts the lamp out by itself (40 CFR 86.1806, 13 CCR 1968.2 [S])."""
SIMILAR_MONITORS = ("misfire", "fuel system")
"""Codes of these monitors alone ask for conditions similar to their frame (13 CCR 1968.2 (e)(3) and (e)(6), ISO 15031-5
[S]); every other code asks for its own monitor, wherever that runs."""
TURNS_RPM = 50.0
"""Below this the engine stood when a frame was stored: the fault was there with the key on."""
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
    held: str = ""
    """``history`` or ``permanent``: it is not of today, and was held as that only."""


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
    key_on: tuple[str, ...] = ()
    """Codes whose frame was stored with the key on and the engine standing: they are asked for there again."""
    by_itself: bool = False
    circumstances: tuple[CircumstanceRow, ...] = ()
    """Under what the repair is to be tried, beyond what the monitors want."""
    untold: frozenset[str] = frozenset()
    """Monitors of the targets that this car's readiness does not tell of: whether it was driven as they want is watched
    instead."""

    @property
    def permanent(self) -> tuple[str, ...]:
        """Codes that are held as permanent only: their list has to be read, and to be empty of them."""
        return tuple(target.code for target in self.targets if target.held == CodeState.PERMANENT)

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
    before: Snapshot,
    knowledge: Knowledge,
    *,
    by_itself: bool = False,
    provoked: Collection[str] = (),
    repaired: Repaired | None = None,
) -> Plan:
    """Derive the plan from the scan stored before clearing (or before the car was left to itself).

    ``provoked``: codes that the work itself has set; ``repaired``: what the customer said and what was repaired, which
    decides under what circumstances it has to be tried. Codes held as history or permanent only count where there is
    no other: an honest, small proof."""
    targets = []
    today = before.codes_in(CodeState.CONFIRMED, CodeState.PENDING)
    old = dict.fromkeys(before.codes_in(CodeState.HISTORY), CodeState.HISTORY)
    old |= dict.fromkeys(before.codes_in(CodeState.PERMANENT), CodeState.PERMANENT)
    for code in today or old:
        row = knowledge.codes.get(code)
        if row is None:
            targets.append(Target(code, "not in the catalogue", "comprehensive components", 2))
        else:
            targets.append(Target(code, row.title, row.monitor, row.trips))
        if code in provoked:
            targets[-1] = replace(targets[-1], trips=1, provoked=True)
        if code not in today:
            targets[-1] = replace(targets[-1], trips=1, held=old[code])
    if by_itself:
        targets = [replace(target, trips=LAMP_TRIPS) for target in targets]
    module = before.engine
    frames = module.frames if module else ()
    wanted = {target.code for target in targets}
    similar = next((row for row in frames if row.code in wanted and _asks_for_similar(row, knowledge)), None)
    known = [row for row in frames if row.code in knowledge.codes]
    measured = next((row for row in known if knowledge.codes[row.code].frame_clue), None)
    done = repaired and replace(
        repaired, codes=tuple(today), framed=similar is not None, moving=bool(today) and _moved(frames, wanted)
    )
    return Plan(
        tuple(targets),
        similar.code if similar else "",
        dict(similar.values) if similar else {},
        classify(measured.values) if measured else None,
        2 if measured is not None and "bank 2" in knowledge.codes[measured.code].component else 1,
        frozenset(before.codes_in()),
        tuple(row.code for row in frames if row.code in wanted and _engine_stood(row)),
        by_itself,
        asked_of(done, knowledge) if done else (),
        _untold(targets, module.status if module else None),
    )


def _untold(targets: Iterable[Target], status: MonitorStatus | None) -> frozenset[str]:
    """The monitors that the car does not have in its readiness (a petrol engine's boost, a tank that nobody checks);
    none where readiness was not read."""
    if status is None:
        return frozenset()
    told = {item.name for item in status.monitors if item.supported}
    return frozenset(row.monitor for row in targets) - told


def _engine_stood(frame: FreezeFrame) -> bool:
    return "rpm" in frame.values and frame.values["rpm"] < TURNS_RPM


def _moved(frames: Iterable[FreezeFrame], wanted: Collection[str]) -> bool:
    """Whether one of the codes was stored while the car moved: by its road speed, or by an engine that ran and a frame
    that does not tell the speed. A code without a frame asks for its monitor alone."""
    told = [row.values for row in frames if row.code in wanted and not _engine_stood(row)]
    return any(values.get("speed_kmh", STANDING_KMH) >= STANDING_KMH for values in told if values)


def _asks_for_similar(frame: FreezeFrame, knowledge: Knowledge) -> bool:
    row = knowledge.codes.get(frame.code)
    return row is not None and row.monitor in SIMILAR_MONITORS and not _engine_stood(frame)


def needs_of(
    plan: Plan, good_trips: Mapping[str, int], *, frame_met: bool, tried: Collection[str] = ()
) -> tuple[Need, ...]:
    """What is still to be driven. ``good_trips``: trips each monitor has completed since the clearing; ``tried``: the
    circumstances that were met."""
    needs = [
        Need(f"monitor “{monitor}”", max(trips - good_trips.get(monitor, 0), 0), monitor)
        for monitor, trips in plan.monitors.items()
    ]
    if plan.window and not frame_met:
        needs.append(Need(f"similar to the frame of {plan.frame_code}", 1, window=plan.window))
    needs += [
        Need(row.words[:1].lower() + row.words[1:], 1, segments=tuple(filter(None, (row.segments, row.then))))
        for row in plan.circumstances
        if not row.by_hand and row.id not in tried
    ]
    return tuple(need for need in needs if need.trips)


def drive_for(needs: tuple[Need, ...], features: frozenset[str], *, starts_warm: bool = False) -> DrivePlan:
    """The cheapest drive for what is still missing, on a powertrain with those features."""
    return plan_drive(needs, segments_for(features), segments_file().monitor, starts_warm=starts_warm)
