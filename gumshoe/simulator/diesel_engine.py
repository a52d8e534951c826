"""Mean-value model of a compression-ignition engine: air without a throttle, recirculated exhaust, injected fuel, hot
exhaust, and a particulate filter that fills with soot and ash and is burnt free.

Built on the petrol model's pieces. Coefficients are set so that idle, cruise, full load, exhaust temperatures and
filter pressures lie where such engines commonly lie (common practice, no source).
"""

from __future__ import annotations

import math

from gumshoe.simulator.engine import DT, LOWER_HEATING_VALUE, R_AIR, Actuation, Engine, volumetric_efficiency
from gumshoe.simulator.models import CarModel
from gumshoe.simulator.parts import Parts

STOICH = 14.6
SMOKE_LAMBDA = 1.12
"""Below this share of air fuel burns incompletely and smokes."""
EFFICIENCY = 0.415
RECIRCULATED_GPS = 26.0
"""Exhaust that the open recirculation valve of the reference engine passes at 10 kPa across it."""
HEATS_C = 11_000.0
"""Rise of the exhaust's temperature over that of the charge, for each part of fuel to air."""
POST_C = 400.0
"""What full post-injection adds."""
SMOKE_SHARE, DIRT_SHARE = 0.0008, 0.012
"""Soot from each gram of fuel with plenty of air, and as the air runs short."""
BURNS_FROM_C, BURNS_PER_S = 500.0, 0.006
ASH_PER_G = 2.0e-7
LINEAR_MBAR, SQUARE_MBAR = 0.60, 0.00384
"""Pressure across an empty filter of 2 litres' engine over its volume flow in L/s: linear and square part."""
SOOT_SHARE_G, ASH_SHARE_G = 30.0, 60.0
COLD_C = 5.0


def filter_flow_lps(model: CarModel, gps: float, celsius: float, pressure_pa: float) -> float:
    """Volume flow through the filter in L/s, of an engine of 2 litres: the gas law."""
    density = pressure_pa / (R_AIR * (celsius + 273.15))  # g/L is kg/m³
    return gps / density * 2.0 / model.displacement_l


def feed_kpa(model: CarModel, parts: Parts) -> float:
    """Pressure before the high-pressure pump: what the lift pump gives, less what the filter takes (invented curve)."""
    return float(model.rail_kpa * parts.pump_capacity**0.5 / parts.filter_restriction**0.25)


