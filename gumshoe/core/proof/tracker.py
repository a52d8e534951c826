"""Is the repair proven? Fed with what the vehicle says while it is driven, one observation after the other.

What counts: trips in which the code's monitor completed; time in conditions similar to the stored frame (within 375
rpm and 20 % load, same warm-up state: 13 CCR 1968.2 [S]); pending and confirmed codes absent; the signal that was
wrong, measured again in the same region. A tracker fed with the same observations gives the same verdict, so that it
can be rebuilt from the record.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from gumshoe.core.codes import TroubleCode
from gumshoe.core.knowledge.catalogue import plain_monitors
from gumshoe.core.knowledge.proof_rows import CircumstanceRow
from gumshoe.core.obd.status import MonitorStatus
from gumshoe.core.proof.drive_plan import asked_by
from gumshoe.core.proof.plan import LAMP_TRIPS, WARM_UPS, Plan
from gumshoe.core.signals.regions import WARM_C, classify
from gumshoe.core.signals.trims import TOLERABLE_PCT

NOT_READ = "The codes were not read after the drive: key on, then judge again"
TO_BE_READ = "Everything asked for has been shown. What is left: the codes read once more, key on"
SIMILAR_NEED_S = 60.0
"""Time in similar conditions asked for in all (common practice)."""
UNTOLD_NEED_S = 30.0
"""Time in each range of a monitor that the car does not tell of, in one trip (common practice)."""
SIGNAL_NEED_S = 30.0
MAX_STEP_S = 30.0
"""A longer gap between two observations counts as this much at most: what was not watched proves nothing."""


class ProofVerdict(StrEnum):
    """The three honest answers."""

    PROVEN = "proven"
    NOT_YET = "not yet"
    CAME_BACK = "came back"


@dataclass(frozen=True)
class Observation:
    """One look at the vehicle. ``run_time_s`` None: the control unit did not answer (key off).

    ``status`` is PID 41 (this drive cycle), ``lamp`` PID 01; code lists are None when they were not asked for this
    time.
    """

    run_time_s: float | None
    values: Mapping[str, float] = field(default_factory=dict)
    status: MonitorStatus | None = None
    confirmed: tuple[TroubleCode, ...] | None = None
    pending: tuple[TroubleCode, ...] | None = None
    permanent: tuple[TroubleCode, ...] | None = None
    lamp: bool | None = None
    whole: bool = True
    """Whether the code lists are all there is: of one that was read in part only what it holds counts."""

    @property
    def tells_absence(self) -> bool:
        """Whether a code that is not in the lists is not there."""
        return self.whole and self.confirmed is not None and self.pending is not None


@dataclass
class TripRecord:
    """One drive cycle as watched."""

    seconds: float = 0.0
    km: float = 0.0
    complete: set[str] = field(default_factory=set)
    led: dict[tuple[str, int], float] = field(default_factory=dict)
    """Seconds driven as each list of segments of a monitor that the car does not tell of wants."""


@dataclass(frozen=True)
class Condition:
    """One line of the check list: what, done or not, and how far. ``signal``: a measurement that can prove a repair by
    itself where no code was stored."""

    words: str
    done: bool
    detail: str
    share: float
    signal: bool = False
    failed: bool = False
    """It was tried, and the fault was there again."""
    plain: str = ""
    """The same for the customer, without the trade's words; empty where ``words`` are plain enough."""
    by_hand: bool = False
    """It is tried by hand, not driven: it can be done now."""
    waits: bool = False
    """Only distance or days meet it: nobody drives it today."""
    procedure: bool = False
    """It is taught or reset after the work, before anything is driven."""

    @property
    def for_customer(self) -> str:
        return self.plain or self.words


def left(done: Iterable[bool], reasons: Iterable[str]) -> str:
    """What still keeps a repair from being proven where every condition is met; empty while one is open."""
    rows = list(done)
    return next(iter(reasons), "") if rows and all(rows) else ""


