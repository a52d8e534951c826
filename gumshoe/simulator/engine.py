"""Mean-value engine model: air, fuel, torque, heat, exhaust, with any number of cylinders in one or two banks.

Structure after the usual mean-value models: manifold filling, compressible orifice, speed-density pumping
(Hendricks & Sorenson, SAE 900616, 1990 [M]); gas constants are physics. Coefficients are set so that idle, cruise
and full load lie where such engines commonly lie (no source). One ``step`` is 20 ms.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from random import Random

from gumshoe.simulator.electrics import Electrics
from gumshoe.simulator.models import CarModel
from gumshoe.simulator.parts import Parts, leak_spread
from gumshoe.simulator.systems import Systems

DT = 0.02
R_AIR = 287.0
AFR = 14.7
LOWER_HEATING_VALUE = 42.7e6
CARBON_SHIFT = 0.022
"""How much further a plate ringed with carbon must open before air passes (share of its travel)."""
LATE_CAM = 0.0075
"""Filling lost for each degree that the cams hang back."""
LATE_MISS = 0.008
"""Chance of a misfire for each degree beyond some that the cams hang back, at light load (burnt gas stays)."""
LEAST_PULSE = 0.3
CHANCE_STEPS = 3
"""How often the chance of a misfire is reckoned: what it follows changes more slowly than a combustion."""
OPEN_INJECTOR_GPS = 2.5
"""What an injector of the reference engine gives that never closes."""


@dataclass
class Air:
    """Surroundings."""

    pressure_pa: float = 101_000.0
    temperature_c: float = 14.0
    wet: bool = False


@dataclass
class Actuation:
    """What the control unit commands in this step."""

    throttle: float = 0.0
    idle: float = 0.0
    """The share of the throttle that idle control asks for."""
    fuel_gps: list[float] = field(default_factory=lambda: [0.0])
    """Fuel asked for, by bank."""
    spark_deg: float = 10.0
    purge: float = 0.0
    cranking: bool = False
    injectors_off: frozenset[int] = frozenset()
    coils_off: frozenset[int] = frozenset()
    injectors_open: frozenset[int] = frozenset()
    """Injectors that stand open, whatever is asked."""
    gate: float = 0.0
    cams_deg: list[float] = field(default_factory=list)
    vent_shut: bool = False
    high_valve: float = 0.0
    egr: float = 0.0
    post_gps: float = 0.0
    """Fuel injected late, to heat the particulate filter."""
    balance: list[float] = field(default_factory=list)
    """What each cylinder of a diesel is given more or less of, as a share."""
    pulse_share: float = 1.0
    """Fuel that arrives of what is asked for, by the rail pressure that the control unit reckons with."""


@dataclass
class Exhaust:
    """What one bank's exhaust remembers: mixture as it leaves, as it reaches the sensor, as the sensor tells it."""

    lambda_exhaust: float = 1.0
    lambda_mixed: float = 1.0
    lambda_sensor: float = 1.0
    oxygen_store: float = 0.5
    downstream_v: float = 0.1
    catalyst_c: float = 14.0


@dataclass
class EngineState:
    """Everything that has a memory. Temperatures in °C, flows in g/s, pressures in Pa (absolute) or kPa (rail)."""

    manifold_pa: float = 101_000.0
    rpm: float = 0.0
    coolant_c: float = 14.0
    intake_c: float = 14.0
    meter_gps: float = 0.0
    throttle_gps: float = 0.0
    leak_gps: float = 0.0
    cylinder_gps: float = 0.0
    fuel_gps: float = 0.0
    rail_kpa: float = 0.0
    torque_nm: float = 0.0
    smooth: float = 1.0
    crank_turns: float = 0.0
    next_event: int = 0
    canister_load: float = 0.5
    banks: list[Exhaust] = field(default_factory=lambda: [Exhaust()])
    lambdas: list[float] = field(default_factory=list)
    meter_true_gps: float = 0.0
    egr_valve: float = 0.0
    egr_gps: float = 0.0
    post_gps: float = 0.0
    fuel_air: float = 0.0
    strokes: list[float] = field(default_factory=list)
    """Fuel of each cylinder that did work."""
    exhaust_c: float = 14.0
    filter_c: float = 14.0
    filter_mbar: float = 0.0
    soot_g: float = 8.0
    fired: list[tuple[int, bool]] = field(default_factory=list)


