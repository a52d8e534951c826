"""The control unit's fault memory: trips, lamp, freeze frames, readiness, permanent codes.

Rules after 40 CFR 86.1806 and 13 CCR 1968.2 [S, M for the wording]: two trips to mature, lamp off after three good
trips, erased after 40 warm-ups without it, similar conditions for misfire and fuel system (375 rpm, 20 % load, same
warm-up state), permanent codes leave only by themselves. Everything here survives key-off.
"""

from __future__ import annotations

from dataclasses import dataclass, field

GOOD_TRIPS_LAMP_OFF = 3
WARMUPS_TO_ERASE = 40
SIMILAR_RPM = 375.0
SIMILAR_LOAD = 20.0
SIMILAR_SECONDS = 10.0
FUEL_CELLS = 4


@dataclass
class Record:
    """One code's history."""

    code: str
    pending: bool = False
    confirmed: bool = False
    lamp: bool = False
    permanent: bool = False
    failed_trip: bool = False
    passed_trip: bool = False
    good_trips: int = 0
    warmups_clean: int = 0
    frame: dict[str, float] = field(default_factory=dict)
    similar_s: float = 0.0
    needs_similar: bool = False
    priority: bool = False


@dataclass
class Memory:
    """Non-volatile memory; the stand-in's state file holds exactly this."""

    records: dict[str, Record] = field(default_factory=dict)
    frame_code: str = ""
    frame: dict[str, float] = field(default_factory=dict)
    complete: dict[str, bool] = field(default_factory=dict)
    complete_trip: dict[str, bool] = field(default_factory=dict)
    results: dict[str, float] = field(default_factory=dict)
    ltft: list[list[float]] = field(default_factory=lambda: [[0.0] * FUEL_CELLS])
    """Learnt trim by bank and fuel cell."""
    idle_learnt: float = 0.0
    """Throttle opening that idle was found to need beyond the usual."""
    throttle_learnt: bool = True
    """Whether the throttle's closed stop is known."""
    crank_learnt: bool = True
    """Whether the crankshaft wheel's own unevenness is known: without it no misfire can be told."""
    air_drift: float = 0.0
    """What the measured air is corrected by, learnt over hours (diesel)."""
    battery_aged: float = 0.3
    """How old the battery is taken to be, 0 new to 1: an old one is charged harder."""
    misfire_trip: list[int] = field(default_factory=lambda: [0] * 4)
    misfire_last: list[int] = field(default_factory=lambda: [0] * 4)
    misfire_average: list[float] = field(default_factory=lambda: [0.0] * 4)
    in_use: dict[str, int] = field(default_factory=dict)
    """In how many trips each monitor ran to its end; never cleared by a tester."""
    general_trips: int = 0
    ignition_cycles: int = 0
    soot_model_g: float = 8.0
    ash_model_g: float = 12.0
    filter_km: float = 0.0
    """Driven since the last completed regeneration."""
    regenerations: int = 0
    regenerations_broken: int = 0
    regenerated_km: list[float] = field(default_factory=list)
    """Where on the way each of them was completed."""
    warmups: int = 0
    distance_clear_km: float = 0.0
    distance_lamp_km: float = 0.0
    minutes_clear: float = 0.0
    minutes_lamp: float = 0.0

    @classmethod
    def of(cls, cylinders: int, banks: int) -> Memory:
        """An empty memory for an engine of that many cylinders and banks."""
        return cls(
            ltft=[[0.0] * FUEL_CELLS for _ in range(banks)],
            misfire_trip=[0] * cylinders,
            misfire_last=[0] * cylinders,
            misfire_average=[0.0] * cylinders,
        )

    def forget(self) -> None:
        """The supply was gone: what was learnt is lost, what was found stays."""
        self.throttle_learnt = False
        self.idle_learnt = 0.0
        self.ltft = [[0.0] * FUEL_CELLS for _ in self.ltft]

    # -- what monitors report -----------------------------------------------------------------------------

    def fail(
        self, code: str, frame: dict[str, float], *, trips: int = 2, similar: bool = False, priority: bool = False
    ) -> None:
        """A monitor found a malfunction in this drive cycle."""
        record = self.records.setdefault(code, Record(code, needs_similar=similar, priority=priority))
        record.good_trips = record.warmups_clean = 0
        first_in_trip = not record.failed_trip
        matured = record.pending and first_in_trip
        record.failed_trip = True
        if not record.frame:
            record.frame = dict(frame)
        if (trips == 1 or matured) and not record.confirmed:
            record.confirmed = record.lamp = record.permanent = True
        elif record.confirmed and not record.lamp and first_in_trip:
            record.lamp = record.permanent = True
        record.pending = True
        # A frame is kept for the first code; misfire and fuel-system codes take its place (priority).
        holder = self.records.get(self.frame_code)
        if not self.frame_code or (priority and not (holder and holder.priority)):
            self.frame_code, self.frame = code, dict(frame)

    def passed(self, code: str) -> None:
        """A monitor ran to its end in this drive cycle and found the code's cause absent."""
        record = self.records.get(code)
        if record is None or record.failed_trip:
            return
        if record.needs_similar and record.frame and record.similar_s < SIMILAR_SECONDS:
            return
        record.passed_trip = True

    def note_conditions(self, rpm: float, load: float, warm: bool, seconds: float) -> None:
        """Count time spent in conditions similar to each stored frame."""
        for record in self.records.values():
            frame = record.frame
            if not record.needs_similar or not frame:
                continue
            if (
                abs(rpm - frame.get("rpm", 0.0)) <= SIMILAR_RPM
                and abs(load - frame.get("load_pct", 0.0)) <= SIMILAR_LOAD
                and warm == (frame.get("coolant_c", 0.0) >= 70.0)
            ):
                record.similar_s += seconds

    def mark_complete(self, monitor: str) -> None:
        """Readiness: the monitor has run to its end."""
        if not self.complete_trip.get(monitor):
            self.in_use[monitor] = self.in_use.get(monitor, 0) + 1
        self.complete[monitor] = True
        self.complete_trip[monitor] = True

    def regeneration_done(self) -> None:
        """The particulate filter was burnt free to the end."""
        before = self.regenerated_km[-1] if self.regenerated_km else 0.0
        self.regenerated_km = [*self.regenerated_km[-9:], before + self.filter_km]
        self.regenerations += 1
        self.filter_km = 0.0

    # -- the drive cycle ----------------------------------------------------------------------------------

    def begin_trip(self) -> None:
        """Key on and started."""
        self.complete_trip.clear()
        self.ignition_cycles += 1
        self.misfire_trip = [0] * len(self.misfire_trip)
        for record in self.records.values():
            record.failed_trip = record.passed_trip = False
            record.similar_s = 0.0

    def end_trip(self, warmed_up: bool, *, general: bool = True) -> None:
        """Key off after running: judge the trip for every code. ``general``: the trip was long and mixed enough to
        count for the in-use figures and for permanent codes."""
        self.general_trips += general
        self.misfire_last = list(self.misfire_trip)
        self.misfire_average = [
            0.9 * old + 0.1 * new for old, new in zip(self.misfire_average, self.misfire_trip, strict=True)
        ]
        if warmed_up:
            self.warmups = min(self.warmups + 1, 255)
        for code in list(self.records):
            record = self.records[code]
            if record.failed_trip:
                continue
            if record.passed_trip:
                record.pending = False
                record.good_trips += 1
                if record.permanent and not record.confirmed and general:
                    record.permanent = False
                if record.good_trips >= GOOD_TRIPS_LAMP_OFF and record.lamp:
                    record.lamp = record.permanent = False
            if warmed_up and not record.lamp:
                record.warmups_clean += 1
                if record.warmups_clean >= WARMUPS_TO_ERASE:
                    record.confirmed = record.pending = False
            if not (record.pending or record.confirmed or record.permanent):
                del self.records[code]
                if self.frame_code == code:
                    self.frame_code, self.frame = "", {}

    def clear(self) -> None:
        """Service 04: everything goes but the permanent codes and the fuel cells' need to be learnt again."""
        kept = {
            code: Record(code, permanent=True, needs_similar=False, priority=record.priority)
            for code, record in self.records.items()
            if record.permanent
        }
        self.records = kept
        self.frame_code, self.frame = "", {}
        self.complete.clear()
        self.complete_trip.clear()
        self.results.clear()
        empty = Memory.of(len(self.misfire_trip), len(self.ltft))
        self.ltft, self.misfire_trip = empty.ltft, empty.misfire_trip
        self.misfire_last, self.misfire_average = empty.misfire_last, empty.misfire_average
        self.idle_learnt = 0.0
        self.warmups = 0
        self.distance_clear_km = self.distance_lamp_km = 0.0
        self.minutes_clear = self.minutes_lamp = 0.0

    # -- what services ask --------------------------------------------------------------------------------

    def codes(self, which: str) -> list[str]:
        """Codes with that flag (``confirmed``, ``pending`` or ``permanent``), in the order they came."""
        return [record.code for record in self.records.values() if getattr(record, which)]

    @property
    def lamp(self) -> bool:
        """Whether the lamp is commanded on."""
        return any(record.lamp for record in self.records.values())
