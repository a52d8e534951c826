"""Monitors of what only a diesel has: recirculated exhaust by the air it displaces, and the particulate filter.

Limits: common practice, no source.
"""

from __future__ import annotations

from typing import ClassVar

from gumshoe.simulator.diesel_control import DieselManagement
from gumshoe.simulator.watch import SLOW_S, Lasting, SlowMonitor, Watch


def own(watch: Watch) -> DieselManagement:
    """The diesel's management behind a watch."""
    management = watch.management
    assert isinstance(management, DieselManagement)
    return management


class Recirculation(SlowMonitor):
    """Air displaced by recirculated exhaust against what was wanted."""

    NAME: ClassVar[str] = "EGR / VVT"
    OFF_SHARE: ClassVar[float] = 0.16
    HOLD_S: ClassVar[float] = 8.0
    GOOD_S: ClassVar[float] = 30.0

    def __init__(self) -> None:
        self.start()

    def start(self) -> None:
        self._held = {code: Lasting(self.HOLD_S) for code in ("P0401", "P0402")}
        self._good = 0.0

    def step(self, watch: Watch) -> None:
        management = own(watch)
        diesel, state = management.diesel, watch.management.state
        if not watch.running or diesel.regenerating or watch.seen.coolant_c < 50.0 or not state.metering_usable:
            return
        whole = max(1000.0 * state.model_gps / max(watch.seen.rpm / 120.0 * watch.model.cylinders, 1.0), 1.0)
        off = (diesel.air_mg - diesel.air_target_mg) / whole
        little, much = diesel.egr > 0.85 and off > self.OFF_SHARE, diesel.egr < 0.02 and off < -self.OFF_SHARE
        for code, bad in (("P0401", little), ("P0402", much)):
            if self._held[code].reached(bad):
                watch.memory.fail(code, watch.frame())
                watch.memory.mark_complete(self.NAME)
        calm = abs(off) < self.OFF_SHARE / 2.0 and 0.05 < diesel.egr < 0.85
        self._good = self._good + SLOW_S if calm else self._good
        if self._good > self.GOOD_S:
            watch.memory.mark_complete(self.NAME)
            for code in self._held:
                watch.memory.passed(code)


class ParticulateFilter(SlowMonitor):
    """The filter's pressure: none at rest, enough of it at flow, not too much; and how often it is burnt free."""

    NAME: ClassVar[str] = "particulate filter"
    ZERO_MBAR: ClassVar[float] = 12.0
    LOW_SHARE: ClassVar[float] = 0.45
    SOOT_G: ClassVar[float] = 34.0
    VAIN_S: ClassVar[float] = 900.0
    ZERO_S: ClassVar[float] = 3.0
    FLOW_LPS: ClassVar[float] = 30.0
    HOLD_S: ClassVar[float] = 15.0
    OFTEN_KM: ClassVar[float] = 150.0
    OFTEN: ClassVar[int] = 3

    def __init__(self) -> None:
        self.start()

    def start(self) -> None:
        self._held = {code: Lasting(self.HOLD_S) for code in ("P2002", "P2463", "P242F")}
        self._held["P2453"] = Lasting(self.ZERO_S)
        self._good = 0.0

    def step(self, watch: Watch) -> None:
        seen, memory = watch.seen, watch.memory
        if "P2454" in memory.codes("pending") or "P2455" in memory.codes("pending"):
            return
        if not watch.running:
            self._hold(watch, "P2453", not seen.cranked and abs(seen.filter_mbar) > self.ZERO_MBAR)
            return
        if seen.filter_flow_lps < self.FLOW_LPS:
            return
        empty = self._empty(seen.filter_flow_lps)
        bare, full = seen.filter_mbar < self.LOW_SHARE * empty, self._full(watch, empty)
        self._hold(watch, "P2002", bare)
        self._hold(watch, "P2463", full)
        self._burning(watch, full)
        self._good = 0.0 if bare or full else self._good + SLOW_S
        if self._good > 30.0:
            memory.mark_complete(self.NAME)
            for code in self._held:
                memory.passed(code)

    def _empty(self, lps: float) -> float:
        """Pressure across an empty one (mbar) at a flow."""
        return 0.60 * lps + 0.00384 * lps**2

    def _full(self, watch: Watch, empty: float) -> bool:
        return watch.memory.soot_model_g > self.SOOT_G

    def _burning(self, watch: Watch, full: bool) -> None:
        """How it is burnt free: long and in vain, what fills it does not burn; and how often."""
        memory = watch.memory
        self._hold(watch, "P242F", full and own(watch).diesel.regeneration_s > self.VAIN_S)
        recent = [km for km in memory.regenerated_km if memory.regenerated_km[-1] - km < self.OFTEN_KM]
        if len(recent) >= self.OFTEN:
            memory.fail("P2459", watch.frame())

    def _hold(self, watch: Watch, code: str, bad: bool) -> None:
        if self._held[code].reached(bad):
            watch.memory.fail(code, watch.frame())
            watch.memory.mark_complete(self.NAME)


class Balance(SlowMonitor):
    """How much more or less fuel a cylinder needs at idle to push like the others."""

    LIMIT: ClassVar[float] = 0.15
    HOLD_S: ClassVar[float] = 10.0
    GOOD_S: ClassVar[float] = 20.0

    def __init__(self, cylinders: int) -> None:
        self.codes = [f"P{263 + 3 * n:04d}" for n in range(cylinders)]
        self.start()

    def start(self) -> None:
        self._held, self._good = [Lasting(self.HOLD_S) for _ in self.codes], 0.0

    def step(self, watch: Watch) -> None:
        if not watch.running or watch.seen.coolant_c < 60.0 or watch.seen.speed_kmh > 3.0:
            return
        balance = own(watch).diesel.balance
        for place, code in enumerate(self.codes):
            if self._held[place].reached(balance[place] > self.LIMIT):
                watch.memory.fail(code, watch.frame())
        self._good = self._good + SLOW_S if max(balance) < self.LIMIT / 2.0 else 0.0
        if self._good > self.GOOD_S:
            for code in self.codes:
                watch.memory.passed(code)
