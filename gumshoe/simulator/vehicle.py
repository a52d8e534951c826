"""One stand-in vehicle: engine, drive line, battery, control unit, driver, in steps of 20 ms.

Determinism: the same seed and the same commands give the same bytes.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import asdict, dataclass, field
from enum import StrEnum
from random import Random
from typing import Any

from pydantic import TypeAdapter

from gumshoe.simulator.commanded import Commanded
from gumshoe.simulator.control import EngineManagement
from gumshoe.simulator.current import current_data
from gumshoe.simulator.driver import Driver
from gumshoe.simulator.drives import Segment
from gumshoe.simulator.engine import DT, Air, Engine
from gumshoe.simulator.memory import Memory
from gumshoe.simulator.models import Model, models
from gumshoe.simulator.monitors import Misfire, all_monitors
from gumshoe.simulator.parts import Parts, defects_of, healthy, mend, mend_wiring
from gumshoe.simulator.sensors import BankReadings, Readings, read
from gumshoe.simulator.watch import Watch

GRAVITY = 9.81
LOOSE_SHARE = 0.12
"""How often a half seated plug has no contact (invented for the stand-ins)."""
BYSTANDERS_LOOK_S = 0.2
"""How often the modules beyond the engine look at the bus."""


class Key(StrEnum):
    """Positions of the key."""

    OFF = "off"
    ON = "on"
    START = "start"


@dataclass(frozen=True)
class Identity:
    """What the modules say of themselves."""

    vin: str
    calibration: str
    verification: int
    name: str = "ECM-EngineControl"


@dataclass
class Saved:
    """What outlasts a stop of the stand-in: the car's condition and the control unit's memory."""

    parts: dict[str, Any]
    memory: dict[str, Any]
    coolant_c: float
    intake_c: float
    catalyst_c: list[float]
    odometer_km: float
    fuel_level_pct: float
    clock_s: float
    chassis: dict[str, dict[str, Any]] = field(default_factory=dict)


@dataclass
class Trip:
    """The present or last drive cycle."""

    started: bool = False
    start_coolant_c: float = 0.0
    top_coolant_c: float = 0.0
    count: int = 0


class Vehicle:
    """The whole car. ``step()`` advances it by 20 ms; everything else sets what the driver or mechanic does."""

    def __init__(
        self,
        identity: Identity,
        model: Model | None = None,
        *,
        defects: tuple[str, ...] = (),
        seed: int = 1,
        air: Air | None = None,
        coolant_c: float | None = None,
        odometer_km: float = 60_000.0,
    ) -> None:
        """``model``: the kind of car, the Tern unless given. Raises KeyError for a defect this kind cannot have."""
        self.identity = identity
        self.model = model = model or models()["tern_16"]
        self.random = Random(seed)
        self.air = air or Air()
        self.parts = healthy(model)
        for key in defects:
            defects_of(model)[key].apply(self.parts)
        self.engine = Engine(model, self.parts, self.air, self.random)
        if coolant_c is not None:
            self.engine.state.coolant_c = coolant_c
        self.memory = Memory.of(model.cylinders, len(model.banks))
        self.management = EngineManagement(self.memory, model)
        self.monitors = all_monitors(model)
        self.readings = Readings(banks=[BankReadings() for _ in model.banks])
        self.watch = Watch(self.readings, self.management, self.memory, self.frame, self.parts)
        self.driver = Driver()
        self.commanded = Commanded()
        self.trip = Trip()
        self.key = Key.OFF
        self.speed_kmh = 0.0
        self.gear = 0
        self.grade = 0.0
        self.odometer_km = odometer_km
        self.fuel_level_pct = 58.0
        self.clock_s = 0.0
        self.supply_v = 12.5
        self.chassis: dict[str, Any] = {}
        self.bystanders: list[Callable[[float], None]] = []
        self._looked_s = 0.0
        self._plan: list[Segment] = []
        self._segment_left = 0.0
        self.plan_total_s = 0.0

    # -- what the driver does -----------------------------------------------------------------------------

    def turn_key(self, key: Key) -> None:
        """Turn the key. Off after running ends the drive cycle; on powers the control unit up."""
        if key is self.key:
            return
        if key is Key.OFF:
            if self.trip.started:
                rise = self.trip.top_coolant_c - self.trip.start_coolant_c
                self.memory.end_trip(rise >= 22.0 and self.trip.top_coolant_c >= 70.0)
                self.trip.started = False
            self.driver.want_kmh = self.driver.want_rpm = 0.0
        elif self.key is Key.OFF:
            self.management.power_up()
        self.key = key

    def begin(self, plan: tuple[Segment, ...]) -> None:
        """Start driving a profile from its first segment."""
        self._plan = list(plan)
        self._segment_left = 0.0
        self.plan_total_s = sum(segment.seconds for segment in plan)

    @property
    def driving(self) -> bool:
        """Whether a profile is still being driven."""
        return bool(self._plan) or self._segment_left > 0.0

    @property
    def plan_left_s(self) -> float:
        """Simulated seconds of the profile still to come."""
        return sum(segment.seconds for segment in self._plan) + max(self._segment_left, 0.0)

    def stop(self) -> None:
        """End the profile and bring the driver's feet off the pedals."""
        self._plan, self._segment_left = [], 0.0
        self.driver.want_kmh = self.driver.want_rpm = 0.0

    # -- what the mechanic does ---------------------------------------------------------------------------

    def unplug(self, component: str) -> None:
        """Take a component's connector off."""
        self.parts.unplugged.add(component)

    def plug(self, component: str) -> None:
        """Put a component's connector back on."""
        self.parts.unplugged.discard(component)

    def mend(self, component: str) -> bool:
        """Repair or renew a component; True when that changed anything."""
        return mend(self.parts, component, self.model)

    def carry_out(self, component: str, reached: Iterable[str], *, wiring: bool) -> bool:
        """Carry a repair out; True when that changed anything.

        ``wiring``: plugs go back on all that is ``reached`` and a fuse or ground is mended, but no part; else the part
        is repaired or renewed.
        """
        before = repr(self.parts)
        if wiring:
            for name in (component, *reached):
                mend_wiring(self.parts, name)
        if not wiring or component in self.model.points:
            self.mend(component)
        return repr(self.parts) != before

    # -- time ---------------------------------------------------------------------------------------------

    def run(self, seconds: float) -> None:
        """Advance by that many simulated seconds."""
        for _ in range(round(seconds / DT)):
            self.step()

    def step(self) -> None:
        """Advance by 20 ms."""
        self.clock_s += DT
        if self._plan or self._segment_left > 0.0:
            self._follow_plan()
        state = self.engine.state
        running = state.rpm > 350.0
        cranking = self.key is Key.START and not running
        if self.key is Key.START and state.rpm > 600.0:
            self.key = Key.ON
        self._electrics(running, cranking)
        self.driver.act(state.rpm, self.speed_kmh)
        powered = self.key is not Key.OFF
        management = self.management
        if powered:
            read(
                self.model,
                state,
                self.parts,
                self.readings,
                speed_kmh=self.speed_kmh,
                pedal=self.driver.pedal,
                supply_v=self.supply_v,
                ambient_c=self.air.temperature_c,
                baro_pa=self.air.pressure_pa,
                sensor_hot=management.sensor_hot,
                heater_on=management.state.heater_on,
                random=self.random,
                systems=self.engine.systems,
            )
            command = management.step(self.readings, cranking)
        else:
            command = management.state.command
            command.fuel_gps = [0.0] * len(self.model.banks)
            command.cranking = False
        self.commanded.step(self, DT)
        command.injectors_off, command.coils_off = self._dead_outputs()
        imposed, load = self._drive_line(running)
        self.engine.step(command, load, imposed, self.speed_kmh)
        if powered:
            self._observe(running)
        if self.bystanders and self.clock_s - self._looked_s >= BYSTANDERS_LOOK_S:
            for look in self.bystanders:
                look(self.clock_s - self._looked_s)
            self._looked_s = self.clock_s

    def _observe(self, running: bool) -> None:
        state, memory, watch = self.engine.state, self.memory, self.watch
        if running and not self.trip.started:
            self.trip.started = True
            self.trip.count += 1
            self.trip.start_coolant_c = self.trip.top_coolant_c = state.coolant_c
            memory.begin_trip()
            for monitor in self.monitors:
                monitor.start()
        watch.missed.clear()
        watch.turns = state.rpm / 60.0 * DT
        if running and sum(self.management.state.command.fuel_gps) > 0.0:
            # Crank slowdown is seen for nearly every real misfire, and now and then without one.
            for cylinder, fired in state.fired:
                if (not fired and self.random.random() < 0.96) or (fired and self.random.random() < 0.00005):
                    watch.missed.append(cylinder)
        for monitor in self.monitors:
            monitor.step(watch)
        if running:
            self.trip.top_coolant_c = max(self.trip.top_coolant_c, state.coolant_c)
            km = self.speed_kmh * DT / 3600.0
            memory.distance_clear_km += km
            memory.minutes_clear += DT / 60.0
            if memory.lamp:
                memory.distance_lamp_km += km
                memory.minutes_lamp += DT / 60.0
            if memory.records:
                memory.note_conditions(
                    self.readings.rpm, self.management.state.load_pct, self.readings.coolant_c >= 70.0, DT
                )

    # -- inside -------------------------------------------------------------------------------------------

    def _follow_plan(self) -> None:
        if self._segment_left <= 0.0:
            segment = self._plan.pop(0)
            self._segment_left = segment.seconds
            if segment.key is not None:
                self.turn_key(Key(segment.key))
            self.driver.want_kmh, self.driver.want_rpm = segment.kmh, segment.rpm
            self.grade = segment.grade
        self._segment_left -= DT
        if self._segment_left <= 0.0 and not self._plan:
            self.stop()

    def _electrics(self, running: bool, cranking: bool) -> None:
        health = self.parts.battery_health
        wanted = 14.2 if running else (12.55 * (0.93 + 0.07 * health) if self.key is Key.OFF else 12.3)
        if cranking:
            wanted = 7.8 + 2.6 * health
        self.supply_v += (wanted - self.supply_v) * 0.15

    def _dead_outputs(self) -> tuple[frozenset[int], frozenset[int]]:
        off = self.parts.dead
        if self.parts.loose:  # a half seated plug loses contact now and then, as the engine shakes
            off = off | {name for name in sorted(self.parts.loose) if self.random.random() < LOOSE_SHARE}
        if not off:
            return frozenset(), frozenset()
        return (
            frozenset(n for n in range(self.model.cylinders) if f"injector_{n + 1}" in off),
            frozenset(n for n in range(self.model.cylinders) if f"ignition_coil_{n + 1}" in off),
        )

    def _drive_line(self, running: bool) -> tuple[float | None, float]:
        """(imposed engine speed or None, torque taken from the engine); moves the car."""
        model = self.model
        accessories = 3.0 * model.size if running else 0.0
        speed = self.speed_kmh
        if speed < 0.05 and self.driver.want_kmh < 0.5:
            self.speed_kmh = 0.0
            return None, accessories
        if self.gear < 4 and speed > model.shift_kmh[self.gear]:
            self.gear += 1
        elif self.gear > 0 and speed < 0.75 * model.shift_kmh[self.gear - 1]:
            self.gear -= 1
        ratio = model.rpm_per_kmh[self.gear]
        turn_per_metre = ratio * 3.6 / 60.0 * 2.0 * math.pi
        state = self.engine.state
        coupled = running and speed * ratio > 1000.0 and not (self.driver.brake > 0.0 and speed < 14.0)
        if coupled:
            clutch = state.torque_nm - accessories
        elif running and self.driver.want_kmh > 0.5:
            clutch = model.size * min(max((state.rpm - model.idle_rpm - 90.0) * 0.12, 0.0), 90.0)
        else:
            clutch = 0.0
        metres = speed / 3.6
        force = clutch * turn_per_metre * 0.92
        drag = 0.011 * model.mass_kg * GRAVITY + 0.40 * metres * metres + model.mass_kg * GRAVITY * self.grade
        brake = self.driver.brake * model.mass_kg * GRAVITY
        inertia = model.mass_kg + (model.inertia * turn_per_metre**2 if coupled else 0.0)
        metres = max(0.0, metres + (force - (drag + brake if metres > 0.0 or force > drag else force)) / inertia * DT)
        self.speed_kmh = metres * 3.6
        km = metres * DT / 1000.0
        self.odometer_km += km
        self.fuel_level_pct = max(1.0, self.fuel_level_pct - state.fuel_gps * DT / 37_000.0 * 100.0)
        if coupled:
            return self.speed_kmh * ratio, accessories
        return None, accessories + clutch

    # -- what the control unit stores and shows -----------------------------------------------------------

    def live_values(self) -> dict[str, float]:
        """Current data by channel key, as the control unit knows it."""
        return current_data(self)

    FRAME_KEYS = (
        "fuel_status_1",
        "load_pct",
        "coolant_c",
        "stft_b1_pct",
        "ltft_b1_pct",
        "stft_b2_pct",
        "ltft_b2_pct",
        "map_kpa",
        "rpm",
        "speed_kmh",
        "spark_deg",
        "intake_c",
        "maf_gps",
        "throttle_pct",
        "run_time_s",
        "baro_kpa",
        "module_v",
        "abs_load_pct",
        "lambda_cmd",
        "ambient_c",
    )

    def frame(self) -> dict[str, float]:
        """A freeze frame of this moment."""
        values = self.live_values()
        return {key: values[key] for key in self.FRAME_KEYS if key in values}

    @property
    def lamp_flashing(self) -> bool:
        """Whether the lamp flashes now: catalyst-damaging misfire."""
        monitor = self.monitors[0]
        return isinstance(monitor, Misfire) and monitor.flashing and self.engine.state.rpm > 350.0

    # -- persistence --------------------------------------------------------------------------------------

    def save(self) -> dict[str, Any]:
        """Plain values for a state file."""
        state = self.engine.state
        sets = {"unplugged": sorted(self.parts.unplugged), "loose": sorted(self.parts.loose)}
        return asdict(
            Saved(
                asdict(self.parts) | sets,
                asdict(self.memory),
                state.coolant_c,
                state.intake_c,
                [exhaust.catalyst_c for exhaust in state.banks],
                self.odometer_km,
                self.fuel_level_pct,
                self.clock_s,
                {key: asdict(memory) for key, memory in self.chassis.items()},
            )
        )

    def restore(self, saved: dict[str, Any]) -> None:
        """Take over what ``save`` gave; raises pydantic's ValidationError when the values do not fit."""
        values = TypeAdapter(Saved).validate_python(saved)
        parts = TypeAdapter(Parts).validate_python(values.parts)
        memory = TypeAdapter(Memory).validate_python(values.memory)
        self.parts.__dict__.update(parts.__dict__)
        self.memory.__dict__.update(memory.__dict__)
        state = self.engine.state
        state.coolant_c, state.intake_c = values.coolant_c, values.intake_c
        for exhaust, celsius in zip(state.banks, values.catalyst_c, strict=True):
            exhaust.catalyst_c = celsius
        self.odometer_km, self.fuel_level_pct = values.odometer_km, values.fuel_level_pct
        self.clock_s = self._looked_s = values.clock_s
        for key, held in values.chassis.items():
            if key in self.chassis:
                self.chassis[key].__dict__.update(held)
