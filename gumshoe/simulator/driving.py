"""What a driver does as time goes: the profile segment by segment, a dead engine started again."""

from __future__ import annotations

from gumshoe.simulator.car import Car
from gumshoe.simulator.engine import DT
from gumshoe.simulator.identity import Key

RAN_S, STALL_WAIT_S, CRANKS_S, RESTARTS = 3.0, 2.0, 4.0, 3
"""How a driver restarts an engine that died: after how long, how long the key is held, how often."""


def follow_plan(car: Car) -> None:
    """Go on in the profile by one step."""
    if car.segment_left <= 0.0:
        segment = car.plan.pop(0)
        car.segment_left = segment.seconds
        if segment.key is not None:
            car.turn_key(Key(segment.key))
        car.driver.want_kmh, car.driver.want_rpm = segment.kmh, segment.rpm
        car.grade = segment.grade
        if segment.refuel_pct:
            car.fuel_level_pct = max(car.fuel_level_pct, segment.refuel_pct)
        if segment.soak_h:
            car.soak(segment.soak_h)
    car.segment_left -= DT
    if car.segment_left <= 0.0 and not car.plan:
        car.stop()


def restart(car: Car, running: bool) -> None:
    """A driver whose engine dies on the way tries again, some times."""
    if running or car.hybrid or car.key is Key.OFF or not car.driving:
        car.ran_s = car.ran_s + DT if running else 0.0
        car.stalled_s = 0.0
        return
    if car.stalled_s == 0.0 and car.ran_s < RAN_S:
        return  # it is only being started
    car.stalled_s += DT
    turn, waited = divmod(car.stalled_s, STALL_WAIT_S + CRANKS_S)
    if turn < RESTARTS:
        car.key = Key.START if waited > STALL_WAIT_S else Key.ON


def ready(car: Car, running: bool) -> bool:
    """Whether the motor of a hybrid turns its engine to start it; it stays ready until the key is off."""
    drive = car.hybrid
    assert drive
    if car.key is Key.OFF:
        car.is_ready = False
    drive.decide(
        ready=car.is_ready,
        coolant_c=car.engine.state.coolant_c,
        speed_kmh=car.speed_kmh,
        pedal=car.driver.pedal,
        held=car.driver.want_rpm > 0.0,
        seconds=DT,
    )
    return drive.engine_wanted and not running
