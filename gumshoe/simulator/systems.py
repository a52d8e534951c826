"""What some kinds of car have besides: a turbocharger with its gate, an intake cam that turns, a sealed tank.

Mean-value models with one memory each; coefficients are set so that they behave as is common for such systems (no
source). A natural engine with fixed cams and an open tank leaves all of it at rest.
"""

from __future__ import annotations

from dataclasses import dataclass

from gumshoe.simulator.models import Model
from gumshoe.simulator.parts import Parts

SPOOL_S = 0.7
"""Time constant of the turbocharger's shaft."""
SPOOL_GPS = 42.0
"""Air flow of the reference engine at which the turbine, gate shut, gives full boost."""
CAM_DEG_S = 70.0
"""How fast the phaser turns, warm oil."""
STUCK_GATE = 0.7
VENT_S, LEAK_S = 0.6, 400.0
TANK_KPA_PER_G = 0.9
"""Vacuum in a closed tank for each gram drawn out of it."""
TANK_LEAST_KPA = -3.2


@dataclass
class Systems:
    """State: pressure ahead of the throttle (kPa above the surroundings), gate (0 shut to 1 open), cam (degrees of
    advance), tank (kPa gauge)."""

    boost_kpa: float = 0.0
    gate: float = 0.0
    cam_deg: float = 0.0
    tank_kpa: float = 0.0
    vent_shut: bool = False

    def step(self, model: Model, parts: Parts, seconds: float, *, flow_gps: float, purge_gps: float) -> None:
        """Advance the turbocharger and the tank by what flows through the engine."""
        if model.boost_kpa:
            drive = min(flow_gps / (SPOOL_GPS * model.size), 1.2) * (1.0 - self.gate) * parts.boost_gain
            wanted = min(model.boost_kpa * drive * drive, 1.15 * model.boost_kpa)
            self.boost_kpa += (wanted - self.boost_kpa) * min(seconds / SPOOL_S, 1.0)
        if model.sealed_tank:
            self.tank_kpa -= purge_gps * TANK_KPA_PER_G * seconds
            way = LEAK_S if self.vent_shut else VENT_S
            self.tank_kpa -= self.tank_kpa * min(seconds / way, 1.0)
            self.tank_kpa = max(self.tank_kpa, TANK_LEAST_KPA)

    def actuate(
        self, model: Model, parts: Parts, seconds: float, *, gate: float, cam_deg: float, vent_shut: bool, rpm: float
    ) -> None:
        """Move the actuators towards what is commanded; a dead one rests, a stuck one stays."""
        if model.boost_kpa:
            wanted = 0.0 if "boost_valve" in parts.dead else gate
            if parts.gate_stuck:
                wanted = STUCK_GATE
            self.gate += (wanted - self.gate) * min(seconds / 0.25, 1.0)
        if model.cam_travel_deg:
            wanted = 0.0 if "intake_phaser_valve" in parts.dead else cam_deg
            most = CAM_DEG_S * seconds * (1.0 if rpm > 300.0 else 0.0)  # no oil pressure, no turning
            if not parts.phaser_stuck:
                self.cam_deg += min(max(wanted - self.cam_deg, -most), most)
        self.vent_shut = vent_shut and "vent_valve" not in parts.dead and not parts.vent_stuck