def orifice_gps(area_mm2: float, up_pa: float, down_pa: float, up_k: float) -> float:
    """Mass flow in g/s of air through an effective area: isentropic, choked below the critical ratio (physics)."""
    if area_mm2 <= 0.0 or down_pa >= up_pa:
        return 0.0
    ratio = down_pa / up_pa
    if ratio <= 0.528:
        psi = 0.6847
    elif ratio > 0.98:
        psi = 0.2612 * math.sqrt((1.0 - ratio) / 0.02)  # straight root near 1: keeps the step stable
    else:
        psi = math.sqrt(7.0 * (ratio**1.42857 - ratio**1.71429))
    return area_mm2 * 1e-3 * up_pa * psi / math.sqrt(R_AIR * up_k)


def volumetric_efficiency(rpm: float) -> float:
    """Filling relative to manifold density: a plain hump with its top near 4000 rpm (common practice, no source)."""
    x = (rpm - 4000.0) / 4000.0
    return 0.90 - 0.14 * x * x


def rail_pressure_kpa(model: CarModel, parts: Parts, flow_gps: float) -> float:
    """Pressure on the rail at that fuel flow: the regulator's, or what the pump still gives (invented curve)."""
    capacity = 14.0 * model.size * parts.pump_capacity / parts.filter_restriction
    at_rest = model.rail_kpa * (1.1 + 0.8 * parts.pump_capacity)
    supply = at_rest * (1.0 - (flow_gps / capacity) ** 2) if capacity > 0.0 else 0.0
    return min(model.rail_kpa * parts.regulator_gain, max(supply, 60.0))


