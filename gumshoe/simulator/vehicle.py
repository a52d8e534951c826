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
from gumshoe.simulator.defects import defects_of
from gumshoe.simulator.diesel_control import DieselManagement
from gumshoe.simulator.diesel_engine import DieselEngine
from gumshoe.simulator.driver import Driver
from gumshoe.simulator.drives import Segment
from gumshoe.simulator.electrics import Electrics
from gumshoe.simulator.electrics import cranking as cranking_of
from gumshoe.simulator.engine import CARBON_SHIFT, DT, Air, Engine
from gumshoe.simulator.hybrid import SPUN_RPM, ElectricDrive
from gumshoe.simulator.memory import Memory
from gumshoe.simulator.mending import mend, mend_wiring
from gumshoe.simulator.models import CarModel, models
from gumshoe.simulator.monitors import Misfire, all_monitors
from gumshoe.simulator.parts import Parts, healthy
from gumshoe.simulator.routines import Routines
from gumshoe.simulator.sensors import BankReadings, Readings, Sensors
from gumshoe.simulator.system_monitors import HybridPack, LostModules
from gumshoe.simulator.watch import SLOW_EVERY, SlowMonitor, Watch

GRAVITY = 9.81
LOOSE_SHARE = 0.12
"""How often a half seated plug has no contact (invented for the stand-ins)."""
FEELS_S, SHAKEN_SHARE, HOT_C, DRY_C = 0.2, 0.10, 84.0, 60.0
"""When a wire that parts now and then does so (invented for the stand-ins)."""
RAN_S, STALL_WAIT_S, CRANKS_S, RESTARTS = 3.0, 2.0, 4.0, 3
"""How a driver restarts an engine that died: after how long, how long the key is held, how often."""
MISTAKES, ROUGH_MISTAKES = 0.00005, 0.03
SOAKS_H = 2.5
"""Time constant of an engine that cools (common practice: cold after a night)."""
FLAT_S = 1800.0
"""How long a battery that is not charged feeds a running car."""
KEY_ON_FLAT_H = 5.0
"""How long a full battery lasts with the key left on (common practice: it is flat in the morning)."""
EMPTY_SHARE, EMPTY_V = 0.02, 3.5
"""Below this charge the voltage falls away, down to this."""
AWAKE_V = 6.5
"""Control units need so much to be awake."""
AGED_V = 0.15
"""How much harder a battery taken to be old is charged."""
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
    soot_g: float = 8.0
    charge_share: float = 1.0
    hybrid_charge: float = 0.6


@dataclass
class Trip:
    """The present or last drive cycle."""

    started: bool = False
    start_coolant_c: float = 0.0
    top_coolant_c: float = 0.0
    count: int = 0
    ran_s: float = 0.0
    fast_s: float = 0.0
    idle_s: float = 0.0
    idled: bool = False

    @property
    def general(self) -> bool:
        """Whether it was a trip that in-use counters and permanent codes count: ten minutes' running, five of them at
        40 km/h or more, half a minute's idle without a break (13 CCR 1968.2 [S], figures from memory)."""
        return self.ran_s >= 600.0 and self.fast_s >= 300.0 and self.idled

    def run(self, seconds: float, speed_kmh: float, pedal: float) -> None:
        """So much longer with the engine running."""
        self.ran_s += seconds
        self.fast_s += seconds if speed_kmh >= 40.0 else 0.0
        self.idle_s = self.idle_s + seconds if speed_kmh < 1.6 and pedal < 0.01 else 0.0
        self.idled = self.idled or self.idle_s >= 30.0


