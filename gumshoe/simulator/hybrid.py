"""The electric half of a stand-in hybrid: when its engine runs, what the motor gives and takes, and the charge.

Mean values, set so that such a car behaves as is common (no source): it pulls away on the motor alone, starts its
engine when speed, pedal, cold or charge ask for it, and stops it again.
"""

from __future__ import annotations

from dataclasses import dataclass

from gumshoe.simulator.models import Hybrid
from gumshoe.simulator.parts import Parts

LOW_CHARGE, ENOUGH_CHARGE, FULL_CHARGE, EMPTY_CHARGE = 0.42, 0.55, 0.80, 0.25
COLD_C, HARD_PEDAL, LEAST_RUN_S = 45.0, 0.45, 8.0
SPUN_RPM = 1000.0
"""How fast the motor turns the engine to start it."""
CHARGING_KW, STAND_KW = 6.0, 0.35
FORTH, BACK = 1.12, 0.70
"""Losses: battery energy for each unit at the wheels, and what braking brings back."""


@dataclass
class ElectricDrive:
    """State of the electric half: charge (share), whether the engine is wanted, whether it is kept running for work on
    it (inspection mode, until the key is off)."""

    spec: Hybrid
    charge: float = 0.60
    engine_wanted: bool = False
    inspection: bool = False
    ran_s: float = 0.0
    filling: bool = False
    drawn_j: float = 0.0
    """Energy taken from the battery so far, less what came back."""

    def decide(
        self, *, ready: bool, coolant_c: float, speed_kmh: float, pedal: float, held: bool, seconds: float
    ) -> None:
        """Whether the engine should run."""
        self.inspection = ready and (self.inspection or held)
        self.ran_s = self.ran_s + seconds if self.engine_wanted else 0.0
        if self.charge < LOW_CHARGE:
            self.filling = True
        elif self.charge > ENOUGH_CHARGE:
            self.filling = False
        asked = (
            coolant_c < COLD_C
            or speed_kmh > self.spec.alone_kmh
            or pedal > HARD_PEDAL
            or self.filling
            or self.inspection
        )
        lingers = self.engine_wanted and self.ran_s < LEAST_RUN_S
        self.engine_wanted = ready and (asked or lingers)

    def force(self, *, speed_kmh: float, pedal: float, brake: float, engine_drives: bool, mass_kg: float, parts: Parts,
              seconds: float, ready: bool) -> float:  # fmt: skip
        """Force of the motor at the wheels in N (negative: braking with return); moves the charge."""
        metres = max(speed_kmh / 3.6, 1.5)
        watts = 1000.0 * self.spec.motor_kw
        joules = self.spec.battery_kwh * parts.pack_health * 3.6e6
        if not ready:
            return 0.0
        if brake > 0.0:
            force = -min(0.6 * brake * mass_kg * 9.81, watts / metres) if speed_kmh > 6.0 else 0.0
        else:
            share = 0.25 if engine_drives else 1.0
            force = share * min(pedal * 2.2 * watts / metres, pedal * 9000.0, watts / metres)
        if self.charge <= EMPTY_CHARGE and force > 0.0:
            force = 0.0
        if self.charge >= FULL_CHARGE and force < 0.0:
            force = 0.0
        power = force * speed_kmh / 3.6 * (FORTH if force > 0.0 else BACK)
        drawn = (power + 1000.0 * STAND_KW) * seconds
        self.drawn_j += drawn
        self.charge -= drawn / joules
        self.charge = min(max(self.charge, 0.05), 0.95)
        return force

    def generate(self, *, running: bool, rpm: float, parts: Parts, seconds: float) -> float:
        """Torque (Nm) that charging takes from the engine; moves the charge."""
        if not running or self.charge >= FULL_CHARGE or rpm < 800.0:
            return 0.0
        share = min((FULL_CHARGE - self.charge) / 0.15, 1.0)
        watts = 1000.0 * CHARGING_KW * share * min((rpm - 700.0) / 800.0, 1.0)
        stored = watts * 0.85 * seconds
        self.drawn_j -= stored
        self.charge += stored / (self.spec.battery_kwh * parts.pack_health * 3.6e6)
        return watts / (rpm / 60.0 * 2.0 * 3.14159)
