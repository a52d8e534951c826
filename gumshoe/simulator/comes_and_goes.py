"""What comes and goes: a half seated plug as the engine shakes, a wire that parts by vibration, heat or wet."""

from __future__ import annotations

from gumshoe.simulator.car import Car
from gumshoe.simulator.identity import Key

LOOSE_SHARE = 0.12
"""How often a half seated plug has no contact (invented for the stand-ins)."""
FEELS_S, SHAKEN_SHARE, HOT_C, DRY_C = 0.2, 0.10, 84.0, 60.0
"""When a wire that parts now and then does so (invented for the stand-ins)."""


def unsteady(car: Car, running: bool) -> None:
    """What comes and goes: a half seated plug as the engine shakes, a wire that parts by vibration, heat, wet."""
    parts = car.parts
    if parts.loose or parts.apart:
        shaken = car.key is not Key.OFF
        parts.apart = {n for n in sorted(parts.loose) if shaken and car.random.random() < LOOSE_SHARE}
    if not (parts.moods or parts.acting) or car.clock_s - car.felt_s < FEELS_S:
        return
    car.felt_s = car.clock_s
    coolant = car.engine.state.coolant_c
    shaking = running and (car.speed_kmh > 15.0 or car.engine.state.rpm > 1800.0)
    chance = {
        "vibration": SHAKEN_SHARE if shaking else 0.0,
        "heat": 1.0 if coolant > HOT_C else 0.0,
        "moisture": 1.0 if car.air.wet and coolant < DRY_C else 0.0,
    }
    parts.acting = {n for n, (_, _, cause) in parts.moods.items() if car.random.random() < chance[cause]}
