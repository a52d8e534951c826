"""Routines that a stand-in's control units run when a tester asks (UDS 31; ISO 14229-1 [S]): learning and resetting.

Each has its conditions; one that loses them while it runs is aborted, and the car is left in the state that follows:
a throttle whose stop was being learnt does not know it any more.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from gumshoe.simulator.car import Car

START, STOP, RESULTS = 0x01, 0x02, 0x03
DONE, RUNNING, ABORTED, NEVER = 0x00, 0x01, 0x02, 0x03
IDLE_RPM = (450.0, 1300.0)
FRESH_ASH_G, FRESH_SOOT_G = 12.0, 8.0


def _always(_: Car) -> bool:
    return True


def _nothing(_: Car) -> None:
    return None


def _still(car: Car) -> bool:
    """Key on, engine off, standing."""
    return car.powered and car.engine.state.rpm <= 0.0 and car.speed_kmh <= 0.0


def _throttle_may(car: Car) -> bool:
    return _still(car) and 5.0 <= car.engine.state.coolant_c <= 100.0 and car.supply_v >= 11.5


def _throttle_begins(car: Car) -> None:
    car.memory.throttle_learnt = False


def _throttle_done(car: Car) -> None:
    car.memory.throttle_learnt = True
    car.memory.idle_learnt = 0.0


def _crank_may(car: Car) -> bool:
    warm = car.engine.state.coolant_c >= 60.0 and car.speed_kmh <= 0.0
    return car.powered and warm and car.engine.state.rpm >= IDLE_RPM[0]


def _crank_done(car: Car) -> None:
    car.memory.crank_learnt = True


def _trims_forgotten(car: Car) -> None:
    car.memory.ltft = [[0.0] * len(row) for row in car.memory.ltft]
    car.memory.idle_learnt = 0.0


def _drift_forgotten(car: Car) -> None:
    car.memory.air_drift = 0.0


def _ash_forgotten(car: Car) -> None:
    car.memory.ash_model_g = FRESH_ASH_G


def _soot_forgotten(car: Car) -> None:
    car.memory.soot_model_g = FRESH_SOOT_G


def _battery_new(car: Car) -> None:
    car.memory.battery_aged = 0.0


@dataclass(frozen=True)
class Routine:
    """One routine: in which module, how long it takes, when it may run, what it does at its start and at its end."""

    module: str
    seconds: float
    may: Callable[[Car], bool]
    ends: Callable[[Car], None]
    begins: Callable[[Car], None] = _nothing
    has: Callable[[Car], bool] = _always


def _electronic(car: Car) -> bool:
    return car.model.electronic_throttle


def _diesel(car: Car) -> bool:
    return bool(car.model.diesel)


ROUTINES: dict[int, Routine] = {
    0x0211: Routine("engine", 6.0, _throttle_may, _throttle_done, _throttle_begins, _electronic),
    0x0212: Routine("engine", 0.5, _still, _trims_forgotten),
    0x0213: Routine("engine", 1.0, _still, _drift_forgotten, has=_diesel),
    0x0214: Routine("engine", 12.0, _crank_may, _crank_done),
    0x0215: Routine("engine", 1.0, _still, _ash_forgotten, has=_diesel),
    0x0216: Routine("engine", 1.0, _still, _soot_forgotten, has=_diesel),
    0x0311: Routine("body", 1.0, _still, _battery_new),
}


class Routines:
    """Which routine runs, and how the last run of each ended."""

    def __init__(self) -> None:
        self.running: int | None = None
        self.left_s = 0.0
        self.ended: dict[int, int] = {}

    def step(self, car: Car, seconds: float) -> None:
        """So much later: the routine goes on, ends, or is aborted because its conditions are gone."""
        if self.running is None:
            return
        routine = ROUTINES[self.running]
        self.left_s -= seconds
        if not routine.may(car):
            self._end(ABORTED)
        elif self.left_s <= 0.0:
            routine.ends(car)
            self._end(DONE)

    def _end(self, how: int) -> None:
        if self.running is not None:
            self.ended[self.running] = how
        self.running = None

    def answer(self, car: Car, request: bytes, module: str) -> bytes:
        """Answer a request of service 31 in that module."""
        if len(request) < 4:
            return bytes((0x7F, 0x31, 0x13))
        number = request[2] << 8 | request[3]
        routine = ROUTINES.get(number)
        if routine is None or routine.module != module or not routine.has(car):
            return bytes((0x7F, 0x31, 0x31))
        if request[1] == START:
            if self.running is not None:
                return bytes((0x7F, 0x31, 0x21))
            if not routine.may(car):
                return bytes((0x7F, 0x31, 0x22))
            routine.begins(car)
            self.running, self.left_s = number, routine.seconds
            return bytes((0x71, START, *request[2:4], RUNNING))
        if request[1] == STOP:
            if self.running != number:
                return bytes((0x7F, 0x31, 0x24))
            self._end(ABORTED)
            return bytes((0x71, STOP, *request[2:4], ABORTED))
        if request[1] == RESULTS:
            state = RUNNING if self.running == number else self.ended.get(number, NEVER)
            return bytes((0x71, RESULTS, *request[2:4], state))
        return bytes((0x7F, 0x31, 0x12))
