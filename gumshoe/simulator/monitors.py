"""The stand-in's on-board monitors: each watches readings, decides by its own limits and reports to the memory.

Limits are typical of such monitors (misfire windows of 200 and 1000 revolutions: 13 CCR 1968.2 [S]; the rest common
practice, no source).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from gumshoe.simulator.control import CLOSED, EngineManagement
from gumshoe.simulator.engine import DT
from gumshoe.simulator.memory import Memory
from gumshoe.simulator.sensors import Readings

Frame = Callable[[], dict[str, float]]


@dataclass
class Watch:
    """What every monitor may look at."""

    seen: Readings
    management: EngineManagement
    memory: Memory
    frame: Frame
    unplugged: set[str]
    missed: list[int] = field(default_factory=list)
    """Cylinders (0-based) in which the crank slowed like a misfire in this step, as the control unit judges."""
    turns: float = 0.0

    @property
    def running(self) -> bool:
        return self.seen.rpm > 450.0


class Monitor:
    """One watcher; ``step`` runs 50 times a second while the key is on, ``start`` at every engine start."""

    def start(self) -> None:
        """A new drive cycle begins."""

    def step(self, watch: Watch) -> None:
        """Look at the readings of this step."""


class Circuits(Monitor):
    """Comprehensive components: pins out of range, outputs without their load."""

    OUTPUTS = (
        {f"injector_{n}": f"P020{n}" for n in range(1, 5)}
        | {f"ignition_coil_{n}": f"P035{n}" for n in range(1, 5)}
        | {"purge_valve": "P0443"}
    )

    def __init__(self) -> None:
        self._counts: dict[str, float] = {}

    def start(self) -> None:
        self._counts.clear()

    def step(self, watch: Watch) -> None:
        seen = watch.seen
        self._judge(watch, "P0102", seen.meter_v < 0.2)
        self._judge(watch, "P0113", seen.intake_v > 4.9)
        self._judge(watch, "P0118", seen.coolant_v > 4.9)
        state = watch.management.state
        if watch.running and state.run_time_s > 4.0:
            self._judge(watch, "P0030", state.heater_on and seen.heater_amps < 0.2)
        if watch.unplugged or watch.memory.records:  # otherwise no output can be open and none has a code to pass
            for component, code in self.OUTPUTS.items():
                self._judge(watch, code, component in watch.unplugged)
        if watch.running and state.run_time_s > 10.0:
            watch.memory.mark_complete("comprehensive components")

    def _judge(self, watch: Watch, code: str, bad: bool) -> None:
        count = self._counts.get(code, 0.0)
        if bad:
            count += DT
            if 1.0 <= count < 1.0 + 1.5 * DT:
                watch.memory.fail(code, watch.frame(), trips=1)
        else:
            count = 0.0
            if watch.running and code in watch.memory.records:
                watch.memory.passed(code)
        self._counts[code] = count


class FuelSystem(Monitor):
    """Total trim against its limits, continuously; complete after two clean minutes that include every learnt cell
    in use."""

    LIMIT = 0.22
    HOLD_S = 12.0
    CLEAN_S = 150.0
    CLEAN_IDLE_S = 40.0

    def __init__(self) -> None:
        self.start()

    def start(self) -> None:
        self._lean = self._rich = self._clean = self._clean_idle = 0.0

    def step(self, watch: Watch) -> None:
        state, memory = watch.management.state, watch.memory
        if not watch.running or state.fuel_state != CLOSED or watch.seen.coolant_c < 70.0:
            return
        total = memory.ltft[state.cell] + state.stft_mean
        memory.results["fuel"] = 100.0 * total
        self._lean = self._lean + DT if total > self.LIMIT else 0.0
        self._rich = self._rich + DT if total < -self.LIMIT else 0.0
        for held, code in ((self._lean, "P0171"), (self._rich, "P0172")):
            if self.HOLD_S <= held < self.HOLD_S + 1.5 * DT:
                memory.fail(code, watch.frame(), similar=True, priority=True)
                memory.mark_complete("fuel system")
        if abs(total) < self.LIMIT * 0.8:
            self._clean += DT
            if state.cell == 0:
                self._clean_idle += DT
        if self._clean > self.CLEAN_S and self._clean_idle > self.CLEAN_IDLE_S:
            memory.mark_complete("fuel system")
            memory.passed("P0171")
            memory.passed("P0172")


class Misfire(Monitor):
    """Counts slow cylinders over windows of 200 and 1000 revolutions."""

    EMISSION_SHARE = 0.015
    CATALYST_SHARE = 0.12

    def __init__(self) -> None:
        self.flashing = False
        self.start()

    def start(self) -> None:
        self.flashing = False
        self._short = [0] * 4
        self._long = [0] * 4
        self._short_turns = self._long_turns = 0.0
        self._good_windows = 0

    def step(self, watch: Watch) -> None:
        memory = watch.memory
        if not watch.running or watch.management.state.run_time_s < 5.0:
            return
        for cylinder in watch.missed:
            self._short[cylinder] += 1
            self._long[cylinder] += 1
            memory.misfire_trip[cylinder] += 1
        self._short_turns += watch.turns
        self._long_turns += watch.turns
        if self._short_turns >= 200.0:
            share = sum(self._short) / (self._short_turns * 2.0)
            self.flashing = share > self.CATALYST_SHARE
            if self.flashing:
                self._report(watch, self._short)
            self._short, self._short_turns = [0] * 4, 0.0
        if self._long_turns >= 1000.0:
            share = sum(self._long) / (self._long_turns * 2.0)
            memory.results["misfire"] = 100.0 * share
            if share > self.EMISSION_SHARE:
                self._report(watch, self._long)
            else:
                self._good_windows += 1
                if self._good_windows >= 2:
                    for code in ("P0300", "P0301", "P0302", "P0303", "P0304"):
                        memory.passed(code)
            memory.mark_complete("misfire")
            self._long, self._long_turns = [0] * 4, 0.0

    def _report(self, watch: Watch, counts: list[int]) -> None:
        top = max(counts)
        code = f"P030{counts.index(top) + 1}" if top > 0.7 * sum(counts) else "P0300"
        watch.memory.fail(code, watch.frame(), similar=True, priority=True)


class Heater(Monitor):
    """The upstream sensor must be ready within a minute of starting."""

    def __init__(self) -> None:
        self._done = False

    def start(self) -> None:
        self._done = False

    def step(self, watch: Watch) -> None:
        state = watch.management.state
        if self._done or not watch.running:
            return
        if watch.management.sensor_hot and watch.seen.heater_amps > 0.2:
            self._done = True
            watch.memory.results["heater_a"] = watch.seen.heater_amps
            watch.memory.mark_complete("oxygen sensor heater")
        elif state.run_time_s > 60.0:
            self._done = True
            watch.memory.mark_complete("oxygen sensor heater")


class UpstreamSensor(Monitor):
    """At steady cruise the upstream sensor must follow the commanded dither."""

    LIMIT = 0.35
    NEED_S = 20.0

    def __init__(self) -> None:
        self.start()

    def start(self) -> None:
        self._time = self._swing = 0.0
        self._last = 1.0
        self._done = False

    def step(self, watch: Watch) -> None:
        state = watch.management.state
        if self._done or state.fuel_state != CLOSED or watch.seen.speed_kmh < 40 or watch.seen.coolant_c < 70:
            return
        self._time += DT
        self._swing += abs(watch.seen.lambda_upstream - self._last)
        self._last = watch.seen.lambda_upstream
        if self._time >= self.NEED_S:
            self._done = True
            # Path travelled per second against the dither's own (0.024 twice in 1.25 s).
            ratio = self._swing / self._time / 0.0384
            watch.memory.results["upstream"] = ratio
            watch.memory.mark_complete("oxygen sensor")
            if ratio < self.LIMIT:
                watch.memory.fail("P0133", watch.frame())
            else:
                watch.memory.passed("P0133")


class Catalyst(Monitor):
    """At warm cruise the downstream sensor must stay quiet: the catalyst's store evens the mixture out."""

    LIMIT = 0.20
    NEED_S = 40.0

    def __init__(self) -> None:
        self.start()

    def start(self) -> None:
        self._time = self._path = 0.0
        self._last = 0.0
        self._done = False

    def step(self, watch: Watch) -> None:
        state, seen = watch.management.state, watch.seen
        steady = (
            state.fuel_state == CLOSED and seen.speed_kmh > 45.0 and seen.coolant_c > 75.0 and state.run_time_s > 180.0
        )
        if self._done or not steady:
            return
        if self._time > 0.0:
            self._path += abs(seen.downstream_v - self._last)
        self._last = seen.downstream_v
        self._time += DT
        if self._time >= self.NEED_S:
            self._done = True
            index = self._path / self._time / 0.35
            watch.memory.results["catalyst"] = index
            watch.memory.mark_complete("catalyst")
            if index > self.LIMIT:
                watch.memory.fail("P0420", watch.frame())
            else:
                watch.memory.passed("P0420")


