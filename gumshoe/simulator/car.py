"""What a stand-in is made of, and what driver and mechanic do to it. How it moves on in time is ``vehicle.py``'s."""

from __future__ import annotations

import math
from collections.abc import Iterable
from random import Random
from typing import Any

from gumshoe.simulator.control import EngineManagement
from gumshoe.simulator.defects import defects_of
from gumshoe.simulator.diesel_control import DieselManagement
from gumshoe.simulator.diesel_engine import DieselEngine
from gumshoe.simulator.driver import Driver
from gumshoe.simulator.drives import Segment
from gumshoe.simulator.electrics import Electrics
from gumshoe.simulator.engine import CARBON_SHIFT, Air, Engine
from gumshoe.simulator.hybrid import ElectricDrive
from gumshoe.simulator.identity import Identity, Key
from gumshoe.simulator.memory import Memory
from gumshoe.simulator.mending import mend, mend_wiring, reached_with
from gumshoe.simulator.models import CarModel, models
from gumshoe.simulator.monitors import Misfire, all_monitors
from gumshoe.simulator.parts import healthy
from gumshoe.simulator.petrol_filter import FilteredEngine
from gumshoe.simulator.sensors import BankReadings, Readings, Sensors
from gumshoe.simulator.system_monitors import HybridPack, LostModules
from gumshoe.simulator.trip import Trip

SOAKS_H = 2.5
"""Time constant of an engine that cools (common practice: cold after a night)."""
AWAKE_V = 6.5
"""Control units need so much to be awake."""


class Car:
    """Engine, wires, control unit, driver and battery, and where the car stands."""

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
        self.wires = Electrics(model)
        kind = DieselEngine if model.diesel else FilteredEngine if model.filtered else Engine
        self.engine = kind(model, self.parts, self.wires, self.air, self.random)
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
        self.sensors = Sensors(model, self.wires, self.engine, self.random)
        self.driver = Driver()
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
        self.looked_s = self.felt_s = self.stalled_s = self.ran_s = 0.0
        self.is_ready = self.is_down = False
        self.plan: list[Segment] = []
        self.segment_left = 0.0
        self.plan_total_s = 0.0

    @property
    def electrics(self) -> Electrics:
        """The wires as they are now."""
        self.wires.look(self.parts)
        return self.wires

    @property
    def powered(self) -> bool:
        """Whether the control units are awake: the key is on and the supply is there."""
        return self.key is not Key.OFF and self.supply_v > AWAKE_V

    @property
    def lamp_flashing(self) -> bool:
        """Whether the lamp flashes now: catalyst-damaging misfire."""
        monitor = self.monitors[0]
        return isinstance(monitor, Misfire) and monitor.flashing and self.engine.state.rpm > 350.0

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
        self.is_ready = bool(self.hybrid) and (key is Key.START or (self.is_ready and key is Key.ON))
        self.key = key

    def begin(self, plan: tuple[Segment, ...]) -> None:
        """Start driving a profile from its first segment."""
        self.plan = list(plan)
        self.segment_left = 0.0
        self.plan_total_s = sum(segment.seconds for segment in plan)

    @property
    def driving(self) -> bool:
        """Whether a profile is still being driven."""
        return bool(self.plan) or self.segment_left > 0.0

    @property
    def plan_left_s(self) -> float:
        """Simulated seconds of the profile still to come."""
        return sum(segment.seconds for segment in self.plan) + max(self.segment_left, 0.0)

    def stop(self) -> None:
        """End the profile and bring the driver's feet off the pedals."""
        self.plan, self.segment_left = [], 0.0
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
        self.looked_s = self.felt_s = self.clock_s

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

    def mend(self, component: str, work: str = "renew") -> bool:
        """Work on a component (see ``mending.mend``); True when that changed anything. What is learnt with the part
        follows: a new crank sensor has to be learnt, a throttle is learnt as the work says, a filter has its own true
        load of ash."""
        before = (self.charge_share, self.memory.throttle_learnt, self.memory.crank_learnt)
        if component == "battery":
            self.charge()
        if component in ("throttle_body", "throttle_motor", "throttle_sensor"):
            self.memory.throttle_learnt = component == "throttle_body"
        if component in ("crank_sensor", "crank_wheel"):
            self.memory.crank_learnt = False
        after = (self.charge_share, self.memory.throttle_learnt, self.memory.crank_learnt)
        return mend(self.parts, component, self.model, work) or before != after

    def carry_out(self, component: str, reached: Iterable[str], *, work: str) -> bool:
        """Carry a repair out; True when that changed anything.

        ``work``: by ``wiring`` plugs go back on what is ``reached`` (``mending.reached_with``), but no part is mended;
        else what is done with the part: see ``mending.mend``.
        """
        before = repr(self.parts)
        if work == "wiring":
            for name in reached_with(component, reached):
                mend_wiring(self.parts, name)
            if component in self.model.points:
                self.mend(component)
        else:
            self.mend(component, work)
        return repr(self.parts) != before
