"""The stand-in diesel's control unit: fuel by pedal and idle governor within the smoke limit, air by boost and
recirculation, rail pressure, even running, and when the particulate filter is burnt free.

It works only from its sensors' readings (``Readings``), never from the physics.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from gumshoe.simulator.control import SYNC_S, EngineManagement, full_air_gps
from gumshoe.simulator.engine import DT, Actuation
from gumshoe.simulator.sensors import Readings

IDLE_MG, LEAST_AIR_SHARE = 7.0, 0.55
"""Fuel of a stroke that idle begins with; the share of its filling that the engine keeps fresh at light load."""
SMOKE_RATIO = 17.0
REGENERATES_C = 590.0
REGENERATION_S = 1500.0
DONE_SHARE = 0.20
IDLE_RAISED_RPM = 100.0
WARM_C = 70.0
BALANCES_UP_TO_RPM = 1200.0
DRIFT, DRIFT_S = 0.05, 7200.0
"""How far the air-flow meter's drift is followed, and how slowly (s)."""


@dataclass
class DieselState:
    """What only a diesel's control unit holds. Masses in mg a stroke, soot in g (its own model), per cylinder the
    correction of even running as a share."""

    mg: float = 0.0
    governor: float = 0.0
    egr: float = 0.0
    air_mg: float = 0.0
    air_target_mg: float = 0.0
    regenerating: bool = False
    regeneration_s: float = 0.0
    post: float = 0.0
    balance: list[float] = field(default_factory=list)


