"""Monitors of what only some kinds of car have: the cam that turns, the boost. Limits: common practice, no source."""

from __future__ import annotations

from gumshoe.simulator.engine import DT
from gumshoe.simulator.watch import Monitor, Watch


class CamAngle(Monitor):
    """The intake cam against its target, settled: too far on or too far back."""

    LIMIT_DEG = 8.0
    HOLD_S = 4.0
    CODES = ("P0011", "P0012")

    def __init__(self) -> None:
        self.start()

    def start(self) -> None:
        self._off, self._good = [0.0, 0.0], 0.0

    def step(self, watch: Watch) -> None:
        if not watch.running or watch.seen.coolant_c < 60.0:
            return
        error = watch.seen.cam_deg - watch.management.state.cam_target_deg
        for place, bad in enumerate((error > self.LIMIT_DEG, error < -self.LIMIT_DEG)):
            self._off[place] = self._off[place] + DT if bad else 0.0
            if self.HOLD_S <= self._off[place] < self.HOLD_S + 1.5 * DT:
                watch.memory.fail(self.CODES[place], watch.frame())
        self._good = self._good + DT if abs(error) < self.LIMIT_DEG / 2.0 else 0.0
        if self._good > 20.0 and watch.management.state.cam_target_deg > self.LIMIT_DEG:
            for code in self.CODES:
                watch.memory.passed(code)


class Boost(Monitor):
    """Boost against its target while the engine breathes enough to give it."""

    SHORT_KPA = 20.0
    HOLD_S = 2.5
    code = "P0299"

    def __init__(self) -> None:
        self.start()

    def start(self) -> None:
        self._short = self._good = 0.0

    def step(self, watch: Watch) -> None:
        state, seen = watch.management.state, watch.seen
        wanted = state.boost_target_kpa
        if not watch.running or wanted < 30.0 or seen.rpm < 1900.0:
            self._short = 0.0
            return
        short = wanted - (seen.charge_kpa - seen.baro_kpa) > self.SHORT_KPA
        self._short = self._short + DT if short else 0.0
        self._good = 0.0 if short else self._good + DT
        if self.HOLD_S <= self._short < self.HOLD_S + 1.5 * DT:
            watch.memory.fail(self.code, watch.frame())
        elif self._good > 10.0:
            watch.memory.passed(self.code)
