"""What moves besides the pistons: throttle plate, turbocharger, cams that turn, high-pressure pump, tank.

Mean-value models with one memory each; coefficients are set so that they behave as is common for such systems (no
source). What a kind of car has not stays at rest.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from gumshoe.simulator.electrics import Electrics
from gumshoe.simulator.models import CarModel, Plate
from gumshoe.simulator.parts import Parts

SPOOL_S = 0.7
"""Time constant of the turbocharger's shaft."""
SPOOL_GPS = 42.0
"""Air flow of the reference engine at which the turbine, gate shut, gives full boost."""
CAM_DEG_S, SLUDGE_DEG_S = 70.0, 0.6
"""How fast the phaser turns: warm clean oil, and sludge."""
STUCK_GATE = 0.7
VENT_S, TIGHT_S = 0.6, 400.0
LEAK_PER_MM2_S = 0.051
"""How much faster a closed tank loses its vacuum for each mm² of hole: 1.0 mm empties some 30 L of air in about 25 s
(Bernoulli at 2.5 kPa)."""
TANK_KPA_PER_G = 0.9
"""Vacuum in a closed tank for each gram drawn out of it."""
TANK_LEAST_KPA = -3.2
PLATE_PER_S, LIMP_PLATE, STICKS_BY = 8.0, 0.060, 0.10
IDLE_VALVE_STUCK = 0.052
HIGH_GPS = 16.0
"""Fuel that the high-pressure pump of the reference engine gives at 6000 rpm."""
HIGH_KPA_PER_G = 9_000.0


@dataclass
class Systems:
    """State: plate (0 shut to 1 open), pressure ahead of the throttle (kPa above the surroundings), gate (0 shut to 1
    open), each cam that turns (degrees of advance from its rest), rail of direct injection (kPa), tank (kPa gauge)."""

    plate: float = 0.0
    boost_kpa: float = 0.0
    gate: float = 0.0
    cams: list[float] = field(default_factory=list)
    high_kpa: float = 0.0
    tank_kpa: float = 0.0
    vent_shut: bool = False

    @classmethod
    def of(cls, model: CarModel) -> Systems:
        """At rest."""
        return cls(cams=[0.0] * len(model.phasers))

    def step(self, model: CarModel, parts: Parts, seconds: float, *, flow_gps: float, purge_gps: float) -> None:
        """Advance the turbocharger and the tank by what flows through the engine."""
        if model.boost_kpa:
            drive = (
                min(flow_gps / (SPOOL_GPS * model.size), 1.2) * (1.0 - self.gate) * parts.boost_gain * parts.turbo_gain
            )
            wanted = min(model.boost_kpa * drive * drive, 1.15 * model.boost_kpa)
            self.boost_kpa += (wanted - self.boost_kpa) * min(seconds / SPOOL_S, 1.0)
        if model.sealed_tank:
            self.tank_kpa -= purge_gps * TANK_KPA_PER_G * seconds
            loses = 1.0 / TIGHT_S + LEAK_PER_MM2_S * sum(parts.tank_leak_mm2.values())
            loses += 0.0 if self.vent_shut else 1.0 / VENT_S
            self.tank_kpa -= self.tank_kpa * min(loses * seconds, 1.0)
            self.tank_kpa = max(self.tank_kpa, TANK_LEAST_KPA)

    def actuate(
        self,
        model: CarModel,
        parts: Parts,
        electrics: Electrics,
        seconds: float,
        *,
        gate: float,
        cams_deg: list[float],
        vent_shut: bool,
        rpm: float,
    ) -> None:
        """Move the actuators towards what is commanded; a dead one rests, a stuck one stays."""
        if model.boost_kpa:
            wanted = STUCK_GATE if parts.gate_stuck else electrics.acts("boost_valve", gate)
            self.gate += (wanted - self.gate) * min(seconds / 0.25, 1.0)
        if model.phasers:
            # No oil pressure, no turning.
            most = (SLUDGE_DEG_S if parts.oil_worn else CAM_DEG_S) * seconds * (1.0 if rpm > 300.0 else 0.0)
            for place, cam in enumerate(model.phasers):
                valve = cam.valve
                wanted = cams_deg[place]
                if valve in electrics.dead:
                    wanted = 0.0
                elif valve in electrics.stuck_on:
                    wanted = model.cam_travel_deg
                if not parts.phaser_stuck[place]:
                    self.cams[place] += min(max(wanted - self.cams[place], -most), most)
        shut = (vent_shut and "vent_valve" not in electrics.dead) or "vent_valve" in electrics.stuck_on
        self.vent_shut = shut and not parts.vent_stuck

    def turn_plate(
        self,
        model: CarModel,
        parts: Parts,
        electrics: Electrics,
        seconds: float,
        *,
        command: float,
        idle: float,
        pedal: float,
    ) -> None:
        """The throttle plate (with a cable: what the idle valve and the pedal let through together)."""
        if model.throttle is Plate.CABLE:
            self.plate = min(1.0, (IDLE_VALVE_STUCK if parts.idle_valve_stuck else idle) + 0.95 * pedal**1.5)
            return
        wanted = LIMP_PLATE if "throttle_motor" in electrics.dead else command
        if "throttle_motor" in electrics.stuck_on:
            wanted = LIMP_PLATE  # the bridge switches off what it cannot steer
        if parts.throttle_sticks and abs(wanted - self.plate) < STICKS_BY:
            return
        most = PLATE_PER_S * seconds
        self.plate += min(max(wanted - self.plate, -most), most)

    def pump_high(self, model: CarModel, parts: Parts, seconds: float, *, rpm: float, valve: float, used_gps: float,
                  feed_kpa: float) -> None:  # fmt: skip
        """The rail of direct injection: what the high-pressure pump gives of its ``valve``'s opening, less what is
        injected; never below the feed."""
        fed = min(feed_kpa / model.rail_kpa, 1.0)
        given = HIGH_GPS * model.size * rpm / 6000.0 * valve * parts.high_pump * fed
        stiff = HIGH_KPA_PER_G * model.rail_full_kpa / 15_000.0
        self.high_kpa += (given - used_gps) * stiff * seconds
        self.high_kpa = min(max(self.high_kpa, feed_kpa), 1.3 * model.rail_full_kpa)


def cam_readings(model: CarModel, parts: Parts, systems: Systems) -> list[float]:
    """Each watched cam against the crank's reference, in degrees of advance: every cam that turns, else the intake cam
    of each bank. A stretched chain or a tooth holds them back, and so does a reference that has moved."""
    angles = systems.cams or [0.0] * len(model.banks)
    banks = [cam.bank - 1 for cam in model.phasers] or range(len(model.banks))
    return [angle - parts.chain_deg[bank] - parts.tooth_deg for bank, angle in zip(banks, angles, strict=True)]