class AirFlow(Monitor):
    """The meter against the throttle's own flow map."""

    LIMIT = 0.22

    def __init__(self) -> None:
        self.start()

    def start(self) -> None:
        self._bad = self._good = 0.0

    def step(self, watch: Watch) -> None:
        state, seen = watch.management.state, watch.seen
        if not watch.running or not state.meter_usable or seen.coolant_c < 70.0 or seen.speed_kmh < 30.0:
            return
        if state.model_gps < 12.0 or seen.pedal < 0.03:
            return
        difference = abs(seen.meter_gps / state.model_gps - 1.0)
        self._bad = self._bad + DT if difference > self.LIMIT else 0.0
        if difference <= self.LIMIT:
            self._good += DT
        if 10.0 <= self._bad < 10.0 + 1.5 * DT:
            watch.memory.fail("P0101", watch.frame())
        elif self._good > 60.0:
            watch.memory.passed("P0101")


class IdleSpeed(Monitor):
    """Idle speed against its target."""

    def __init__(self) -> None:
        self.start()

    def start(self) -> None:
        self._high = self._good = 0.0

    def step(self, watch: Watch) -> None:
        state, seen = watch.management.state, watch.seen
        if not watch.running or seen.pedal > 0.01 or seen.speed_kmh > 1.0 or state.run_time_s < 20.0:
            self._high = 0.0
            return
        self._high = self._high + DT if seen.rpm > state.target_rpm + 200.0 else 0.0
        self._good += DT
        if 15.0 <= self._high < 15.0 + 1.5 * DT:
            watch.memory.fail("P0507", watch.frame())
        elif self._good > 60.0:
            watch.memory.passed("P0507")


class WarmUp(Monitor):
    """The coolant must reach 70 °C within the heat the engine has made."""

    def __init__(self) -> None:
        self.start()

    def start(self) -> None:
        self._grams = 0.0
        self._done = False

    def step(self, watch: Watch) -> None:
        state, seen = watch.management.state, watch.seen
        if self._done or not watch.running:
            return
        if state.start_coolant_c > 50.0:
            self._done = True
            return
        self._grams += state.command.fuel_gps * DT
        need = 6.5 * max(70.0 - state.start_coolant_c, 10.0)
        if seen.coolant_c >= 70.0:
            self._done = True
            watch.memory.passed("P0128")
        elif self._grams > need * 1.15:
            self._done = True
            watch.memory.fail("P0128", watch.frame())


def all_monitors() -> list[Monitor]:
    """A fresh set, misfire first (the lamp asks it)."""
    return [
        Misfire(),
        FuelSystem(),
        Circuits(),
        Heater(),
        UpstreamSensor(),
        Catalyst(),
        AirFlow(),
        IdleSpeed(),
        WarmUp(),
    ]