class Engine:
    """The engine; ``load_nm`` is what drive line and accessories take from it."""

    def __init__(self, model: CarModel, parts: Parts, electrics: Electrics, air: Air, random: Random) -> None:
        self.model, self.parts, self.air, self.random = model, parts, air, random
        self.electrics = electrics
        outside = air.temperature_c
        self.state = EngineState(
            coolant_c=outside,
            intake_c=outside,
            exhaust_c=outside,
            filter_c=outside,
            banks=[Exhaust(catalyst_c=outside) for _ in model.banks],
            lambdas=[1.0] * model.cylinders,
        )
        self._swept_m3, self._manifold_m3 = model.displacement_l * 1e-3, model.manifold_l * 1e-3
        self._fuel_of_bank = [0.0 for _ in model.banks]
        self._spread = leak_spread(model)
        self._chances, self._step = [0.0] * model.cylinders, 0
        self.systems = Systems.of(model)

    # -- one step -----------------------------------------------------------------------------------------

    def step(
        self,
        command: Actuation,
        load_nm: float,
        imposed_rpm: float | None,
        speed_kmh: float,
        *,
        pedal: float = 0.0,
        crank_rpm: float = 255.0,
    ) -> None:
        """Advance 20 ms. With ``imposed_rpm`` (drive line engaged) the speed is given and torque is the result.

        ``pedal``: the foot on a cable throttle; ``crank_rpm``: how fast the starter turns the engine."""
        state, systems = self.state, self.systems
        systems.actuate(
            self.model,
            self.parts,
            self.electrics,
            DT,
            gate=command.gate,
            cams_deg=command.cams_deg,
            vent_shut=command.vent_shut,
            rpm=state.rpm,
        )
        systems.turn_plate(
            self.model,
            self.parts,
            self.electrics,
            DT,
            command=command.throttle,
            idle=command.idle,
            pedal=pedal,
        )
        self._air(command)
        systems.step(self.model, self.parts, DT, flow_gps=state.cylinder_gps, purge_gps=self._purge_air)
        self._fuel(command)
        torque = self._combustion(command)
        net = torque - self._friction_nm()
        state.torque_nm = net
        if imposed_rpm is not None:
            state.rpm = imposed_rpm
        else:
            if command.cranking and state.rpm < crank_rpm + 5.0:
                state.rpm += (crank_rpm - state.rpm) * 0.2
            omega = (net - load_nm) / self.model.inertia * DT
            state.rpm = max(0.0, state.rpm + omega * 60.0 / (2.0 * math.pi))
            if not command.cranking and state.rpm < 60.0:
                state.rpm = 0.0
        self._exhaust()
        self._heat(speed_kmh)

    @property
    def _late(self) -> float:
        """How far the cams hang back on their chains, on average (degrees)."""
        return sum(self.parts.chain_deg) / len(self.parts.chain_deg)

    def _air(self, command: Actuation) -> None:
        model, parts, state = self.model, self.parts, self.state
        up_k = state.intake_c + 273.15
        drawn = state.throttle_gps / model.size
        outside = self.air.pressure_pa - 1.4 * (parts.air_filter_restriction - 1.0) * drawn
        ambient = outside + 1000.0 * self.systems.boost_kpa  # ahead of the throttle
        carbon = parts.throttle_carbon
        opening = max(self.systems.plate - CARBON_SHIFT * carbon, 0.0)
        area = model.throttle_seep_mm2 * (1.0 - 0.9 * carbon) + model.throttle_full_mm2 * opening**1.6
        pressure = state.manifold_pa
        state.throttle_gps = orifice_gps(area, ambient, pressure, up_k)
        leak_area = sum(parts.leaks_mm2.values())
        state.leak_gps = orifice_gps(leak_area, self.air.pressure_pa, pressure, self.air.temperature_c + 273.15)
        purge_area = self.electrics.acts("purge_valve", command.purge) * 0.8 * model.size + parts.purge_passing_mm2
        purge = orifice_gps(purge_area, self.air.pressure_pa, pressure, up_k)
        self._purge_fuel = purge * 0.24 * state.canister_load
        purge_air = purge - self._purge_fuel
        state.canister_load += (
            0.55 - state.canister_load
        ) * DT / 3000.0 - purge / model.size * state.canister_load * DT / 600.0
        self._purge_air = purge_air
        manifold_k = state.intake_c + 0.18 * (state.coolant_c - state.intake_c) + 273.15
        turns = state.rpm / 60.0
        filling = volumetric_efficiency(state.rpm) * (1.0 - LATE_CAM * min(self._late, 40.0))
        pumped = filling * pressure / (R_AIR * manifold_k) * self._swept_m3 * turns * 500.0
        state.cylinder_gps = pumped
        # Implicit in the pumped flow (proportional to pressure), and near ambient pressure in the inflow too, whose
        # slope grows without bound there: the step stays stable at any speed and opening.
        per_pa = pumped / pressure if pressure > 0.0 else 0.0
        gain = R_AIR * manifold_k / self._manifold_m3 * DT * 1e-3
        inflow = state.throttle_gps + state.leak_gps + purge
        following = (pressure + gain * inflow) / (1.0 + gain * per_pa)
        if following > 0.8 * ambient:
            low, high = 0.4 * ambient, ambient
            for _ in range(12):
                middle = 0.5 * (low + high)
                flow = orifice_gps(area, ambient, middle, up_k)
                if middle > (pressure + gain * (flow + state.leak_gps + purge)) / (1.0 + gain * per_pa):
                    high = middle
                else:
                    low = middle
            following = 0.5 * (low + high)
            # The flow that fits the new pressure (mass balance), not the one the old pressure asked for.
            inflow = max((following * (1.0 + gain * per_pa) - pressure) / gain, 0.0)
            state.throttle_gps = max(inflow - state.leak_gps - purge, 0.0)
        state.manifold_pa = following
        self._inflow = inflow
        metered = state.throttle_gps * (1.0 - parts.duct_leak_share)
        share = min(metered / (30.0 * model.size), 1.0)
        gain_meter = parts.meter_gain_low + (parts.meter_gain_high - parts.meter_gain_low) * share
        noise = 1.0 + 0.006 * self.random.gauss(0.0, 1.0)
        state.meter_gps += (metered * gain_meter * noise - state.meter_gps) * 0.4

    def _fuel(self, command: Actuation) -> None:
        parts, state, model = self.parts, self.state, self.model
        asked = sum(command.fuel_gps)
        pumping = "fuel_pump" not in self.electrics.dead
        if (asked > 0.0 or command.cranking) and pumping:
            state.rail_kpa += (rail_pressure_kpa(model, parts, state.fuel_gps) - state.rail_kpa) * 0.1
        elif asked > 0.0:
            state.rail_kpa = max(0.0, state.rail_kpa - 4.0 - 60.0 * state.fuel_gps * DT)
        else:
            state.rail_kpa *= 0.99995
        if model.direct_kpa:
            pressed = self._squeezed(command)
        else:
            pressed = math.sqrt(max(state.rail_kpa, 0.0) / model.rail_kpa)
        for bank, fuel in enumerate(command.fuel_gps):
            self._fuel_of_bank[bank] = fuel * pressed
        state.fuel_gps = sum(self._fuel_of_bank)

    def _squeezed(self, command: Actuation) -> float:
        """Share of the fuel asked for that direct injection gives: the pulse is reckoned from the pressure told, and
        cannot be stretched without end."""
        systems, state = self.systems, self.state
        valve = 0.0 if "rail_pressure_valve" in self.electrics.dead else command.high_valve
        if "rail_pressure_valve" in self.electrics.stuck_on:
            valve = 1.0
        systems.pump_high(
            self.model, self.parts, DT, rpm=state.rpm, valve=valve, used_gps=state.fuel_gps, feed_kpa=state.rail_kpa
        )
        reckoned = max(command.pulse_share, LEAST_PULSE)
        return math.sqrt(max(systems.high_kpa, 0.0) / self.model.direct_kpa) / reckoned

    def _combustion(self, command: Actuation) -> float:
        """Mean indicated torque in Nm; appends each combustion and whether it fired to ``state.fired``."""
        parts, state, model = self.parts, self.state, self.model
        turns = state.rpm / 60.0
        state.fired.clear()
        if turns < 1.0:
            state.smooth = 1.0
            return 0.0
        if state.fuel_gps <= 0.0:
            for exhaust in state.banks:
                exhaust.lambda_exhaust += (4.0 - exhaust.lambda_exhaust) * 0.3
            return 0.0
        count = model.cylinders
        leaks, total_leak = parts.leaks_mm2, sum(parts.leaks_mm2.values())
        unmetered = state.leak_gps / (self._inflow or 1.0)
        measured, strayed = state.cylinder_gps * (1.0 - unmetered) / count, state.cylinder_gps * unmetered
        vapour = self._purge_fuel / count
        load = state.manifold_pa / 101_000.0 / model.breath
        residual = self._residual(load)
        power = 0.0
        chances = self._chances
        self._step = (self._step + 1) % CHANCE_STEPS
        anew = self._step == 0 or command.coils_off or command.injectors_off or command.injectors_open
        stoich = AFR * (1.0 - parts.fuel_lean)
        for bank, members in enumerate(model.members):
            burnt_air = burnt_fuel = missed = 0.0
            breathes = (1.0 - LATE_CAM * parts.chain_deg[bank]) / (1.0 - LATE_CAM * self._late)
            burnt = LATE_MISS * max(parts.chain_deg[bank] - 8.0, 0.0) * max(0.5 - load, 0.0)
            injected = self._fuel_of_bank[bank] / len(members)
            for cylinder in members:
                spread = 1.0 / count
                if total_leak > 0.0:
                    spread = sum(self._spread[name][cylinder] * area for name, area in leaks.items()) / total_leak
                own_air = measured * breathes + strayed * spread
                own_fuel = injected * parts.injector_gain[cylinder] + vapour
                if cylinder in command.injectors_off:
                    own_fuel = vapour
                elif cylinder in command.injectors_open:
                    own_fuel = OPEN_INJECTOR_GPS * self.model.size
                ratio = own_air / (stoich * own_fuel) if own_fuel > 1e-9 else 9.0
                state.lambdas[cylinder] = ratio
                burnt_air += own_air
                burnt_fuel += own_fuel
                useful = min(own_fuel * (1.0 - parts.fuel_lean), own_air / AFR)
                power += useful * 1e-3 * LOWER_HEATING_VALUE * parts.compression[cylinder] ** 0.5
                if anew or ratio > 3.0:
                    chance = self._misfire_chance(cylinder, ratio, load, command) + residual + burnt
                    chances[cylinder] = min(chance, 1.0)
                missed += chances[cylinder]
            # Unburnt charge carries its oxygen past the sensor: misfire reads lean.
            leaving = burnt_air / (stoich * burnt_fuel) if burnt_fuel > 1e-9 else 9.0
            state.banks[bank].lambda_exhaust = leaving * (1.0 + 0.5 * missed / len(members))
        best = 28.0 - 12.0 * load
        spark = max(0.35, 1.0 - 0.0005 * (best - command.spark_deg + parts.tooth_deg) ** 2)
        mean = 0.345 * spark * power / (2.0 * math.pi * turns)
        self._events(turns, chances)
        return mean * state.smooth

    def _events(self, turns: float, chances: list[float]) -> None:
        """Each combustion of this step: fired or not, and how strong."""
        parts, state, order = self.parts, self.state, self.model.firing_order
        state.crank_turns += turns * DT
        apart = 2.0 / len(order)
        draw, gauss = self.random.random, self.random.gauss
        while state.crank_turns >= apart:
            state.crank_turns -= apart
            cylinder = order[state.next_event] - 1
            state.next_event = (state.next_event + 1) % len(order)
            fired = draw() >= chances[cylinder]
            state.fired.append((cylinder, fired))
            event = (1.0 + self._spread_of(cylinder) * gauss(0.0, 1.0)) * parts.compression[cylinder] if fired else 0.0
            state.smooth += (event - state.smooth) * 0.35

    def _spread_of(self, cylinder: int) -> float:
        """How unequal one cylinder's combustions are."""
        ratio = self.state.lambdas[cylinder]
        return 0.015 + 0.5 * max(0.0, ratio - 1.0) + 0.25 * max(0.0, 0.92 - ratio)

    def missed_under(self, cylinder: int, load: float, parts: Parts) -> float:
        """The chance that a cylinder misses at that load, mixture as now, with these parts in it."""
        return self._misfire_chance(cylinder, self.state.lambdas[cylinder], load, Actuation(), parts)

    def _misfire_chance(
        self, cylinder: int, ratio: float, load: float, command: Actuation, parts: Parts | None = None
    ) -> float:
        parts = parts or self.parts
        if cylinder in command.injectors_off or cylinder in command.coils_off or ratio > 3.0:
            return 1.0
        limit = 1.17 + 0.14 * min(load, 0.8)
        x = (ratio - limit) / 0.020
        chance = 1.0 / (1.0 + math.exp(-x)) if x > -30.0 else 0.0
        if ratio < 0.62:
            chance = max(chance, min(1.0, (0.62 - ratio) * 5.0))
        # The gap asks for more voltage with wear and pressure; the coil gives what it has.
        demand = 0.22 + 0.38 * load + 0.55 * parts.plug_wear[cylinder] * (0.4 + load)
        weak = (demand - min(parts.coil_strength[cylinder], parts.insulator[cylinder])) / 0.05
        spark_fail = 1.0 / (1.0 + math.exp(-weak)) if weak > -30.0 else 0.0
        poor = max(0.0, 0.7 - parts.compression[cylinder]) * (1.2 - load)
        return min(1.0, chance + spark_fail + poor)

    def _residual(self, load: float) -> float:
        """Chance of a misfire from burnt gas that an advanced cam leaves in the cylinder at light load."""
        travel, cams = self.model.cam_travel_deg, self.systems.cams
        if not cams:
            return 0.0
        turned = sum(cams) / len(cams) / travel
        return max(0.0, turned - 0.2) * max(0.0, 0.32 - load) * 1.6

    def _friction_nm(self) -> float:
        state = self.state
        if state.rpm < 1.0:
            return 0.0
        cold = max(0.0, 80.0 - state.coolant_c) / 80.0
        mean_pressure = (1.14 + 0.8 * cold) * 1e5 + 9.0 * state.rpm + 0.0022 * state.rpm**2
        pumping = self.air.pressure_pa - state.manifold_pa
        return (mean_pressure + 0.9 * pumping) * self._swept_m3 / (4.0 * math.pi)

    def _exhaust(self) -> None:
        parts, state = self.parts, self.state
        if state.rpm < 60.0:
            return
        # Flow of one bank, in the terms of the reference engine: pipes and catalysts are sized for their engine.
        own_size = self.model.size / len(state.banks)
        flow = state.cylinder_gps / self.model.size + 0.3
        transport = DT / (DT + 0.05 + 0.35 / flow)
        gauss = self.random.gauss
        for bank, exhaust in enumerate(state.banks):
            seen = exhaust.lambda_exhaust + parts.exhaust_leak[bank] * 4.0 / (4.0 + flow)
            exhaust.lambda_mixed += (seen - exhaust.lambda_mixed) * transport
            target = min(max(exhaust.lambda_mixed + parts.lambda_shift[bank], 0.65), 1.99) + 0.0015 * gauss(0.0, 1.0)
            exhaust.lambda_sensor += (target - exhaust.lambda_sensor) * DT / (DT + parts.lambda_lag_s[bank])
            capacity = 2.0 * own_size * parts.catalyst_capacity[bank]
            surplus = (exhaust.lambda_exhaust - 1.0) * flow * own_size * 0.23
            exhaust.oxygen_store = min(1.0, max(0.0, exhaust.oxygen_store + surplus * DT / capacity))
            leaving = min(1.0, max(-1.0, (exhaust.oxygen_store - 0.5) * 2.0))
            voltage = 0.08 + 0.66 / (1.0 + math.exp((leaving - 0.75) * 9.0))
            if exhaust.oxygen_store <= 0.0:
                voltage = 0.80
            exhaust.downstream_v += (voltage - exhaust.downstream_v) * DT / 0.5

    def _heat(self, speed_kmh: float) -> None:
        parts, state, model = self.parts, self.state, self.model
        outside = self.air.temperature_c
        power_w = state.fuel_gps * 1e-3 * LOWER_HEATING_VALUE / model.size if state.rpm > 60.0 else 0.0
        opening = 1.0 if parts.thermostat_open else min(max((state.coolant_c - model.thermostat_c) / 8.0, 0.0), 1.0)
        fan = (state.coolant_c > 98.0 and "fan" not in self.electrics.dead) or "fan" in self.electrics.stuck_on
        airflow = 120.0 + 14.0 * speed_kmh + (250.0 if fan else 0.0)
        lost = (14.0 + opening * airflow) * (state.coolant_c - outside)
        state.coolant_c += (0.34 * power_w - lost) * DT / 52_000.0
        engine_bay = outside + (state.coolant_c - outside) * (0.30 if speed_kmh < 5.0 else 0.10)
        state.intake_c += (engine_bay - state.intake_c) * DT / 120.0
        hot = outside if power_w == 0.0 else 380.0 + 0.012 * power_w
        for exhaust in state.banks:
            exhaust.catalyst_c += (min(hot, 880.0) - exhaust.catalyst_c) * DT / (45.0 if power_w else 900.0)
