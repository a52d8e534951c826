"""The stand-in control unit's engine management: air, fuel with closed loop and learnt trims, spark, idle.

It works only from its sensors' readings (``Readings``), never from the physics.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from gumshoe.simulator.engine import AFR, DT, Actuation
from gumshoe.simulator.memory import Memory
from gumshoe.simulator.sensors import Readings

OPEN_COLD, CLOSED, OPEN_LOAD, OPEN_FAULT = 0x01, 0x02, 0x04, 0x08
STFT_LIMIT = 0.20
LTFT_LIMIT = 0.25
# Fuel cells of the learnt trim: idle, then by air flow in g/s.
CELL_LIMITS_GPS = (12.0, 30.0)
IDLE_C = (20.0, 80.0)
DISPLACEMENT_L = 1.598
MANIFOLD_L = 2.5


@dataclass
class ControlState:
    """What the control unit remembers while it is powered."""

    run_time_s: float = 0.0
    stft: float = 0.0
    cell: int = 0
    fuel_state: int = OPEN_COLD
    lambda_command: float = 1.0
    rear_bias: float = 0.0
    idle_integral: float = 0.0
    throttle: float = 0.0
    spark_deg: float = 8.0
    purge: float = 0.0
    load_pct: float = 0.0
    abs_load_pct: float = 0.0
    air_gps: float = 0.0
    model_gps: float = 0.0
    target_rpm: float = 760.0
    sensor_heat: float = 0.0
    heater_on: bool = False
    start_coolant_c: float = 0.0
    meter_usable: bool = True
    stft_mean: float = 0.0
    command: Actuation = field(default_factory=Actuation)


class EngineManagement:
    """Turns readings into commands, 50 times a second."""

    def __init__(self, memory: Memory) -> None:
        self.memory = memory
        self.state = ControlState()

    def power_up(self) -> None:
        """Key on: volatile memory starts afresh."""
        self.state = ControlState()

    def step(self, seen: Readings, cranking: bool) -> Actuation:
        """One step of 20 ms."""
        state, command = self.state, self.state.command
        command.cranking = cranking
        running = seen.rpm > 350.0
        if running:
            if state.run_time_s == 0.0:
                state.start_coolant_c = seen.coolant_c
            state.run_time_s += DT
        self._air(seen)
        self._idle(seen, running)
        self._fuel(seen, running, cranking)
        self._spark(seen, running)
        state.heater_on = running
        warming = DT / 9.0 if seen.heater_amps > 0.2 else (DT / 120.0 if running else -DT / 60.0)
        state.sensor_heat = min(1.0, max(0.0, state.sensor_heat + warming))
        command.throttle, command.spark_deg, command.purge = state.throttle, state.spark_deg, state.purge
        return command

    @property
    def sensor_hot(self) -> bool:
        """Whether the upstream sensor is warm enough to be used."""
        return self.state.sensor_heat > 0.95

    # -- inside -------------------------------------------------------------------------------------------

    def _air(self, seen: Readings) -> None:
        state = self.state
        state.model_gps = model_air_gps(state.throttle, seen.rpm, seen.intake_c, seen.baro_kpa)
        state.meter_usable = 0.5 < seen.meter_v < 4.8
        measured = seen.meter_gps if state.meter_usable else state.model_gps
        # The meter sees the manifold being filled as well: follow the cylinders with the manifold's own time constant.
        fill_s = MANIFOLD_L / (0.85 * DISPLACEMENT_L * max(seen.rpm, 200.0) / 120.0)
        state.air_gps += (measured - state.air_gps) * DT / (DT + fill_s)
        if seen.rpm > 300.0:
            # J1979: absolute load is air per intake stroke over 1.184 g/L times the cylinder's displacement.
            state.abs_load_pct = 100.0 * state.air_gps * 120.0 / (seen.rpm * 1.184 * DISPLACEMENT_L)
            x = (seen.rpm - 4000.0) / 4000.0
            peak = (0.90 - 0.14 * x * x) * seen.baro_kpa / 101.3
            state.load_pct = min(100.0, state.abs_load_pct / max(peak, 0.2))
        else:
            state.abs_load_pct = state.load_pct = 0.0

    def _idle(self, seen: Readings, running: bool) -> None:
        state = self.state
        low, high = IDLE_C
        cold = min(max((high - seen.coolant_c) / (high - low), 0.0), 1.0)
        state.target_rpm = 760.0 + 420.0 * cold
        base = 0.0345 + 0.020 * cold + 0.012 * max(0.0, 1.0 - state.run_time_s / 3.0)
        if running and seen.pedal < 0.01 and seen.speed_kmh < 3.0:
            error = (state.target_rpm - seen.rpm) / 1000.0
            state.idle_integral = min(max(state.idle_integral + 0.020 * error * DT, -0.0100), 0.03)
            state.throttle = base + state.idle_integral + min(max(0.012 * error, -0.003), 0.012)
            # The plate has a stop the control unit will not go below.
            state.throttle = max(state.throttle, 0.0270)
        else:
            state.throttle = min(1.0, base + state.idle_integral + 0.95 * seen.pedal**1.5)

    def _fuel(self, seen: Readings, running: bool, cranking: bool) -> None:
        state, memory = self.state, self.memory
        if not running:
            state.command.fuel_gps = 1.25 * state.model_gps / AFR if cranking else 0.0
            state.fuel_state = OPEN_COLD
            state.stft = 0.0
            return
        overrun = seen.pedal < 0.01 and seen.rpm > 1600.0 and state.run_time_s > 5.0 and seen.speed_kmh > 12.0
        full = seen.pedal > 0.85
        closed = (
            self.sensor_hot
            and seen.upstream_ready
            and seen.coolant_c > 30.0
            and state.run_time_s > 10.0
            and not overrun
            and not full
        )
        if overrun:
            state.command.fuel_gps, state.fuel_state, state.stft = 0.0, OPEN_LOAD, 0.0
            return
        state.cell = self._cell(seen)
        enrich = 1.0 + 0.25 * min(max((40.0 - seen.coolant_c) / 60.0, 0.0), 1.0) * max(0.0, 1 - state.run_time_s / 60)
        enrich += 0.10 * max(0.0, 1.0 - state.run_time_s / 25.0)
        if closed:
            state.fuel_state = CLOSED
            dither = 0.012 if (state.run_time_s * 0.8) % 1.0 < 0.5 else -0.012
            if state.run_time_s > 60.0:
                state.rear_bias += (seen.downstream_v - 0.66) * DT * 0.01
                state.rear_bias = min(max(state.rear_bias, -0.015), 0.015)
            state.lambda_command = 1.0 + dither + state.rear_bias
            error = seen.lambda_upstream - state.lambda_command
            error = min(max(error, -0.15), 0.15)
            state.stft = min(max(state.stft + 0.8 * error * DT, -STFT_LIMIT), STFT_LIMIT)
            correction = state.stft + 0.18 * error
            if seen.coolant_c > 65.0:
                move = state.stft * DT / 9.0
                cell = memory.ltft[state.cell]
                learnt = min(max(cell + move, -LTFT_LIMIT), LTFT_LIMIT)
                state.stft -= learnt - cell
                memory.ltft[state.cell] = learnt
            state.stft_mean += (state.stft - state.stft_mean) * DT / 3.0
        else:
            state.fuel_state = (
                OPEN_LOAD if full else (OPEN_COLD if seen.upstream_ready or state.run_time_s < 60 else OPEN_FAULT)
            )
            state.lambda_command = 0.88 if full else 1.0
            state.stft *= 0.98
            correction = state.stft
        trim = 1.0 + correction + memory.ltft[state.cell]
        state.command.fuel_gps = max(0.0, state.air_gps / (AFR * state.lambda_command) * trim * enrich)
        warm = seen.coolant_c > 60.0 and closed
        wanted = min(0.9, 0.15 + state.air_gps / 40.0) if warm and state.cell != 0 else 0.0
        state.purge += (wanted - state.purge) * DT / 2.0

    def _cell(self, seen: Readings) -> int:
        if seen.pedal < 0.01 and seen.rpm < 1300.0:
            return 0
        for number, limit in enumerate(CELL_LIMITS_GPS, 1):
            if self.state.air_gps < limit:
                return number
        return 3

    def _spark(self, seen: Readings, running: bool) -> None:
        state = self.state
        if not running:
            state.spark_deg = 8.0
            return
        if seen.pedal < 0.01 and seen.speed_kmh < 3.0:
            state.spark_deg = min(max(12.0 + (state.target_rpm - seen.rpm) * 0.05, 4.0), 20.0)
        else:
            state.spark_deg = min(34.0, 27.0 - 0.13 * state.load_pct + (seen.rpm - 1500.0) / 400.0)


def model_air_gps(throttle: float, rpm: float, intake_c: float, baro_kpa: float) -> float:
    """The control unit's substitute for the meter: the throttle's own flow map, choked below the pumped flow."""
    if rpm < 60.0:
        return 0.0
    area = 4.5 + 1500.0 * throttle**1.6
    choked = area * 1e-3 * baro_kpa * 1000.0 * 0.6847 / (287.0 * (intake_c + 273.15)) ** 0.5
    x = (rpm - 4000.0) / 4000.0
    full = (0.90 - 0.14 * x * x) * baro_kpa * 1000.0 / (287.0 * (intake_c + 285.15)) * DISPLACEMENT_L * rpm / 120.0
    # Smooth minimum of the choked flow and what the engine can swallow.
    return float((choked**-4 + full**-4) ** -0.25)
