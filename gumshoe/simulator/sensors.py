"""What the control unit's pins see: voltages, and the values it takes them for.

A sensor whose plug is off leaves its pin to the control unit's own pull-up or pull-down (common practice).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from random import Random

from gumshoe.simulator.engine import EngineState
from gumshoe.simulator.models import Model
from gumshoe.simulator.parts import Parts
from gumshoe.simulator.systems import Systems

_PULL_UP_OHM = 2200.0


def thermistor_ohm(celsius: float) -> float:
    """An NTC of 2.5 kΩ at 20 °C, B = 3450 K (typical of such sensors, no source)."""
    return 2500.0 * math.exp(3450.0 * (1.0 / (celsius + 273.15) - 1.0 / 293.15))


def thermistor_volts(celsius: float) -> float:
    """The pin of a thermistor to ground on a pull-up to 5 V."""
    ohm = thermistor_ohm(celsius)
    return 5.0 * ohm / (ohm + _PULL_UP_OHM)


def thermistor_celsius(volts: float) -> float:
    """The temperature the control unit computes from its pin."""
    held = min(max(volts, 0.02), 4.97)
    ohm = _PULL_UP_OHM * held / (5.0 - held)
    return 1.0 / (math.log(ohm / 2500.0) / 3450.0 + 1.0 / 293.15) - 273.15


def meter_volts(gps: float, full_gps: float = 120.0) -> float:
    """Hot-film air-flow meter: about 1 V at rest, 4.5 V at its full flow, steep at low flow (typical shape, no
    source)."""
    return 1.0 + 3.5 * math.pow(max(gps, 0.0) / full_gps, 0.45)


def meter_gps(volts: float, full_gps: float = 120.0) -> float:
    """The flow the control unit computes from the meter's voltage."""
    return full_gps * math.pow(max(volts - 1.0, 0.0) / 3.5, 1.0 / 0.45)


def pressure_volts(kpa: float) -> float:
    """Manifold pressure sensor: 0.4 V at 15 kPa, 4.65 V at 115 kPa, straight (typical, no source)."""
    return 0.4 + 4.25 * (kpa - 15.0) / 100.0


def pressure_kpa(volts: float) -> float:
    """The pressure the control unit computes from the sensor's voltage."""
    return 15.0 + 100.0 * (volts - 0.4) / 4.25


@dataclass(slots=True)
class BankReadings:
    """What the control unit knows of one bank's exhaust."""

    lambda_upstream: float = 1.0
    upstream_ready: bool = False
    downstream_v: float = 0.0
    heater_amps: float = 0.0
    rear_heater_amps: float = 0.0


@dataclass(slots=True)
class Readings:
    """What the control unit knows in this step. Volts where it checks a circuit, else its computed values."""

    meter_v: float = 0.0
    pressure_v: float = 0.0
    coolant_v: float = 0.0
    intake_v: float = 0.0
    meter_gps: float = 0.0
    map_kpa: float = 0.0
    coolant_c: float = 0.0
    intake_c: float = 0.0
    rpm: float = 0.0
    speed_kmh: float = 0.0
    supply_v: float = 12.5
    pedal: float = 0.0
    ambient_c: float = 14.0
    baro_kpa: float = 101.0
    charge_kpa: float = 101.0
    cam_deg: float = 0.0
    tank_kpa: float = 0.0
    banks: list[BankReadings] = field(default_factory=lambda: [BankReadings()])


def read(
    model: Model,
    state: EngineState,
    parts: Parts,
    readings: Readings,
    *,
    speed_kmh: float,
    pedal: float,
    supply_v: float,
    ambient_c: float,
    baro_pa: float,
    sensor_hot: Sequence[bool],
    heater_on: bool,
    random: Random,
    systems: Systems,
) -> None:
    """Fill ``readings`` from the physics through each sensor's wiring; ``sensor_hot`` by bank."""
    off, dead = parts.unplugged, parts.dead
    # The intake temperature sensor sits in the housing of the meter or of the pressure sensor, and shares its plug.
    if model.flow_metered:
        full, housing = model.meter_full_gps, "air_flow_meter"
        readings.meter_v = 0.02 if housing in dead else meter_volts(state.meter_gps, full)
        readings.meter_gps = meter_gps(readings.meter_v, full)
    else:
        housing = "manifold_pressure_sensor"
        kpa = state.manifold_pa * 1e-3 * parts.pressure_gain + 0.15 * random.gauss(0.0, 1.0)
        readings.pressure_v = 0.02 if housing in off else min(max(pressure_volts(kpa), 0.15), 4.85)
        readings.map_kpa = pressure_kpa(readings.pressure_v)
    readings.intake_v = 4.98 if housing in off else thermistor_volts(state.intake_c)
    readings.coolant_v = 4.98 if "coolant_sensor" in off else thermistor_volts(state.coolant_c)
    readings.coolant_c = thermistor_celsius(readings.coolant_v)
    readings.intake_c = thermistor_celsius(readings.intake_v)
    readings.rpm = max(0.0, state.rpm + 2.0 * random.gauss(0.0, 1.0)) if state.rpm > 30.0 else 0.0
    readings.speed_kmh = speed_kmh
    for bank, seen in enumerate(readings.banks):
        number, exhaust = bank + 1, state.banks[bank]
        unplugged = f"oxygen_sensor_b{number}s1" in off
        seen.upstream_ready = sensor_hot[bank] and not unplugged
        seen.lambda_upstream = exhaust.lambda_sensor if seen.upstream_ready else 1.0
        seen.downstream_v = exhaust.downstream_v
        cold = parts.heater_open[bank] or unplugged or f"oxygen_heater_b{number}s1" in dead
        seen.heater_amps = supply_v / 9.0 if heater_on and not cold else 0.0
        cold = parts.rear_heater_open[bank] or f"oxygen_heater_b{number}s2" in dead
        seen.rear_heater_amps = supply_v / 9.0 if heater_on and not cold else 0.0
    readings.supply_v = supply_v
    readings.pedal = pedal
    readings.ambient_c = ambient_c
    readings.baro_kpa = baro_pa / 1000.0
    readings.charge_kpa = readings.baro_kpa + systems.boost_kpa
    readings.cam_deg, readings.tank_kpa = systems.cam_deg, systems.tank_kpa