class DieselEngine(Engine):
    """The engine; ``load_nm`` is what drive line and accessories take from it."""

    def _air(self, command: Actuation) -> None:
        model, parts, state = self.model, self.parts, self.state
        up_k = state.intake_c + 273.15
        drawn = state.meter_true_gps / model.size
        outside = self.air.pressure_pa - 1.4 * (parts.air_filter_restriction - 1.0) * drawn
        charged = outside + 1000.0 * self.systems.boost_kpa
        state.manifold_pa += (charged - state.manifold_pa) * 0.25
        turns = state.rpm / 60.0
        filled = volumetric_efficiency(state.rpm) * state.manifold_pa / (R_AIR * (up_k + 10.0))
        state.cylinder_gps = filled * self._swept_m3 * turns * 500.0
        valve = parts.egr_stuck if parts.egr_stuck >= 0.0 else self.electrics.acts("egr_valve", command.egr)
        state.egr_valve += (valve - state.egr_valve) * DT / 0.15
        pressed = (
            2.0 + 0.06 * state.cylinder_gps / model.size + 0.12 * self.systems.boost_kpa * (1.0 - self.systems.gate)
        )
        wanted = RECIRCULATED_GPS * model.size * state.egr_valve * math.sqrt(pressed / 10.0) if turns > 1.0 else 0.0
        state.egr_gps = min(wanted, 0.6 * state.cylinder_gps)
        fresh = state.cylinder_gps - state.egr_gps
        state.throttle_gps = fresh
        # What a hose loses behind the compressor has passed the meter.
        lost = (1.0 - min(parts.boost_gain * 1.6, 1.0)) * 0.08 * self.systems.boost_kpa
        state.meter_true_gps += (fresh + lost - state.meter_true_gps) * 0.2
        metered = state.meter_true_gps * (1.0 - parts.duct_leak_share)
        share = min(metered / (30.0 * model.size), 1.0)
        gain = parts.meter_gain_low + (parts.meter_gain_high - parts.meter_gain_low) * share
        noise = 1.0 + 0.006 * self.random.gauss(0.0, 1.0)
        state.meter_gps += (metered * gain * noise - state.meter_gps) * 0.4
        self._purge_air = self._purge_fuel = 0.0

    def _fuel(self, command: Actuation) -> None:
        state, model, diesel = self.state, self.model, self.model.compression
        assert diesel
        asked = sum(command.fuel_gps) + command.post_gps
        pumping = "fuel_pump" not in self.electrics.dead
        feed = feed_kpa(model, self.parts)
        if (asked > 0.0 or command.cranking) and pumping:
            state.rail_kpa += (feed - state.rail_kpa) * 0.05
        else:
            state.rail_kpa *= 0.9999 if pumping else 0.99
        valve = 0.0 if "rail_pressure_valve" in self.electrics.dead else command.high_valve
        if "rail_pressure_valve" in self.electrics.stuck_on:
            valve = 1.0
        used = state.fuel_gps + 0.15 * model.size * state.rpm / 1000.0 * 0.1
        self.systems.pump_high(
            model, self.parts, DT, rpm=state.rpm, valve=valve, used_gps=used, feed_kpa=state.rail_kpa
        )
        # Under a pressure that the injectors cannot lift against nothing comes.
        lifts = self.systems.high_kpa > 0.35 * diesel.squeeze_kpa[0]
        gain = (
            math.sqrt(self.systems.high_kpa / diesel.squeeze_kpa[1]) / max(command.pulse_share, 0.2) if lifts else 0.0
        )
        self._fuel_of_bank[:] = [fuel * gain for fuel in command.fuel_gps]
        state.post_gps = command.post_gps * gain
        state.fuel_gps = sum(self._fuel_of_bank) + state.post_gps

    def _combustion(self, command: Actuation) -> float:
        parts, state, model = self.parts, self.state, self.model
        turns = state.rpm / 60.0
        state.fired.clear()
        injected = sum(self._fuel_of_bank)
        if turns < 1.0:
            state.smooth = 1.0
            return 0.0
        if injected <= 0.0:
            state.fuel_air += (0.0 - state.fuel_air) * 0.1
            return 0.0
        count = model.cylinders
        fresh = max(state.cylinder_gps - state.egr_gps, 1e-6)
        # Recirculated exhaust brings back the air it did not burn.
        unburnt = max(1.0 - STOICH * state.fuel_air, 0.0)
        air = (fresh + state.egr_gps * unburnt) / count
        power, burnt_fuel = 0.0, 0.0
        chances = [0.0] * count
        state.strokes = [0.0] * count
        for cylinder in range(count):
            own = injected / count * parts.injector_gain[cylinder]
            if cylinder in command.injectors_off:
                own = 0.0
            elif cylinder in command.injectors_open:
                own = injected * 2.0
            corrected = own + command.balance[cylinder] * injected / count if own else 0.0
            state.lambdas[cylinder] = air / (STOICH * corrected) if corrected > 1e-9 else 9.0
            useful = min(corrected, air / (STOICH * SMOKE_LAMBDA))
            chances[cylinder] = self._fails(cylinder, corrected)
            state.strokes[cylinder] = useful * parts.compression[cylinder] ** 0.5 * (1.0 - chances[cylinder])
            power += useful * 1e-3 * LOWER_HEATING_VALUE * parts.compression[cylinder] ** 0.5
            burnt_fuel += corrected
        rich = burnt_fuel + 0.6 * state.post_gps
        state.fuel_air += (rich / max(air * count, 1e-6) - state.fuel_air) * 0.2
        mean = EFFICIENCY * power / (2.0 * math.pi * turns)
        self._events(turns, chances)
        return mean * state.smooth

    def _spread_of(self, cylinder: int) -> float:
        return 0.02

    def _fails(self, cylinder: int, fuel: float) -> float:
        """Chance that a charge does not light: no fuel, no compression, too cold and no glow."""
        if fuel <= 1e-9:
            return 1.0
        poor = max(0.0, 0.7 - self.parts.compression[cylinder]) * 0.9
        cold = max(0.0, COLD_C + 15.0 - self.state.coolant_c) / 40.0
        unlit = cold if f"glow_plug_{cylinder + 1}" in self.electrics.dead else 0.0
        return min(1.0, poor + unlit)

    def _exhaust(self) -> None:
        parts, state, model = self.parts, self.state, self.model
        flow = state.cylinder_gps - state.egr_gps + state.fuel_gps
        burning = state.fuel_gps > 0.0
        leaving = state.intake_c + 30.0 + HEATS_C * state.fuel_air if burning else state.intake_c + 10.0
        leaving = min(leaving, 780.0)
        post = POST_C * min(state.post_gps / (0.10 * model.size), 1.0)
        state.exhaust_c += (leaving - state.exhaust_c) * DT / (3.0 if state.rpm > 60.0 else 300.0)
        ahead = state.exhaust_c * 0.92 + post
        state.filter_c += (ahead - state.filter_c) * DT / (25.0 if state.rpm > 60.0 else 900.0)
        # Soot: a little from all fuel, much as the air runs short.
        short = max(STOICH * state.fuel_air - 0.62, 0.0)
        made = state.fuel_gps * (SMOKE_SHARE + DIRT_SHARE * short) * DT
        kept = 0.25 if parts.filter_cracked else 1.0
        state.soot_g = max(state.soot_g + made * kept, 0.0)
        if state.filter_c > BURNS_FROM_C and burning:
            hot = min((state.filter_c - BURNS_FROM_C) / 100.0, 1.5)
            state.soot_g *= 1.0 - BURNS_PER_S * hot * DT
        parts.ash_g += state.fuel_gps * ASH_PER_G * DT
        litres = filter_flow_lps(model, flow, state.filter_c, self.air.pressure_pa)
        filled = 1.0 + state.soot_g / SOOT_SHARE_G + parts.ash_g / ASH_SHARE_G
        whole = 0.2 if parts.filter_cracked else 1.0
        state.filter_mbar = (LINEAR_MBAR * filled * litres + SQUARE_MBAR * litres**2) * whole
        for exhaust in state.banks:
            exhaust.catalyst_c = state.exhaust_c
            exhaust.lambda_exhaust = min(1.0 / max(STOICH * state.fuel_air, 0.1), 9.0)
