"""The supply: battery, alternator and starter."""

from __future__ import annotations

from gumshoe.simulator.car import Car
from gumshoe.simulator.electrics import cranking as cranking_of
from gumshoe.simulator.engine import DT
from gumshoe.simulator.hybrid import SPUN_RPM
from gumshoe.simulator.identity import Key

FLAT_S = 1800.0
"""How long a battery that is not charged feeds a running car."""
EMPTY_SHARE, EMPTY_V = 0.02, 3.5
"""Below this charge the voltage falls away, down to this."""
AGED_V = 0.15
"""How much harder a battery taken to be old is charged."""


def supply(car: Car, running: bool, cranking: bool) -> float:
    """The supply's voltage follows battery, alternator and starter; how fast the starter turns the engine."""
    parts, model = car.parts, car.model
    charging = car.is_ready and parts.converter if car.hybrid else running and parts.charging > 0.5
    moved = DT / 120.0 if charging else (-DT / FLAT_S if running or car.is_ready else 0.0)
    car.charge_share = min(max(car.charge_share + moved, 0.0), 1.0)
    rested = 10.9 + 1.65 * car.charge_share
    if car.charge_share < EMPTY_SHARE:
        rested = EMPTY_V + (rested - EMPTY_V) * car.charge_share / EMPTY_SHARE
    aged = AGED_V * (car.memory.battery_aged - 0.3)
    wanted = 14.2 + aged if charging else rested * (0.93 + 0.07 * parts.battery_health)
    if car.key is not Key.OFF and not charging:
        wanted -= 0.25
    crank_rpm = 255.0
    if model.hybrid:
        crank_rpm = SPUN_RPM
    elif cranking:
        share, volts = cranking_of(parts.battery_health * (0.4 + 0.6 * car.charge_share), parts.strap_ohm)
        wanted, crank_rpm = volts, 255.0 * share * parts.starter
        if car.charge_share < EMPTY_SHARE:
            wanted, crank_rpm = min(wanted, rested), 0.0
    if "battery" in parts.unplugged and not charging:
        wanted = crank_rpm = 0.0
    car.supply_v += (wanted - car.supply_v) * 0.15
    return crank_rpm
