"""Gearbox, wheels and road: what takes torque from the engine, and how the car moves."""

from __future__ import annotations

import math

from gumshoe.simulator.car import Car
from gumshoe.simulator.engine import DT

GRAVITY = 9.81


def drive(car: Car, running: bool) -> tuple[float | None, float]:
    """(imposed engine speed or None, torque taken from the engine); moves the car."""
    model = car.model
    accessories = 3.0 * model.size if running else 0.0
    speed = car.speed_kmh
    if car.hybrid:
        accessories += car.hybrid.generate(running=running, rpm=car.engine.state.rpm, parts=car.parts, seconds=DT)
    if speed < 0.05 and car.driver.want_kmh < 0.5:
        car.speed_kmh = 0.0
        return None, accessories
    if car.gear < 4 and speed > model.shift_kmh[car.gear]:
        car.gear += 1
    elif car.gear > 0 and speed < 0.75 * model.shift_kmh[car.gear - 1]:
        car.gear -= 1
    ratio = model.rpm_per_kmh[car.gear]
    turn_per_metre = ratio * 3.6 / 60.0 * 2.0 * math.pi
    state = car.engine.state
    coupled = running and speed * ratio > 1000.0 and not (car.driver.brake > 0.0 and speed < 14.0)
    if coupled:
        clutch = state.torque_nm - accessories
    elif running and car.driver.want_kmh > 0.5 and not car.hybrid:
        clutch = model.size * min(max((state.rpm - model.idle_rpm - 90.0) * 0.12, 0.0), 90.0)
    else:
        clutch = 0.0
    metres = speed / 3.6
    force = clutch * turn_per_metre * 0.92
    if car.hybrid:
        force += car.hybrid.force(
            speed_kmh=speed,
            pedal=car.driver.pedal,
            brake=car.driver.brake,
            engine_drives=coupled,
            mass_kg=model.mass_kg,
            parts=car.parts,
            seconds=DT,
            ready=car.is_ready,
        )
    drag = 0.011 * model.mass_kg * GRAVITY + 0.40 * metres * metres + model.mass_kg * GRAVITY * car.grade
    brake = car.driver.brake * model.mass_kg * GRAVITY
    inertia = model.mass_kg + (model.inertia * turn_per_metre**2 if coupled else 0.0)
    metres = max(0.0, metres + (force - (drag + brake if metres > 0.0 or force > drag else force)) / inertia * DT)
    car.speed_kmh = metres * 3.6
    km = metres * DT / 1000.0
    car.odometer_km += km
    car.fuel_level_pct = max(1.0, car.fuel_level_pct - state.fuel_gps * DT / 37_000.0 * 100.0)
    if coupled:
        return car.speed_kmh * ratio, accessories
    return None, accessories + clutch
