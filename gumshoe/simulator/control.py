"""The stand-in control unit's engine management: air, fuel with closed loop and learnt trims, spark, idle.

It works only from its sensors' readings (``Readings``), never from the physics.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from enum import StrEnum

from gumshoe.simulator.engine import AFR, DT, Actuation
from gumshoe.simulator.memory import Memory
from gumshoe.simulator.models import CarModel
from gumshoe.simulator.sensors import BankReadings, Readings

OPEN_COLD, CLOSED, OPEN_LOAD, OPEN_FAULT = 0x01, 0x02, 0x04, 0x08
STFT_LIMIT = 0.20
LTFT_LIMIT = 0.25
# Fuel cells of the learnt trim: idle, then by air flow in g/s of an engine of the reference size.
CELL_LIMITS_GPS = (12.0, 30.0)
IDLE_C = (20.0, 80.0)
LEARNS_S, IDLE_LEARNT = 30.0, (-0.006, 0.035)
"""How slowly idle learns what it needs, and how much of it."""
LEAST_LOAD = 0.26
"""Below this load the cams stay at rest: burnt gas left in the cylinder would make it miss."""
LIMP_THROTTLE, LIMP_PEDAL = 0.060, 0.35
UNLEARNT_THROTTLE = 0.0440
"""How far a plate stays off its stop while the stop is not known."""
SYNC_S = 2.0
"""How much longer it cranks when no cam signal tells which turn this is."""


class LeakTest(StrEnum):
    """What the tank's leak test asks of purge and vent valve."""

    NONE = ""
    PULL = "pull"
    HOLD = "hold"


@dataclass
class BankControl:
    """Mixture control of one bank."""

    stft: float = 0.0
    stft_mean: float = 0.0
    rear_bias: float = 0.0
    fuel_state: int = OPEN_COLD
    lambda_command: float = 1.0
    sensor_heat: float = 0.0

    @property
    def sensor_hot(self) -> bool:
        """Whether the upstream sensor is warm enough to be used."""
        return self.sensor_heat > 0.95


@dataclass
class ControlState:
    """What the control unit remembers while it is powered."""

    run_time_s: float = 0.0
    cell: int = 0
    idle_integral: float = 0.0
    throttle: float = 0.0
    spark_deg: float = 8.0
    purge: float = 0.0
    load_pct: float = 0.0
    abs_load_pct: float = 0.0
    air_gps: float = 0.0
    model_gps: float = 0.0
    target_rpm: float = 760.0
    heater_on: bool = False
    gate: float = 0.0
    boost_target_kpa: float = 0.0
    cam_targets_deg: list[float] = field(default_factory=list)
    rail_target_kpa: float = 0.0
    high_valve: float = 0.0
    limp: bool = False
    leak_test: LeakTest = LeakTest.NONE
    cranked_s: float = 0.0
    synced: bool = False
    start_coolant_c: float = 0.0
    metering_usable: bool = True
    banks: list[BankControl] = field(default_factory=lambda: [BankControl()])
    command: Actuation = field(default_factory=Actuation)


