"""What the control unit's pins see: voltages, and the values it takes them for.

While a sensor's circuit is whole its pin follows its curve; else the circuit is solved (``electrics``): an unplugged
sensor leaves its pin to the control unit's own pull-up or pull-down.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from random import Random

from gumshoe.core.powertrain.component import ComponentRef
from gumshoe.simulator.diesel_engine import filter_flow_lps
from gumshoe.simulator.electrics import HIGH_V, LOW_V, Electrics
from gumshoe.simulator.engine import Air, Engine
from gumshoe.simulator.models import CarModel
from gumshoe.simulator.systems import cam_readings

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


SLOW_STEPS = 5
FEED_V, FIVE_V = 12.6, 5.0
REST_SHARE, TRAVEL_SHARE = 0.14, 0.72
"""A two-track sensor's first wiper at rest, and how far it goes; the second runs against it."""
NARROW_STEEP, NARROW_TOLD = 220.0, 0.025
"""How steeply a narrow-band sensor switches over lambda, and what the control unit takes rich and lean for."""
BIAS_V = 0.45
"""What the control unit's bias leaves on the pin of an oxygen sensor that says nothing."""


def straight_volts(value: float, low: float, high: float) -> float:
    """A sensor on the 5 V reference: 0.5 V at ``low``, 4.5 V at ``high``, straight (typical, no source)."""
    return 0.5 + 4.0 * (value - low) / (high - low)


def straight_value(volts: float, low: float, high: float) -> float:
    """What the control unit takes those volts for."""
    return low + (high - low) * (volts - 0.5) / 4.0


BOOST_KPA, TANK_KPA, RAIL_MPA, FILTER_MBAR = (20.0, 300.0), (-4.0, 4.0), (0.0, 200.0), (-20.0, 980.0)
"""Ranges of the boost, tank, rail and filter pressure sensors."""


@dataclass(slots=True)
class BankReadings:
    """What the control unit knows of one bank's exhaust."""

    lambda_upstream: float = 1.0
    upstream_v: float = 0.45
    upstream_ready: bool = False
    downstream_v: float = 0.0
    heater_amps: float = 0.0


@dataclass(slots=True)
class Tracks:
    """A position told twice (0 to 1), and whether each pin lies where it may."""

    first: float = 0.0
    second: float = 0.0
    first_valid: bool = True
    second_valid: bool = True

    @property
    def agree(self) -> bool:
        """Whether both can be believed together."""
        return self.first_valid and self.second_valid and abs(self.first - self.second) < 0.10

    @property
    def value(self) -> float:
        """What the control unit goes by: the first if it may, the lower of two that disagree, nothing without any."""
        if self.first_valid and self.second_valid:
            return self.first if self.agree else min(self.first, self.second)
        if self.first_valid or self.second_valid:
            return self.first if self.first_valid else self.second
        return 0.0


@dataclass(slots=True)
class Readings:
    """What the control unit knows in this step. Volts where it checks a circuit, else its computed values.

    ``pins``: the volts of analog sensors whose circuit is not whole."""

    meter_v: float = 0.0
    meter_valid: bool = True
    pressure_v: float = 0.0
    coolant_v: float = 0.0
    intake_v: float = 0.0
    meter_gps: float = 0.0
    map_kpa: float = 0.0
    coolant_c: float = 0.0
    intake_c: float = 0.0
    rpm: float = 0.0
    cranked: bool = False
    speed_kmh: float = 0.0
    supply_v: float = 12.5
    pedal: Tracks = field(default_factory=Tracks)
    plate: Tracks = field(default_factory=Tracks)
    ambient_c: float = 14.0
    baro_kpa: float = 101.0
    charge_kpa: float = 101.0
    charge_valid: bool = True
    cams: list[float] = field(default_factory=list)
    cams_valid: bool = True
    tank_kpa: float = 0.0
    rail_kpa: float = 0.0
    rail_valid: bool = True
    level_pct: float = 50.0
    egr_pct: float = 0.0
    exhaust_c: float = 14.0
    filter_in_c: float = 14.0
    filter_mbar: float = 0.0
    filter_flow_lps: float = 0.0
    pushes: list[float] = field(default_factory=list)
    """How strongly each cylinder of a diesel pushed, by the crank's speed."""
    pins: dict[str, float] = field(default_factory=dict)
    banks: list[BankReadings] = field(default_factory=lambda: [BankReadings()])


