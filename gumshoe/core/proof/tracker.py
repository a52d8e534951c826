"""Is the repair proven? Fed with what the vehicle says while it is driven, one observation after the other.

What counts: trips in which the code's monitor completed; time in conditions similar to the stored frame (within 375
1/min and 20 % load, same warm-up state: 13 CCR 1968.2 [S]); pending and confirmed codes absent; the signal that was
wrong, measured again in the same region. A tracker fed with the same observations gives the same verdict, so that it
can be rebuilt from the record.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from gumshoe.core.codes import CodeState
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.obd.status import MonitorStatus
from gumshoe.core.signals.regions import WARM_C, Region, classify
from gumshoe.core.signals.trims import TOLERABLE_PCT

SIMILAR_RPM = 375.0
SIMILAR_LOAD_PCT = 20.0
SIMILAR_NEED_S = 60.0
"""Time in similar conditions asked for in all (common practice)."""
SIGNAL_NEED_S = 30.0
MAX_STEP_S = 30.0
"""A longer gap between two observations counts as this much at most: what was not watched proves nothing."""


class Verdict(StrEnum):
    """The three honest answers."""

    PROVEN = "proven"
    NOT_YET = "not yet"
    CAME_BACK = "came back"


@dataclass(frozen=True)
class Target:
    """One code that must stay away, and what must have happened before its absence counts."""

    code: str
    title: str
    monitor: str
    trips: int


@dataclass(frozen=True)
class Plan:
    """What has to be shown: targets, the frame to come near to, the region whose trim must be good."""

    targets: tuple[Target, ...]
    frame_code: str = ""
    frame: Mapping[str, float] = field(default_factory=dict)
    signal_region: Region | None = None
    known_before: frozenset[str] = frozenset()


def plan_proof(before: Snapshot, knowledge: Knowledge) -> Plan:
    """Derive the plan from the scan stored before clearing."""
    codes = before.codes_in(CodeState.CONFIRMED, CodeState.PENDING)
    targets = []
    for code in codes:
        row = knowledge.codes.get(code)
        if row is None:
            targets.append(Target(code, "not in the catalogue", "comprehensive components", 2))
        else:
            targets.append(Target(code, row.title, row.monitor, row.trips))
    module = before.engine
    frame = module.frames[0] if module and module.frames else None
    region = None
    frame_row = knowledge.codes.get(frame.code) if frame else None
    if frame and frame_row and frame_row.frame_clue:
        region = classify(frame.values)
    return Plan(
        tuple(targets),
        frame.code if frame else "",
        dict(frame.values) if frame else {},
        region,
        frozenset(before.codes_in()),
    )


@dataclass(frozen=True)
class Observation:
    """One look at the vehicle. ``run_time_s`` None: the control unit did not answer (key off).

    ``status`` is PID 41 (this drive cycle); code lists are None when they were not asked for this time.
    """

    run_time_s: float | None
    values: Mapping[str, float] = field(default_factory=dict)
    status: MonitorStatus | None = None
    confirmed: tuple[str, ...] | None = None
    pending: tuple[str, ...] | None = None
    permanent: tuple[str, ...] | None = None


@dataclass
class TripRecord:
    """One drive cycle as watched."""

    seconds: float = 0.0
    km: float = 0.0
    complete: set[str] = field(default_factory=set)


@dataclass(frozen=True)
class Condition:
    """One line of the check list: what, done or not, and how far."""

    words: str
    done: bool
    detail: str
    share: float


GRID_RPM = tuple(range(500, 4501, 250))
GRID_LOAD = tuple(range(0, 101, 10))


class Tracker:
    """Accumulates observations and judges. All times in seconds of engine running time (PID 1F)."""

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self.trips: list[TripRecord] = []
        self.similar_s = 0.0
        self.signal_s = 0.0
        self._signal_sum = 0.0
        self.km = 0.0
        self.returned: dict[str, str] = {}
        self.new: dict[str, str] = {}
        self.permanent: tuple[str, ...] = ()
        self.coverage: dict[tuple[int, int], float] = {}
        self.position: tuple[float, float] | None = None
        self.codes_read_at_s: float | None = None
        self._last_run: float | None = None
        self.total_s = 0.0

    def observe(self, seen: Observation) -> None:
        """Take one observation into account."""
        self._codes(seen)
        if seen.run_time_s is None:
            self.position = None  # key off, or an answer lost: the run time that follows tells which
            return
        if seen.run_time_s <= 0.0:
            self._last_run, self.position = None, None  # key on, engine off: whatever follows is another trip
            return
        if not self.trips or self._last_run is None or seen.run_time_s < self._last_run:
            self.trips.append(TripRecord())
            step = min(seen.run_time_s, MAX_STEP_S) if seen.run_time_s < MAX_STEP_S else 0.0
        else:
            step = min(seen.run_time_s - self._last_run, MAX_STEP_S)
        self._last_run = seen.run_time_s
        trip = self.trips[-1]
        if seen.status is not None:
            trip.complete |= {item.name for item in seen.status.monitors if item.supported and item.complete}
        self._drive(seen.values, step, trip)

    def _codes(self, seen: Observation) -> None:
        wanted = {target.code for target in self.plan.targets}
        for state, codes in (("confirmed", seen.confirmed), ("pending", seen.pending)):
            for code in codes or ():
                if code in wanted:
                    self.returned[code] = state
                elif code not in self.new:
                    self.new[code] = state
        if seen.permanent is not None:
            self.permanent = seen.permanent
        if seen.confirmed is not None and seen.pending is not None:
            self.codes_read_at_s = self.total_s

    def _drive(self, values: Mapping[str, float], step: float, trip: TripRecord) -> None:
        self.total_s += step
        trip.seconds += step
        km = values.get("speed_kmh", 0.0) * step / 3600.0
        trip.km += km
        self.km += km
        rpm, load = values.get("rpm", 0.0), values.get("load_pct", 0.0)
        self.position = (rpm, load)
        cell = (int(rpm // 250) * 250, int(load // 10) * 10)
        self.coverage[cell] = self.coverage.get(cell, 0.0) + step
        if self.is_similar(rpm, load, values.get("coolant_c", 0.0)):
            self.similar_s += step
        if self.plan.signal_region is not None and classify(values) is self.plan.signal_region:
            total = values.get("stft_b1_pct", 0.0) + values.get("ltft_b1_pct", 0.0)
            self.signal_s += step
            self._signal_sum += total * step

    def is_similar(self, rpm: float, load: float, coolant_c: float) -> bool:
        """Whether a moment lies within the stored frame's window."""
        frame = self.plan.frame
        if not frame:
            return False
        return (
            abs(rpm - frame.get("rpm", 0.0)) <= SIMILAR_RPM
            and abs(load - frame.get("load_pct", 0.0)) <= SIMILAR_LOAD_PCT
            and (coolant_c >= WARM_C) == (frame.get("coolant_c", 0.0) >= WARM_C)
        )

    # -- judging ------------------------------------------------------------------------------------------

    @property
    def signal_pct(self) -> float | None:
        """Mean total trim in the region that was wrong, None until it was seen."""
        return self._signal_sum / self.signal_s if self.signal_s > 0.0 else None

    def good_trips(self, monitor: str) -> int:
        """Watched trips in which the monitor ran to its end."""
        return sum(monitor in trip.complete for trip in self.trips)

    def conditions(self) -> tuple[Condition, ...]:
        """The check list."""
        rows = []
        for monitor in dict.fromkeys(target.monitor for target in self.plan.targets):
            need = max(target.trips for target in self.plan.targets if target.monitor == monitor)
            have = self.good_trips(monitor)
            codes = ", ".join(target.code for target in self.plan.targets if target.monitor == monitor)
            rows.append(
                Condition(
                    f"Monitor “{monitor}” run to its end ({codes})",
                    have >= need,
                    f"{min(have, need)} of {need} trips",
                    min(have / need, 1.0),
                )
            )
        if self.plan.frame:
            rows.append(
                Condition(
                    f"Driven in conditions similar to the frame of {self.plan.frame_code}",
                    self.similar_s >= SIMILAR_NEED_S,
                    f"{self.similar_s:.0f} s, {SIMILAR_NEED_S:.0f} s needed",
                    min(self.similar_s / SIMILAR_NEED_S, 1.0),
                )
            )
        if self.plan.signal_region is not None:
            mean = self.signal_pct
            good = mean is None or abs(mean) <= TOLERABLE_PCT
            done = self.signal_s >= SIGNAL_NEED_S and mean is not None and good
            shown = "not seen yet" if mean is None else f"{mean:+.1f} % over {self.signal_s:.0f} s"
            rows.append(
                Condition(
                    f"Total trim back within ±{TOLERABLE_PCT:.0f} % at {self.plan.signal_region.value}",
                    done,
                    shown,
                    min(self.signal_s / SIGNAL_NEED_S, 1.0) if good else 0.0,
                )
            )
        after = self.codes_read_at_s is not None and self.total_s > 0 and self.codes_read_at_s >= self.total_s - 60.0
        clean = after and not self.returned
        if self.returned:
            shown = ", ".join(f"{code} {state}" for code, state in self.returned.items())
        else:
            shown = "none" if after else "not read since the drive"
        rows.append(
            Condition(
                "Pending and confirmed codes read after the drive: none of the old ones",
                clean,
                shown,
                1.0 if clean else 0.0,
            )
        )
        return tuple(rows)

    def verdict(self) -> tuple[Verdict, tuple[str, ...]]:
        """The verdict and what is missing, or what came back."""
        if self.returned:
            return Verdict.CAME_BACK, tuple(f"{code} is {state} again" for code, state in self.returned.items())
        missing = tuple(f"{row.words}: {row.detail}" for row in self.conditions() if not row.done)
        if self.new:
            missing += tuple(
                f"New code {code} ({state}): look into it before the car goes" for code, state in self.new.items()
            )
        if not self.plan.targets:
            missing += ("No code was stored before clearing: there is nothing whose absence could prove the repair",)
        return (Verdict.NOT_YET, missing) if missing else (Verdict.PROVEN, ())


def replay(plan: Plan, observations: Iterable[Observation]) -> Tracker:
    """A tracker brought to where the record ends."""
    tracker = Tracker(plan)
    for seen in observations:
        tracker.observe(seen)
    return tracker