class EngineManagement:
    """Turns readings into commands, 50 times a second."""

    def __init__(self, memory: Memory, model: CarModel) -> None:
        self.rests = False
        """A hybrid's engine that is not wanted: it may still be turning, without fuel and so without closed loop."""
        self.memory, self.model = memory, model
        self.power_up()

    def power_up(self) -> None:
        """Key on: volatile memory starts afresh."""
        banks = len(self.model.banks)
        rest = [0.0] * len(self.model.phasers)
        self.state = ControlState(
            banks=[BankControl() for _ in range(banks)],
            command=Actuation(fuel_gps=[0.0] * banks, cams_deg=list(rest)),
            cam_targets_deg=rest,
        )

    def step(self, seen: Readings, cranking: bool) -> Actuation:
        """One step of 20 ms."""
        state, command = self.state, self.state.command
        running = self._begin(seen, cranking)
        self._air(seen)
        self._idle(seen, running)
        self._fuel(seen, running, cranking)
        self._spark(seen, running)
        self._systems(seen, running)
        # A hybrid keeps its sensors hot while its engine rests.
        state.heater_on = running or (self.model.hybrid is not None and state.run_time_s > 0.0)
        for own, bank in zip(seen.banks, state.banks, strict=True):
            warming = DT / 9.0 if own.heater_amps > 0.2 else (DT / 120.0 if running else -DT / 60.0)
            bank.sensor_heat = min(1.0, max(0.0, bank.sensor_heat + warming))
        command.spark_deg, command.purge = state.spark_deg, state.purge
        command.throttle = min(state.throttle, LIMP_THROTTLE) if state.limp else state.throttle
        return command

    def _begin(self, seen: Readings, cranking: bool) -> bool:
        """Whether the engine runs, and for how long; how long it has been cranked."""
        state = self.state
        state.command.cranking = cranking
        running = seen.rpm > 350.0
        if running:
            if state.run_time_s == 0.0:
                state.start_coolant_c = seen.coolant_c
            state.run_time_s += DT
        state.cranked_s = state.cranked_s + DT if cranking else 0.0
        return running

    @property
    def sensor_hot(self) -> tuple[bool, ...]:
        """Whether each bank's upstream sensor is warm enough to be used."""
        return tuple(bank.sensor_hot for bank in self.state.banks)

    # -- inside -------------------------------------------------------------------------------------------

    def _air(self, seen: Readings) -> None:
        state, model = self.state, self.model
        state.model_gps = model_air_gps(model, state.throttle, seen.rpm, seen.intake_c, seen.charge_kpa)
        if model.flow_metered:
            state.metering_usable = seen.meter_valid
            measured = seen.meter_gps if state.metering_usable else state.model_gps
            # The meter sees the manifold being filled as well: follow the cylinders with the manifold's time constant.
            fill_s = model.manifold_l / (0.85 * model.displacement_l * max(seen.rpm, 200.0) / 120.0)
        else:
            state.metering_usable = 0.2 < seen.pressure_v < 4.8
            measured = pressure_air_gps(model, seen) if state.metering_usable else state.model_gps
            fill_s = 0.04
        state.air_gps += (measured - state.air_gps) * DT / (DT + fill_s)
        if seen.rpm > 300.0:
            # J1979: absolute load is air per intake stroke over 1.184 g/L times the cylinder's displacement.
            state.abs_load_pct = 100.0 * state.air_gps * 120.0 / (seen.rpm * 1.184 * model.displacement_l)
            x = (seen.rpm - 4000.0) / 4000.0
            peak = (0.90 - 0.14 * x * x) * seen.baro_kpa / 101.3 * model.breath
            state.load_pct = min(100.0, state.abs_load_pct / max(peak, 0.2))
        else:
            state.abs_load_pct = state.load_pct = 0.0

    def _idle(self, seen: Readings, running: bool) -> None:
        state = self.state
        low, high = IDLE_C
        cold = min(max((high - seen.coolant_c) / (high - low), 0.0), 1.0)
        state.target_rpm = self.model.idle_rpm + 420.0 * cold
        learnt = self.memory.idle_learnt
        base = 0.0345 + learnt + 0.020 * cold + 0.012 * max(0.0, 1.0 - state.run_time_s / 3.0)
        pedal = self._pedal(seen)
        if running and pedal < 0.01 and seen.speed_kmh < 3.0:
            error = (state.target_rpm - seen.rpm) / 1000.0
            state.idle_integral = min(max(state.idle_integral + 0.020 * error * DT, -0.0100), 0.03)
            if seen.coolant_c > 70.0 and state.run_time_s > 10.0:
                moved = min(max(learnt + state.idle_integral * DT / LEARNS_S, IDLE_LEARNT[0]), IDLE_LEARNT[1])
                state.idle_integral -= moved - learnt
                self.memory.idle_learnt = moved
            state.throttle = base + state.idle_integral + min(max(0.012 * error, -0.003), 0.012)
            # The plate has a stop the control unit will not go below; while it does not know the stop, it stays off it.
            state.throttle = max(state.throttle, 0.0270 if self.memory.throttle_learnt else UNLEARNT_THROTTLE)
            state.command.idle = state.throttle
        else:
            state.command.idle = base + state.idle_integral
            state.throttle = min(1.0, state.command.idle + 0.95 * max(pedal, 0.0) ** 1.5)

    def _pedal(self, seen: Readings) -> float:
        """The pedal it goes by; what it cannot be sure of moves the car only slowly. A plate that tells two positions
        is let go: the springs hold it a little open."""
        plate = seen.plate
        self.state.limp = self.model.electronic_throttle and not (
            plate.agree or (plate.first_valid != plate.second_valid)
        )
        told = seen.pedal
        return told.value if told.agree else min(told.value, LIMP_PEDAL)

    def _fuel(self, seen: Readings, running: bool, cranking: bool) -> None:
        state, command = self.state, self.state.command
        shares = len(state.banks)
        if not running:
            state.synced = seen.rpm > 0.0 and (state.synced or seen.cams_valid or state.cranked_s > SYNC_S)
            cranked = 1.25 * state.model_gps / AFR / shares if cranking and state.synced else 0.0
            command.fuel_gps = [cranked] * shares
            for bank in state.banks:
                bank.fuel_state, bank.stft = OPEN_COLD, 0.0
            return
        overrun = seen.pedal.value < 0.01 and seen.rpm > 1600.0 and state.run_time_s > 5.0 and seen.speed_kmh > 12.0
        if overrun or self.rests:
            command.fuel_gps = [0.0] * shares
            for bank in state.banks:
                bank.fuel_state, bank.stft = OPEN_LOAD, 0.0
            return
        state.cell = self._cell(seen)
        cold = min(max((40.0 - seen.coolant_c) / 60.0, 0.0), 1.0)
        enrich = 1.0 + 0.25 * cold * max(0.0, 1 - state.run_time_s / 60)
        enrich += 0.10 * max(0.0, 1.0 - state.run_time_s / 25.0)
        for index, (bank, own) in enumerate(zip(state.banks, seen.banks, strict=True)):
            learnt = self.memory.ltft[index]
            trim = 1.0 + self._mixture(seen, bank, own, learnt) + learnt[state.cell]
            command.fuel_gps[index] = max(0.0, state.air_gps / shares / (AFR * bank.lambda_command) * trim * enrich)
        warm = seen.coolant_c > 60.0 and state.banks[0].fuel_state == CLOSED
        wanted = min(0.9, 0.15 + state.air_gps / (40.0 * self.model.size)) if warm and state.cell != 0 else 0.0
        wanted = {LeakTest.PULL: 0.6, LeakTest.HOLD: 0.0}.get(state.leak_test, wanted)
        state.purge += (wanted - state.purge) * DT / 2.0

    def _mixture(self, seen: Readings, bank: BankControl, own: BankReadings, learnt: list[float]) -> float:
        """The correction of one bank in this step; moves its short and learnt trims while in closed loop."""
        state = self.state
        full = seen.pedal.value > 0.85
        if not (bank.sensor_hot and own.upstream_ready and seen.coolant_c > 30.0 and state.run_time_s > 10.0) or full:
            cold = own.upstream_ready or state.run_time_s < 60.0
            bank.fuel_state = OPEN_LOAD if full else (OPEN_COLD if cold else OPEN_FAULT)
            bank.lambda_command = 0.88 if full else 1.0
            bank.stft *= 0.98
            return bank.stft
        bank.fuel_state = CLOSED
        dither = 0.012 if (state.run_time_s * 0.8) % 1.0 < 0.5 else -0.012
        if state.run_time_s > 60.0:
            bank.rear_bias = min(max(bank.rear_bias + (own.downstream_v - 0.66) * DT * 0.01, -0.015), 0.015)
        bank.lambda_command = 1.0 + dither + bank.rear_bias
        error = min(max(own.lambda_upstream - bank.lambda_command, -0.15), 0.15)
        bank.stft = min(max(bank.stft + 0.8 * error * DT, -STFT_LIMIT), STFT_LIMIT)
        correction = bank.stft + 0.18 * error
        if seen.coolant_c > 65.0:
            cell = learnt[state.cell]
            moved = min(max(cell + bank.stft * DT / 9.0, -LTFT_LIMIT), LTFT_LIMIT)
            bank.stft -= moved - cell
            learnt[state.cell] = moved
        bank.stft_mean += (bank.stft - bank.stft_mean) * DT / 3.0
        return correction

    def _cell(self, seen: Readings) -> int:
        if seen.pedal.value < 0.01 and seen.rpm < 1300.0:
            return 0
        for number, limit in enumerate(CELL_LIMITS_GPS, 1):
            if self.state.air_gps < limit * self.model.size:
                return number
        return 3

    def _systems(self, seen: Readings, running: bool) -> None:
        """Boost by the gate, the cams by speed and load, the rail by its valve; the vent shuts for the leak test."""
        state, command, model, pedal = self.state, self.state.command, self.model, seen.pedal.value
        if model.boost_kpa:
            wanted = model.boost_kpa * min(max((pedal - 0.25) / 0.55, 0.0), 1.0) if seen.charge_valid else 0.0
            state.boost_target_kpa = wanted
            over = (seen.charge_kpa - seen.baro_kpa) - wanted if seen.charge_valid else 50.0
            state.gate = min(max(state.gate + 0.02 * over * DT, 0.0), 1.0) if running else 0.0
            command.gate = state.gate
        if model.phasers:
            part_load = running and pedal > 0.02 and seen.rpm > 1200.0 and seen.coolant_c > 50.0
            wanted = min((seen.rpm - 1200.0) / 60.0, 0.8 * model.cam_travel_deg) if part_load else 0.0
            wanted *= min(max((state.load_pct / 100.0 - LEAST_LOAD) / 0.08, 0.0), 1.0)
            # The exhaust cam opens later as the intake cam opens earlier, by less.
            state.cam_targets_deg = [wanted if cam.which == "intake" else 0.6 * wanted for cam in model.phasers]
            command.cams_deg = list(state.cam_targets_deg)
        if model.direct_kpa:
            self._rail(seen)
        command.vent_shut = state.leak_test is not LeakTest.NONE

    def _rail(self, seen: Readings) -> None:
        """Pressure of direct injection by load: the pump's valve opened for what is used, and by the error."""
        state, command, full = self.state, self.state.command, self.model.direct_kpa
        state.rail_target_kpa = full * (0.3 + 0.7 * min(state.load_pct / 100.0, 1.0))
        if not seen.rail_valid:
            state.high_valve, command.pulse_share = 0.25, math.sqrt(0.5)
        else:
            used = sum(command.fuel_gps) / max(16.0 * self.model.size * seen.rpm / 6000.0, 0.05)
            error = (state.rail_target_kpa - seen.rail_kpa) / full
            state.high_valve = min(max(used + 1.5 * error, 0.0), 1.0)
            command.pulse_share = math.sqrt(max(seen.rail_kpa, 300.0) / full)
        command.high_valve = state.high_valve

    def _spark(self, seen: Readings, running: bool) -> None:
        state = self.state
        if not running:
            state.spark_deg = 8.0
            return
        if seen.pedal.value < 0.01 and seen.speed_kmh < 3.0:
            state.spark_deg = min(max(12.0 + (state.target_rpm - seen.rpm) * 0.05, 4.0), 20.0)
        else:
            state.spark_deg = min(34.0, 27.0 - 0.13 * state.load_pct + (seen.rpm - 1500.0) / 400.0)