@dataclass
class Sensors:
    """Every sensor of one car."""

    model: CarModel
    electrics: Electrics
    engine: Engine
    random: Random
    _slow: int = 0

    def read(
        self,
        seen: Readings,
        *,
        speed_kmh: float,
        pedal: float,
        supply_v: float,
        level_pct: float,
        air: Air,
        sensor_hot: Sequence[bool],
        heater_on: bool,
    ) -> None:
        """Fill ``seen`` from the physics through each sensor's wiring; ``sensor_hot`` by bank."""
        model, state, parts = self.model, self.engine.state, self.engine.parts
        electrics, systems, gauss = self.electrics, self.engine.systems, self.random.gauss
        seen.pins.clear()
        seen.supply_v, seen.speed_kmh = supply_v, speed_kmh
        seen.baro_kpa = air.pressure_pa / 1000.0
        if model.flow_metered:
            self._meter(seen)
        else:
            kpa = state.manifold_pa * 1e-3 * parts.pressure_gain + 0.15 * gauss(0.0, 1.0)
            seen.pressure_v = self._share("manifold_pressure_sensor", min(max(pressure_volts(kpa), 0.25), 4.8), seen)
            seen.map_kpa = pressure_kpa(seen.pressure_v)
        self._slow = (self._slow + 1) % SLOW_STEPS
        if electrics.disturbed or self._slow == 0 or seen.coolant_v == 0.0:
            self._temperatures(seen, air)
        turning = state.rpm > 30.0
        seen.cranked = turning
        seen.rpm = max(0.0, state.rpm + 2.0 * gauss(0.0, 1.0)) if turning else 0.0
        if "crank_sensor" in electrics.dead:
            seen.rpm = 0.0
        seen.cams = cam_readings(model, parts, systems)
        seen.cams_valid = not any(ComponentRef.parse(name).kind == "cam_sensor" for name in electrics.dead)
        self._tracks("pedal_sensor", pedal, seen.pedal, seen)
        self._tracks("throttle_sensor", systems.plate, seen.plate, seen)
        if model.particulate_filter:
            self._filter(seen, air)
        if model.diesel:
            self._diesel(seen)
        for bank, own in enumerate(seen.banks if model.spark else ()):
            self._exhaust(own, bank, sensor_hot[bank], heater_on, supply_v)
        if model.boosted:
            volts = self._share("boost_sensor", straight_volts(seen.baro_kpa + systems.boost_kpa, *BOOST_KPA), seen)
            seen.charge_kpa, seen.charge_valid = straight_value(volts, *BOOST_KPA), LOW_V < volts < HIGH_V
        else:
            seen.charge_kpa = seen.baro_kpa
        if model.sealed_tank:
            volts = self._share("tank_pressure_sensor", straight_volts(systems.tank_kpa, *TANK_KPA), seen)
            seen.tank_kpa = straight_value(volts, *TANK_KPA)
        if model.high_pressure:
            told = systems.high_kpa * parts.rail_sensor_gain
            volts = self._share("rail_pressure_sensor", straight_volts(told / 1000.0, *RAIL_MPA), seen)
            seen.rail_kpa, seen.rail_valid = 1000.0 * straight_value(volts, *RAIL_MPA), LOW_V < volts < HIGH_V
        seen.level_pct = level_pct if "fuel_level_sensor" not in electrics.dead else 0.0

    # -- inside -------------------------------------------------------------------------------------------

    def _meter(self, seen: Readings) -> None:
        """The air-flow meter; while its wires are whole the control unit reads back what it was told."""
        full, told = self.model.meter_full_gps, self.engine.state.meter_gps
        if "air_flow_meter" in self.electrics.disturbed:
            seen.meter_v = self._share("air_flow_meter", meter_volts(told, full), seen, FEED_V)
            seen.meter_gps, seen.meter_valid = meter_gps(seen.meter_v, full), 0.5 < seen.meter_v < 4.8
        else:
            seen.meter_gps, seen.meter_valid = min(max(told, 0.0), 1.2 * full), True

    def _temperatures(self, seen: Readings, air: Air) -> None:
        """What changes slowly is read slowly."""
        state = self.engine.state
        name = "intake_air_sensor" if self.model.flow_metered else "manifold_air_sensor"
        seen.intake_v = self._thermistor(name, state.intake_c, seen)
        seen.coolant_v = self._thermistor("coolant_sensor", state.coolant_c + self.engine.parts.coolant_offset_c, seen)
        seen.coolant_c, seen.intake_c = thermistor_celsius(seen.coolant_v), thermistor_celsius(seen.intake_v)
        seen.ambient_c = air.temperature_c
        if "ambient_sensor" in self.electrics.disturbed:
            seen.ambient_c = thermistor_celsius(self._thermistor("ambient_sensor", air.temperature_c, seen))

    def _diesel(self, seen: Readings) -> None:
        """Exhaust temperatures, recirculation, and how evenly it runs."""
        state, gauss = self.engine.state, self.random.gauss
        seen.exhaust_c = self._hot("exhaust_temperature_b1s1", state.exhaust_c, seen)
        seen.egr_pct = 100.0 * state.egr_valve
        if "egr_sensor" in self.electrics.disturbed:
            seen.egr_pct = 100.0 * self._share("egr_sensor", FIVE_V * (0.1 + 0.8 * state.egr_valve), seen) / FIVE_V
        seen.pushes = [max(push * (1.0 + 0.03 * gauss(0.0, 1.0)), 0.0) for push in state.strokes]

    def _filter(self, seen: Readings, air: Air) -> None:
        """The filter's pressure, and the flow through it as the unit reckons it: a petrol engine's by a model of its
        temperature."""
        state, parts, gauss = self.engine.state, self.engine.parts, self.random.gauss
        diesel = self.model.diesel
        seen.filter_in_c = self._hot("exhaust_temperature_b1s2", state.filter_c, seen) if diesel else state.filter_c
        mbar = state.filter_mbar * parts.filter_sensor_gain + 0.3 * gauss(0.0, 1.0)
        volts = self._share("filter_pressure_sensor", straight_volts(mbar, *FILTER_MBAR), seen)
        seen.filter_mbar = straight_value(volts, *FILTER_MBAR)
        flow = seen.meter_gps + state.fuel_gps
        told = min(max(seen.filter_in_c, -40.0), 900.0)
        seen.filter_flow_lps = filter_flow_lps(self.model, flow, told, air.pressure_pa)

    def _hot(self, name: str, celsius: float, seen: Readings) -> float:
        """An exhaust temperature sensor: a thermistor for heat."""
        if name not in self.electrics.disturbed:
            return celsius
        scaled = celsius * 0.14  # the same curve, for seven times the heat
        volts = self.electrics.volts(name, 0.0, thermistor_ohm(scaled))
        seen.pins[name] = volts
        return thermistor_celsius(volts) / 0.14

    def _share(self, name: str, nominal: float, seen: Readings, of_v: float = FIVE_V) -> float:
        """The pin of a sensor that gives a share of its supply."""
        if name not in self.electrics.disturbed:
            return nominal
        volts = self.electrics.volts(name, nominal, nominal / of_v)
        seen.pins[name] = volts
        return volts

    def _thermistor(self, name: str, celsius: float, seen: Readings) -> float:
        if name not in self.electrics.disturbed:
            return thermistor_volts(celsius)
        volts = self.electrics.volts(name, 0.0, thermistor_ohm(celsius))
        seen.pins[name] = volts
        return volts

    def _tracks(self, name: str, position: float, told: Tracks, seen: Readings) -> None:
        second = f"{name}_b"
        disturbed = self.electrics.disturbed
        told.first = told.second = position
        told.first_valid = told.second_valid = True
        if name not in disturbed and second not in disturbed:
            return
        share = REST_SHARE + TRAVEL_SHARE * position
        volts = self._share(name, FIVE_V * share, seen)
        told.first, told.first_valid = (volts / FIVE_V - REST_SHARE) / TRAVEL_SHARE, LOW_V < volts < HIGH_V
        if second not in self.electrics.parts:  # an older car has one track
            told.second, told.second_valid = told.first, told.first_valid
            return
        volts = self._share(second, FIVE_V * (1.0 - share), seen)
        told.second, told.second_valid = (1.0 - volts / FIVE_V - REST_SHARE) / TRAVEL_SHARE, LOW_V < volts < HIGH_V

    def _exhaust(self, own: BankReadings, bank: int, hot: bool, heater_on: bool, supply_v: float) -> None:
        number, exhaust, dead = bank + 1, self.engine.state.banks[bank], self.electrics.dead
        own.upstream_ready = hot and f"oxygen_sensor_b{number}s1" not in dead
        own.lambda_upstream = exhaust.lambda_sensor if own.upstream_ready else 1.0
        if self.model.narrow:  # it only tells rich from lean
            steep = min(max((own.lambda_upstream - 1.0) * NARROW_STEEP, -30.0), 30.0)
            own.upstream_v = 0.1 + 0.75 / (1.0 + math.exp(steep)) if own.upstream_ready else BIAS_V
            own.lambda_upstream = 1.0 + NARROW_TOLD * (BIAS_V + 0.02 - own.upstream_v) / 0.375
        own.downstream_v = exhaust.downstream_v if f"oxygen_sensor_b{number}s2" not in dead else BIAS_V
        amps = supply_v / 9.0
        own.heater_amps = amps if self.electrics.acts(f"oxygen_heater_b{number}s1", float(heater_on)) else 0.0
