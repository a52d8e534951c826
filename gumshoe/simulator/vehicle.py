"""One stand-in vehicle as time goes, in steps of 20 ms.

Determinism: the same seed and the same commands give the same bytes.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from gumshoe.simulator import persistence
from gumshoe.simulator.battery import supply
from gumshoe.simulator.car import Car
from gumshoe.simulator.comes_and_goes import unsteady
from gumshoe.simulator.commanded import Commanded
from gumshoe.simulator.current import current_data
from gumshoe.simulator.drive_line import drive
from gumshoe.simulator.driving import follow_plan, ready, restart
from gumshoe.simulator.electrics import Electrics
from gumshoe.simulator.engine import DT, Air
from gumshoe.simulator.identity import Identity, Key
from gumshoe.simulator.models import CarModel
from gumshoe.simulator.routines import Routines
from gumshoe.simulator.trip import Trip
from gumshoe.simulator.watch import SLOW_EVERY, SlowMonitor, Watch

__all__ = ["Identity", "Key", "Vehicle"]
MISTAKES, ROUGH_MISTAKES = 0.00005, 0.03
KEY_ON_FLAT_H = 5.0
"""How long a full battery lasts with the key left on (common practice: it is flat in the morning)."""
BYSTANDERS_LOOK_S = 0.2
"""How often the modules beyond the engine look at the bus."""


class Vehicle(Car):
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
        super().__init__(
            identity, model, defects=defects, seed=seed, air=air, coolant_c=coolant_c, odometer_km=odometer_km
        )
        self.watch = Watch(self.readings, self.management, self.memory, self.frame, self.wires)
        self.commanded = Commanded()
        self.routines = Routines()
        self.bystanders: list[Callable[[float], None]] = []
        self._steps = 0

    def leave_key_on(self, hours: float) -> None:
        """Stand with the key on for so long: the battery gives what it has."""
        self.turn_key(Key.ON)
        end = max(self.charge_share - hours / KEY_ON_FLAT_H, 0.0)
        while self.charge_share > end:
            taken = 0.05 if self.charge_share > 0.1 else 0.0008  # the voltage falls away at the very end
            self.charge_share = max(self.charge_share - taken, end)
            self.run(1.0)
        self.soak(hours)

    def run(self, seconds: float) -> None:
        """Advance by that many simulated seconds."""
        for _ in range(round(seconds / DT)):
            self.step()

    def step(self) -> None:
        """Advance by 20 ms."""
        self.clock_s += DT
        if self.plan or self.segment_left > 0.0:
            follow_plan(self)
        state = self.engine.state
        running = state.rpm > 350.0
        restart(self, running)
        cranking = self.key is Key.START and not running
        if self.key is Key.START and (state.rpm > 600.0 or self.hybrid):
            self.key = Key.ON
        if self.hybrid:
            cranking = ready(self, running)
        unsteady(self, running)
        electrics = self.electrics
        crank_rpm = supply(self, running, cranking)
        self.driver.act(state.rpm, self.speed_kmh)
        powered = self.powered
        if not powered and self.key is not Key.OFF and not self.is_down:
            self.memory.forget()
        self.is_down = not powered and self.key is not Key.OFF
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
        imposed, load = drive(self, running)
        self.engine.step(command, load, imposed, self.speed_kmh, pedal=self.driver.pedal, crank_rpm=crank_rpm)
        if powered:
            self._observe(running, cranking)
        if self.bystanders and self.clock_s - self.looked_s >= BYSTANDERS_LOOK_S:
            for look in self.bystanders:
                look(self.clock_s - self.looked_s)
            self.looked_s = self.clock_s

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
        if running or self.is_ready:
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

    def _dead_outputs(self, electrics: Electrics) -> tuple[frozenset[int], frozenset[int]]:
        off, every = electrics.dead, range(self.model.cylinders)
        if not off:
            return frozenset(), frozenset()
        return (
            frozenset(n for n in every if f"injector_{n + 1}" in off),
            frozenset(n for n in every if f"ignition_coil_{n + 1}" in off or "distributor" in off),
        )

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

    # -- persistence --------------------------------------------------------------------------------------

    def save(self) -> dict[str, Any]:
        """Plain values for a state file."""
        return persistence.save(self)

    def restore(self, saved: dict[str, Any]) -> None:
        """Take over what ``save`` gave; raises pydantic's ValidationError when the values do not fit."""
        persistence.restore(self, saved)