def full_air_gps(model: CarModel, rpm: float, intake_c: float, kpa: float) -> float:
    """What the engine swallows at that manifold pressure: its filling table times density (speed-density)."""
    x = (rpm - 4000.0) / 4000.0
    density = kpa * 1000.0 / (287.0 * (intake_c + 285.15))
    return (0.90 - 0.14 * x * x) * density * model.displacement_l * rpm / 120.0


def pressure_air_gps(model: CarModel, seen: Readings) -> float:
    """Air from manifold pressure, speed and temperature. The charge takes up some of the coolant's heat on its way."""
    warmed_c = seen.intake_c + 0.18 * (seen.coolant_c - seen.intake_c) - 12.0
    return full_air_gps(model, seen.rpm, warmed_c, seen.map_kpa)


def model_air_gps(model: CarModel, throttle: float, rpm: float, intake_c: float, baro_kpa: float) -> float:
    """The control unit's substitute for its sensor: the throttle's own flow map, choked below the pumped flow."""
    if rpm < 60.0:
        return 0.0
    area = model.throttle_seep_mm2 + model.throttle_full_mm2 * throttle**1.6
    choked = area * 1e-3 * baro_kpa * 1000.0 * 0.6847 / (287.0 * (intake_c + 273.15)) ** 0.5
    full = full_air_gps(model, rpm, intake_c, baro_kpa)
    # Smooth minimum of the choked flow and what the engine can swallow.
    return float((choked**-4 + full**-4) ** -0.25)