class DieselManagement(EngineManagement):
    """Turns readings into commands, 50 times a second."""

    def power_up(self) -> None:
        """Key on: volatile memory starts afresh."""
        super().power_up()
        self.diesel = DieselState(balance=[0.0] * self.model.cylinders)
        self.state.command.balance = self.diesel.balance

    def step(self, seen: Readings, cranking: bool) -> Actuation:
        """One step of 20 ms."""
        running = self._begin(seen, cranking)
        self._measure(seen)
        self._quantity(seen, running, cranking)
        self._boost(seen, running)
        self._recirculate(seen, running)
        self._rail_by_load(seen)
        self._filter(seen, running)
        self._even(seen, running)
        return self.state.command

    # -- inside -------------------------------------------------------------------------------------------

    def _strokes(self, rpm: float) -> float:
        """Intake strokes of the whole engine a second."""
        return max(rpm, 100.0) / 120.0 * self.model.cylinders

    def _measure(self, seen: Readings) -> None:
        state, model = self.state, self.model
        state.metering_usable = seen.meter_valid
        state.model_gps = (
            full_air_gps(model, seen.rpm, seen.intake_c + 10.0 - 12.0, seen.charge_kpa) if seen.rpm else 0.0
        )
        measured = seen.meter_gps if state.metering_usable else 0.7 * state.model_gps
        measured *= 1.0 + self.memory.air_drift
        self._learn_drift(seen, measured)
        state.air_gps += (measured - state.air_gps) * 0.2
        if seen.rpm > 300.0:
            state.abs_load_pct = 100.0 * state.air_gps * 120.0 / (seen.rpm * 1.184 * model.displacement_l)
        self.diesel.air_mg = 1000.0 * state.air_gps / self._strokes(seen.rpm) if seen.rpm > 300.0 else 0.0

    def _learn_drift(self, seen: Readings, measured: float) -> None:
        """What the meter tells against the model, with the recirculation shut and the engine warm: learnt over
        hours."""
        state = self.state
        steady = seen.coolant_c > WARM_C and state.command.egr < 0.02 and state.model_gps > 5.0
        if not steady or not state.metering_usable:
            return
        wanted = min(max(self.memory.air_drift + state.model_gps / measured - 1.0, -DRIFT), DRIFT) if measured else 0.0
        self.memory.air_drift += (wanted - self.memory.air_drift) * DT / DRIFT_S

    def _quantity(self, seen: Readings, running: bool, cranking: bool) -> None:
        """Fuel of a stroke: what the pedal asks for or idle needs, no more than the air can burn."""
        state, command, own, diesel = self.state, self.state.command, self.diesel, self.model.compression
        assert diesel
        pedal = self._pedal(seen)
        cold = min(max((80.0 - seen.coolant_c) / 60.0, 0.0), 1.0)
        state.target_rpm = self.model.idle_rpm + 150.0 * cold + (IDLE_RAISED_RPM if own.regenerating else 0.0)
        if not running:
            state.synced = seen.rpm > 0.0 and (state.synced or seen.cams_valid or state.cranked_s > SYNC_S)
            starts = cranking and state.synced
            own.mg = 14.0 + 8.0 * cold if starts else 0.0
            own.governor = 0.0
        else:
            error = (state.target_rpm - seen.rpm) / 100.0
            own.governor = min(max(own.governor + 1.5 * error * DT, -4.0), 12.0)
            idle = max(IDLE_MG + own.governor + 3.0 * error, 0.0)
            asked = diesel.most_mg * pedal
            limit = min(diesel.most_mg, own.air_mg / SMOKE_RATIO) if state.metering_usable else 0.45 * diesel.most_mg
            limit *= max(0.0, min(1.0, (4600.0 - seen.rpm) / 400.0))
            own.mg = min(max(asked, idle), limit) if seen.rpm < state.target_rpm + 250.0 else min(asked, limit)
        gps = own.mg * self._strokes(seen.rpm) / 1000.0
        command.fuel_gps = [gps]
        state.load_pct = min(100.0, 100.0 * own.mg / diesel.most_mg)
        state.spark_deg = 0.0

    def _boost(self, seen: Readings, running: bool) -> None:
        state, model, diesel = self.state, self.model, self.model.compression
        assert diesel
        share = min(self.diesel.mg / diesel.most_mg, 1.0)
        wanted = model.boost_kpa * min(1.15 * share, 1.0) * min(max((seen.rpm - 1000.0) / 900.0, 0.0), 1.0)
        state.boost_target_kpa = wanted if seen.charge_valid else 0.0
        over = (seen.charge_kpa - seen.baro_kpa) - wanted if seen.charge_valid else 50.0
        state.gate = min(max(state.gate + 0.02 * over * DT, 0.0), 1.0) if running else 0.0
        state.command.gate = state.gate

    def _recirculate(self, seen: Readings, running: bool) -> None:
        """The valve opened until the measured air falls to what load and speed want."""
        state, own, diesel = self.state, self.diesel, self.model.compression
        assert diesel
        whole = 1000.0 * state.model_gps / self._strokes(seen.rpm) if seen.rpm > 300.0 else 0.0
        share = min(own.mg / diesel.most_mg, 1.0)
        quick = min(max((seen.rpm - 1800.0) / 500.0, 0.0), 1.0)
        keeps = LEAST_AIR_SHARE + (1.0 - LEAST_AIR_SHARE) * min(max(share / 0.55, quick), 1.0)
        may = running and seen.coolant_c > 40.0 and share < 0.55 and state.metering_usable and not own.regenerating
        own.air_target_mg = whole * keeps if may else whole
        over = (own.air_mg - own.air_target_mg) / max(whole, 1.0)
        own.egr = min(max(own.egr + 0.8 * over * DT, 0.0), 0.9) if may and own.mg > 0.5 else 0.0
        state.command.egr = own.egr

    def _rail_by_load(self, seen: Readings) -> None:
        state, command, diesel = self.state, self.state.command, self.model.compression
        assert diesel
        low, high = diesel.squeeze_kpa
        share = min(self.diesel.mg / diesel.most_mg, 1.0)
        state.rail_target_kpa = low + (high - low) * min(0.85 * share + 0.15 * min(seen.rpm / 4000.0, 1.0), 1.0)
        if not seen.rail_valid:
            state.high_valve, command.pulse_share = 0.2, math.sqrt(0.3)
        else:
            used = (sum(command.fuel_gps) + command.post_gps) / max(16.0 * self.model.size * seen.rpm / 6000.0, 0.05)
            error = (state.rail_target_kpa - seen.rail_kpa) / high
            state.high_valve = min(max(used + 3.0 * error, 0.0), 1.0)
            command.pulse_share = math.sqrt(max(seen.rail_kpa, 0.05 * high) / high)
        command.high_valve = state.high_valve

    def _filter(self, seen: Readings, running: bool) -> None:
        """Its soot model, from the pressure over the flow once that is enough, and from fuel; and the burning."""
        own, memory, diesel = self.diesel, self.memory, self.model.compression
        assert diesel
        memory.filter_km += seen.speed_kmh * DT / 3600.0
        if running:
            memory.soot_model_g += sum(self.state.command.fuel_gps) * 0.0009 * DT
            if seen.filter_flow_lps > 20.0:
                part = (seen.filter_mbar - 0.00384 * seen.filter_flow_lps**2) / (0.60 * seen.filter_flow_lps)
                seen_g = 30.0 * (part - 1.0 - memory.ash_model_g / 60.0)
                memory.soot_model_g += (min(max(seen_g, 0.0), 60.0) - memory.soot_model_g) * DT / 120.0
        if own.regenerating:
            own.regeneration_s += DT
            if memory.soot_model_g < DONE_SHARE * diesel.filter_soot_g:
                memory.regeneration_done()
                own.regenerating = False
            elif own.regeneration_s > REGENERATION_S or not running:
                own.regenerating = False
                memory.regenerations_broken += 1
        elif running and memory.soot_model_g > diesel.filter_soot_g and seen.coolant_c > WARM_C and own.mg > 1.0:
            own.regenerating, own.regeneration_s = True, 0.0
        wanted = 1.0 if own.regenerating and seen.filter_in_c < REGENERATES_C else 0.0
        own.post += (wanted - own.post) * DT / 2.0
        self.state.command.post_gps = 0.10 * self.model.size * own.post if running else 0.0
        if own.regenerating and running and seen.filter_in_c > 540.0:
            memory.soot_model_g *= 1.0 - 0.0035 * DT

    def _even(self, seen: Readings, running: bool) -> None:
        """At idle each cylinder is given what makes it push like the others."""
        own, felt = self.diesel, seen.pushes
        if not running or not felt or seen.rpm > BALANCES_UP_TO_RPM or seen.speed_kmh > 3.0:
            return
        mean = sum(felt) / len(felt)
        if mean <= 0.0:
            return
        for cylinder, push in enumerate(felt):
            moved = own.balance[cylinder] + 0.08 * (1.0 - push / mean) * DT
            own.balance[cylinder] = min(max(moved, -0.45), 0.45)
        middle = sum(own.balance) / len(own.balance)
        own.balance[:] = [value - middle for value in own.balance]