class Vehicle:
    """The whole car. ``step()`` advances it by 20 ms; everything else sets what the driver or mechanic does."""

    def __init__(
        self,
        identity: Identity,
        model: CarModel | None = None,
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
        self._electrics = Electrics(model)
        self.engine = (DieselEngine if model.diesel else Engine)(
            model, self.parts, self._electrics, self.air, self.random
        )
        if coolant_c is not None:
            self.engine.state.coolant_c = coolant_c
        self.memory = Memory.of(model.cylinders, len(model.banks))
        # Carbon comes slowly: idle has learnt most of it on the way.
        self.memory.idle_learnt = 0.9 * CARBON_SHIFT * self.parts.throttle_carbon
        self.management = (DieselManagement if model.diesel else EngineManagement)(self.memory, model)
        self.hybrid = ElectricDrive(model.hybrid) if model.hybrid else None
        self.monitors = all_monitors(model)
        self.monitors.append(LostModules(self.parts))
        if self.hybrid:
            self.monitors.append(HybridPack(self.hybrid))
        self.readings = Readings(banks=[BankReadings() for _ in model.banks])
        self.sensors = Sensors(model, self._electrics, self.engine, self.random)
        self.watch = Watch(self.readings, self.management, self.memory, self.frame, self._electrics)
        self.driver = Driver()
        self.commanded = Commanded()
        self.routines = Routines()
        self.trip = Trip()
        self.key = Key.OFF
        self.speed_kmh = 0.0
        self.gear = 0
        self.grade = 0.0
        self.odometer_km = odometer_km
        self.fuel_level_pct = 58.0
        self.clock_s = 0.0
        self.supply_v = 12.5
        self.charge_share = 1.0
        self.chassis: dict[str, Any] = {}
        self.bystanders: list[Callable[[float], None]] = []
        self._looked_s = self._felt_s = self._stalled_s = self._ran_s = 0.0
        self._is_ready = self._is_down = False
        self._steps = 0
        self._plan: list[Segment] = []
        self._segment_left = 0.0
        self.plan_total_s = 0.0

    @property
    def electrics(self) -> Electrics:
        """The wires as they are now."""
        self._electrics.look(self.parts)
        return self._electrics

    @property
    def powered(self) -> bool:
        """Whether the control units are awake: the key is on and the supply is there."""
        return self.key is not Key.OFF and self.supply_v > AWAKE_V

    # -- what the driver does -----------------------------------------------------------------------------

    def turn_key(self, key: Key) -> None:
        """Turn the key. Off after running ends the drive cycle; on powers the control unit up."""
        if key is self.key:
            return
        if key is Key.OFF:
            if self.trip.started:
                rise = self.trip.top_coolant_c - self.trip.start_coolant_c
                self.memory.end_trip(rise >= 22.0 and self.trip.top_coolant_c >= 70.0, general=self.trip.general)
                self.trip.started = False
            self.driver.want_kmh = self.driver.want_rpm = 0.0
        elif self.key is Key.OFF:
            self.management.power_up()
        self._is_ready = bool(self.hybrid) and (key is Key.START or (self._is_ready and key is Key.ON))
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

    def soak(self, hours: float) -> None:
        """Stand with the engine off for so long: everything tends to the temperature outside."""
        state, kept = self.engine.state, math.exp(-hours / SOAKS_H)
        outside = self.air.temperature_c
        state.coolant_c = outside + (state.coolant_c - outside) * kept
        state.intake_c = outside + (state.intake_c - outside) * kept**2
        state.exhaust_c = outside + (state.exhaust_c - outside) * kept**3
        state.filter_c = outside + (state.filter_c - outside) * kept**2
        for exhaust in state.banks:
            exhaust.catalyst_c = outside + (exhaust.catalyst_c - outside) * kept**3
        self.engine.systems.tank_kpa = 0.0
        self.clock_s += hours * 3600.0
        self._looked_s = self._felt_s = self.clock_s

    def leave_key_on(self, hours: float) -> None:
        """Stand with the key on for so long: the battery gives what it has."""
        self.turn_key(Key.ON)
        end = max(self.charge_share - hours / KEY_ON_FLAT_H, 0.0)
        while self.charge_share > end:
            taken = 0.05 if self.charge_share > 0.1 else 0.0008  # the voltage falls away at the very end
            self.charge_share = max(self.charge_share - taken, end)
            self.run(1.0)
        self.soak(hours)

    # -- what the mechanic does ---------------------------------------------------------------------------

    def unplug(self, component: str) -> None:
        """Take a component's connector off; of the battery, its cable."""
        self.parts.unplugged.add(component)
        if component == "battery":
            self.memory.forget()

    def charge(self) -> None:
        """A charger on the battery, until it is full."""
        self.charge_share = 1.0

    def plug(self, component: str) -> None:
        """Put a component's connector back on."""
        self.parts.unplugged.discard(component)
        if component == "battery":
            self.supply_v = 10.9 + 1.65 * self.charge_share

    def mend(self, component: str) -> bool:
        """Repair or renew a component; True when that changed anything. What is learnt with the part follows: a new
        crank sensor has to be learnt, a throttle is learnt as the work says, a filter has its own true load of ash."""
        before = (self.charge_share, self.memory.throttle_learnt, self.memory.crank_learnt)
        if component == "battery":
            self.charge()
        if component in ("throttle_body", "throttle_motor", "throttle_sensor"):
            self.memory.throttle_learnt = component == "throttle_body"
        if component in ("crank_sensor", "crank_wheel"):
            self.memory.crank_learnt = False
        after = (self.charge_share, self.memory.throttle_learnt, self.memory.crank_learnt)
        return mend(self.parts, component, self.model) or before != after

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
        self._restart(running)
        cranking = self.key is Key.START and not running
        if self.key is Key.START and (state.rpm > 600.0 or self.hybrid):
            self.key = Key.ON
        if self.hybrid:
            cranking = self._ready(running)
        self._unsteady(running)
        electrics = self.electrics
        crank_rpm = self._supply(running, cranking)
        self.driver.act(state.rpm, self.speed_kmh)
        powered = self.powered
        if not powered and self.key is not Key.OFF and not self._is_down:
            self.memory.forget()
        self._is_down = not powered and self.key is not Key.OFF
        management = self.management
        if powered:
            self.sensors.read(
                self.readings,
                speed_kmh=self.speed_kmh,
                pedal=self.driver.pedal,
                supply_v=self.supply_v,
                level_pct=self.fuel_level_pct,
                air=self.air,
                sensor_hot=management.sensor_hot,
                heater_on=management.state.heater_on,
            )
            management.rests = self.hybrid is not None and not self.hybrid.engine_wanted
            command = management.step(self.readings, cranking)
        else:
            command = management.state.command
            command.fuel_gps = [0.0] * len(self.model.banks)
            command.cranking = False
        self.commanded.step(self, DT)
        self.routines.step(self, DT)
        command.injectors_off, command.coils_off = self._dead_outputs(electrics)
        command.injectors_open = frozenset(
            n for n in range(self.model.cylinders) if f"injector_{n + 1}" in electrics.stuck_on
        )
        imposed, load = self._drive_line(running)
        self.engine.step(command, load, imposed, self.speed_kmh, pedal=self.driver.pedal, crank_rpm=crank_rpm)
        if powered:
            self._observe(running, cranking)
        if self.bystanders and self.clock_s - self._looked_s >= BYSTANDERS_LOOK_S:
            for look in self.bystanders:
                look(self.clock_s - self._looked_s)
            self._looked_s = self.clock_s

    def _observe(self, running: bool, cranking: bool) -> None:
        state, memory, watch = self.engine.state, self.memory, self.watch
        watch.cranking = cranking
        if running and not self.trip.started:
            self.trip = Trip(True, state.coolant_c, state.coolant_c, self.trip.count + 1)
            memory.begin_trip()
            for monitor in self.monitors:
                monitor.start()
        watch.missed.clear()
        watch.turns = state.rpm / 60.0 * DT
        if running and sum(self.management.state.command.fuel_gps) > 0.0:
            # Crank slowdown is seen for nearly every real misfire, and now and then without one; old software sees it
            # on every rough road.
            mistakes = ROUGH_MISTAKES if self.parts.software_old and self.speed_kmh > 20.0 else MISTAKES
            for cylinder, fired in state.fired:
                if (not fired and self.random.random() < 0.96) or (fired and self.random.random() < mistakes):
                    watch.missed.append(cylinder)
        self._steps += 1
        slow = self._steps % SLOW_EVERY == 0
        for monitor in self.monitors:
            if slow or not isinstance(monitor, SlowMonitor):
                monitor.step(watch)
        if running or self._is_ready:
            self.trip.run(DT, self.speed_kmh, self.driver.pedal)
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
            if segment.refuel_pct:
                self.fuel_level_pct = max(self.fuel_level_pct, segment.refuel_pct)
            if segment.soak_h:
                self.soak(segment.soak_h)
        self._segment_left -= DT
        if self._segment_left <= 0.0 and not self._plan:
            self.stop()

    def _restart(self, running: bool) -> None:
        """A driver whose engine dies on the way tries again, some times."""
        if running or self.hybrid or self.key is Key.OFF or not self.driving:
            self._ran_s = self._ran_s + DT if running else 0.0
            self._stalled_s = 0.0
            return
        if self._stalled_s == 0.0 and self._ran_s < RAN_S:
            return  # it is only being started
        self._stalled_s += DT
        turn, waited = divmod(self._stalled_s, STALL_WAIT_S + CRANKS_S)
        if turn < RESTARTS:
            self.key = Key.START if waited > STALL_WAIT_S else Key.ON

    def _ready(self, running: bool) -> bool:
        """Whether the motor of a hybrid turns its engine to start it; it stays ready until the key is off."""
        drive = self.hybrid
        assert drive
        if self.key is Key.OFF:
            self._is_ready = False
        drive.decide(
            ready=self._is_ready,
            coolant_c=self.engine.state.coolant_c,
            speed_kmh=self.speed_kmh,
            pedal=self.driver.pedal,
            held=self.driver.want_rpm > 0.0,
            seconds=DT,
        )
        return drive.engine_wanted and not running

    def _unsteady(self, running: bool) -> None:
        """What comes and goes: a half seated plug as the engine shakes, a wire that parts by vibration, heat, wet."""
        parts = self.parts
        if parts.loose or parts.apart:
            shaken = self.key is not Key.OFF
            parts.apart = {n for n in sorted(parts.loose) if shaken and self.random.random() < LOOSE_SHARE}
        if not (parts.moods or parts.acting) or self.clock_s - self._felt_s < FEELS_S:
            return
        self._felt_s = self.clock_s
        coolant = self.engine.state.coolant_c
        shaking = running and (self.speed_kmh > 15.0 or self.engine.state.rpm > 1800.0)
        chance = {
            "vibration": SHAKEN_SHARE if shaking else 0.0,
            "heat": 1.0 if coolant > HOT_C else 0.0,
            "moisture": 1.0 if self.air.wet and coolant < DRY_C else 0.0,
        }
        parts.acting = {n for n, (_, _, cause) in parts.moods.items() if self.random.random() < chance[cause]}

    def _supply(self, running: bool, cranking: bool) -> float:
        """The supply's voltage follows battery, alternator and starter; how fast the starter turns the engine."""
        parts, model = self.parts, self.model
        charging = self._is_ready and parts.converter if self.hybrid else running and parts.charging > 0.5
        moved = DT / 120.0 if charging else (-DT / FLAT_S if running or self._is_ready else 0.0)
        self.charge_share = min(max(self.charge_share + moved, 0.0), 1.0)
        rested = 10.9 + 1.65 * self.charge_share
        if self.charge_share < EMPTY_SHARE:
            rested = EMPTY_V + (rested - EMPTY_V) * self.charge_share / EMPTY_SHARE
        aged = AGED_V * (self.memory.battery_aged - 0.3)
        wanted = 14.2 + aged if charging else rested * (0.93 + 0.07 * parts.battery_health)
        if self.key is not Key.OFF and not charging:
            wanted -= 0.25
        crank_rpm = 255.0
        if model.hybrid:
            crank_rpm = SPUN_RPM
        elif cranking:
            share, volts = cranking_of(parts.battery_health * (0.4 + 0.6 * self.charge_share), parts.strap_ohm)
            wanted, crank_rpm = volts, 255.0 * share
            if self.charge_share < EMPTY_SHARE:
                wanted, crank_rpm = min(wanted, rested), 0.0
        if "battery" in parts.unplugged and not charging:
            wanted = crank_rpm = 0.0
        self.supply_v += (wanted - self.supply_v) * 0.15
        return crank_rpm

    def _dead_outputs(self, electrics: Electrics) -> tuple[frozenset[int], frozenset[int]]:
        off, every = electrics.dead, range(self.model.cylinders)
        if not off:
            return frozenset(), frozenset()
        return (
            frozenset(n for n in every if f"injector_{n + 1}" in off),
            frozenset(n for n in every if f"ignition_coil_{n + 1}" in off or "distributor" in off),
        )

    def _drive_line(self, running: bool) -> tuple[float | None, float]:
        """(imposed engine speed or None, torque taken from the engine); moves the car."""
        model = self.model
        accessories = 3.0 * model.size if running else 0.0
        speed = self.speed_kmh
        if self.hybrid:
            accessories += self.hybrid.generate(
                running=running, rpm=self.engine.state.rpm, parts=self.parts, seconds=DT
            )
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
        elif running and self.driver.want_kmh > 0.5 and not self.hybrid:
            clutch = model.size * min(max((state.rpm - model.idle_rpm - 90.0) * 0.12, 0.0), 90.0)
        else:
            clutch = 0.0
        metres = speed / 3.6
        force = clutch * turn_per_metre * 0.92
        if self.hybrid:
            force += self.hybrid.force(
                speed_kmh=speed,
                pedal=self.driver.pedal,
                brake=self.driver.brake,
                engine_drives=coupled,
                mass_kg=model.mass_kg,
                parts=self.parts,
                seconds=DT,
                ready=self._is_ready,
            )
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

    def clear(self) -> None:
        """Service 04: the memory is cleared, and every monitor begins anew: what is wrong now is found again."""
        self.memory.clear()
        for monitor in self.monitors:
            monitor.start()

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
        sets = {name: sorted(value) for name, value in asdict(self.parts).items() if isinstance(value, set)}
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
                state.soot_g,
                self.charge_share,
                self.hybrid.charge if self.hybrid else 0.6,
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
        state.soot_g, self.charge_share = values.soot_g, values.charge_share
        self.clock_s = self._looked_s = values.clock_s
        if self.hybrid:
            self.hybrid.charge = values.hybrid_charge
        for key, held in values.chassis.items():
            if key in self.chassis:
                self.chassis[key].__dict__.update(held)