def to_show(conditions: Iterable[Condition]) -> str:
    """What meets the open lines of a check list next; empty where only hands or time do."""
    open_ = [row for row in conditions if not (row.done or row.by_hand or row.waits)]
    asked = next((row.words for row in open_ if row.procedure), "")
    if asked or not open_:
        return asked
    return "Measure again what was wrong" if all(row.signal for row in open_) else "Drive what its proof still misses"


@dataclass
class Tried:
    """How far a circumstance has been driven: seconds within its range, separate goes, the stretch under way."""

    seconds: float = 0.0
    goes: int = 0
    stretch: float = 0.0
    counted: bool = False

    def drive(self, row: CircumstanceRow, step: float, *, within: bool) -> None:
        """One step of driving."""
        if not within:
            self.stretch, self.counted = 0.0, False
            return
        self.seconds += step
        self.stretch += step
        if not self.counted and self.stretch >= row.stretch:
            self.goes, self.counted = self.goes + 1, True

    def met(self, row: CircumstanceRow) -> bool:
        return self.seconds >= row.seconds and self.goes >= row.goes


GRID_RPM = tuple(range(500, 4501, 250))
GRID_LOAD = tuple(range(0, 101, 10))


class Tracker:
    """Accumulates observations and judges. All times in seconds of engine running time (PID 1F)."""

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self.window = plan.window
        self._untold = {name: asked_by(name) for name in plan.untold}
        self.trips: list[TripRecord] = []
        self.similar_s = 0.0
        self.signal_s = 0.0
        self._signal_sum = 0.0
        self.km = 0.0
        self.returned: dict[str, str] = {}
        self.new: dict[str, str] = {}
        self.permanent: tuple[str, ...] = ()
        self.lamp: bool | None = None
        self.key_on_read = False
        """Whether the codes were read with the key on and the engine standing, since the clearing."""
        self._absent: set[str] = set()
        self.permanent_read = False
        self.tried = {row.id: Tried() for row in plan.circumstances if not row.by_hand}
        self.coverage: dict[tuple[int, int], float] = {}
        self.position: tuple[float, float] | None = None
        self.codes_read_at_s: float | None = None
        self._last_run: float | None = None
        self.total_s = 0.0

    def observe(self, seen: Observation) -> None:
        """Take one observation into account."""
        self._codes(seen)
        standing = seen.run_time_s is not None and seen.run_time_s <= 0.0
        self.key_on_read |= standing and seen.tells_absence
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
        if seen.lamp is not None:
            self.lamp = seen.lamp
        for state, codes in (("confirmed", seen.confirmed), ("pending", seen.pending)):
            for code in codes or ():
                if self.plan.by_itself and code in self.plan.known_before:
                    # Nothing was cleared: what is held still is held; pending once more after it had gone is a return.
                    if state == "pending" and code in self._absent:
                        self.returned[code] = state
                elif code in wanted:
                    self.returned[code] = state
                elif code not in self.new:
                    self.new[code] = state
        if self.plan.by_itself and seen.pending is not None and seen.whole:
            self._absent |= wanted - set(seen.pending)
        if seen.permanent is not None:
            self.permanent = seen.permanent
            self.permanent_read |= seen.whole
        if seen.tells_absence:
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
        if self.is_similar(rpm, load, values.get("coolant_c", 0.0), values.get("speed_kmh")):
            self.similar_s += step
        warm = values.get("coolant_c", 0.0) >= WARM_C
        if rpm > 0.0:
            self._drive_untold(rpm, load, warm, step, trip)
        for row in self.plan.circumstances:
            if not row.by_hand:
                within = step > 0.0 and rpm > 0.0 and row.holds(rpm, load, warm)
                self.tried[row.id].drive(row, step, within=within)
        if self.plan.signal_region is not None and classify(values) is self.plan.signal_region:
            bank = self.plan.signal_bank
            total = values.get(f"stft_b{bank}_pct", 0.0) + values.get(f"ltft_b{bank}_pct", 0.0)
            self.signal_s += step
            self._signal_sum += total * step

    def _drive_untold(self, rpm: float, load: float, warm: bool, step: float, trip: TripRecord) -> None:
        """A monitor that the car does not tell of counts as run once the trip had of every list what it wants."""
        for name, clauses in self._untold.items():
            for place, clause in enumerate(clauses):
                if any(row.holds(rpm, load, warm) for row in clause):
                    trip.led[name, place] = trip.led.get((name, place), 0.0) + step
            if all(trip.led.get((name, place), 0.0) >= UNTOLD_NEED_S for place in range(len(clauses))):
                trip.complete.add(name)

    def is_similar(self, rpm: float, load: float, coolant_c: float, speed_kmh: float | None = None) -> bool:
        """Whether a moment lies within the stored frame's window."""
        return self.window is not None and self.window.holds(rpm, load, coolant_c, speed_kmh)

    # -- judging ------------------------------------------------------------------------------------------

    @property
    def signal_pct(self) -> float | None:
        """Mean total trim in the region that was wrong, None until it was seen."""
        return self._signal_sum / self.signal_s if self.signal_s > 0.0 else None

    def good_trips(self, monitor: str) -> int:
        """Watched trips in which the monitor ran to its end."""
        return sum(monitor in trip.complete for trip in self.trips)

    @property
    def completed(self) -> dict[str, int]:
        """Every monitor that ran to its end, and in how many watched trips."""
        names = dict.fromkeys(name for trip in self.trips for name in sorted(trip.complete))
        return {name: self.good_trips(name) for name in names}

    @property
    def frame_met(self) -> bool:
        """Whether it was driven near the stored frame for long enough (or no frame asks for it)."""
        return self.window is None or self.similar_s >= SIMILAR_NEED_S

    def conditions(self) -> tuple[Condition, ...]:
        """The check list."""
        rows = []
        for monitor, need in self.plan.monitors.items():
            have = self.good_trips(monitor)
            codes = ", ".join(target.code for target in self.plan.targets if target.monitor == monitor)
            shown = f"{min(have, need)} of {need} trips"
            words = f"Monitor “{monitor}” run to its end ({codes})"
            about = plain_monitors().get(monitor, monitor)
            plain = f"The car's own check of {about} has run {'again' if need == 1 else f'on {need} trips'}"
            if monitor in self.plan.untold:
                words = f"Driven as monitor “{monitor}” wants ({codes}): this car does not tell when it has run"
                plain = f"Driven so that the car's own check of {about} can run"
            rows.append(Condition(words, have >= need, shown, min(have / need, 1.0), plain=plain))
        if self.window is not None:
            rows.append(
                Condition(
                    f"Driven in conditions similar to the frame of {self.plan.frame_code}",
                    self.frame_met,
                    f"{self.similar_s:.0f} s, {SIMILAR_NEED_S:.0f} s needed",
                    min(self.similar_s / SIMILAR_NEED_S, 1.0),
                    plain="Driven under the same conditions as when the fault was stored",
                )
            )
        rows += [self._tried(row) for row in self.plan.circumstances if not row.by_hand]
        if self.plan.permanent:
            left = [code for code in self.plan.permanent if code in self.permanent]
            gone = self.permanent_read and self.total_s > 0.0 and not left
            shown = "not read yet" if not self.permanent_read else (", ".join(left) or "gone")
            words = f"The permanent list read again: {', '.join(self.plan.permanent)} gone by its own monitor"
            rows.append(Condition(words, gone, shown, 1.0 if gone else 0.0, plain="The car has given its entry up"))
        if self.plan.key_on:
            words = f"Key on, engine off, as when {', '.join(self.plan.key_on)} was stored: the codes read there"
            shown = "read" if self.key_on_read else "not read so yet"
            plain = "The fault memory read again with the engine standing, as when the fault was stored"
            rows.append(Condition(words, self.key_on_read, shown, 1.0 if self.key_on_read else 0.0, plain=plain))
        if self.plan.signal_region is not None:
            rows.append(self._signal())
        if self.plan.by_itself:
            words = f"The control unit has put the lamp out by itself ({LAMP_TRIPS} good trips in a row)"
            shown = {None: "not read yet", True: "still on", False: "out"}[self.lamp]
            rows.append(Condition(words, self.lamp is False, shown, 1.0 if self.lamp is False else 0.0))
        rows.append(self._absence())
        return tuple(rows)

    @property
    def circumstances_met(self) -> frozenset[str]:
        """The driven circumstances that are met."""
        return frozenset(
            row.id for row in self.plan.circumstances if row.id in self.tried and self.tried[row.id].met(row)
        )

    def _tried(self, row: CircumstanceRow) -> Condition:
        had = self.tried[row.id]
        shown = f"{min(had.seconds, row.seconds):.0f} of {row.seconds:.0f} s"
        if row.goes > 1:
            shown += f", {min(had.goes, row.goes)} of {row.goes} goes"
        share = min(had.seconds / row.seconds, had.goes / row.goes, 1.0)
        return Condition(row.words, had.met(row), shown, share)

    def _signal(self) -> Condition:
        mean, region = self.signal_pct, self.plan.signal_region
        good = mean is None or abs(mean) <= TOLERABLE_PCT
        done = self.signal_s >= SIGNAL_NEED_S and mean is not None and good
        shown = "not seen yet" if mean is None else f"{mean:+.1f} % over {self.signal_s:.0f} s"
        bank = f" of bank {self.plan.signal_bank}" if self.plan.signal_bank > 1 else ""
        words = f"Total trim{bank} back within ±{TOLERABLE_PCT:.0f} % at {region.value if region else ''}"
        share = min(self.signal_s / SIGNAL_NEED_S, 1.0) if good else 0.0
        return Condition(words, done, shown, share, plain="The mixture measured again: in order")

    def _absence(self) -> Condition:
        after = self.codes_read_at_s is not None and self.total_s > 0 and self.codes_read_at_s >= self.total_s - 60.0
        clean = after and not self.returned
        if self.returned:
            shown = ", ".join(f"{code} {state}" for code, state in self.returned.items())
        else:
            shown = "none" if after else "not read since the drive"
        if self.plan.by_itself:
            words = f"No code pending again (the stored one is erased by itself after {WARM_UPS} warm-ups)"
        else:
            words = "Pending and confirmed codes read after the drive: none of the old ones"
        plain = "The fault memory read after the drive: the fault has not come back"
        return Condition(words, clean, shown, 1.0 if clean else 0.0, plain=plain)

    def verdict(self, more: Iterable[Condition] = ()) -> tuple[ProofVerdict, tuple[str, ...]]:
        """The verdict and what is missing, or what came back. ``more``: conditions beyond the drive."""
        own = {target.code for target in self.plan.targets if target.provoked}
        failed = {code: state for code, state in self.returned.items() if code not in own}
        if failed:
            return ProofVerdict.CAME_BACK, tuple(f"{code} is {state} again" for code, state in failed.items())
        more = tuple(more)
        again = tuple(f"{row.words}: {row.detail}" for row in more if row.failed)
        if again:
            return ProofVerdict.CAME_BACK, again
        left_off = tuple(
            f"{code} is {state} again: the work had set it, so something is still off"
            for code, state in self.returned.items()
        )
        missing = left_off + tuple(f"{row.words}: {row.detail}" for row in (*self.conditions(), *more) if not row.done)
        if self.new:
            missing += tuple(
                f"New code {code} ({state}): look into it before the car goes" for code, state in self.new.items()
            )
        if not self.plan.targets and not any(row.signal for row in more):
            missing += ("No code was stored before clearing: there is nothing whose absence could prove the repair",)
        return (ProofVerdict.NOT_YET, missing) if missing else (ProofVerdict.PROVEN, ())


def replay(plan: Plan, observations: Iterable[Observation]) -> Tracker:
    """A tracker brought to where the record ends."""
    tracker = Tracker(plan)
    for seen in observations:
        tracker.observe(seen)
    return tracker
