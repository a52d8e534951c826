"""The stand-in's on-board monitors: each watches readings, decides by its own limits and reports to the memory.

Limits are typical of such monitors (misfire windows of 200 and 1000 revolutions: 13 CCR 1968.2 [S]; the rest common
practice, no source).
"""

from __future__ import annotations

from typing import ClassVar

from gumshoe.core.powertrain.component import ComponentRef
from gumshoe.simulator.control import CLOSED
from gumshoe.simulator.diesel_monitors import Balance, ParticulateFilter, Recirculation
from gumshoe.simulator.electrics import HIGH_V, LOW_V, Stand
from gumshoe.simulator.engine import DT
from gumshoe.simulator.models import CarModel
from gumshoe.simulator.petrol_filter import PetrolFilter
from gumshoe.simulator.system_monitors import (
    Boost,
    CamAngles,
    Charging,
    Learnt,
    Positions,
    RailPressure,
    TankLeak,
)
from gumshoe.simulator.watch import SLOW_S, Lasting, Monitor, SlowMonitor, Watch
from gumshoe.simulator.wires import wired_parts


class Circuits(Monitor):
    """Comprehensive components: pins out of range, outputs without their load, pulses that do not come."""

    NO_ACTIVITY: ClassVar = ("P0134", "P0154")
    ACTIVE_AFTER_S: ClassVar[float] = 180.0
    HOLD_S: ClassVar[float] = 1.0
    CRANKS_S: ClassVar[float] = 1.5
    SYNC_S: ClassVar[float] = 4.0
    DROPS: ClassVar[int] = 6
    DROPS_WITHIN_S: ClassVar[float] = 60.0

    def __init__(self, model: CarModel) -> None:
        self._counts: dict[str, float] = {}
        self._bad: set[str] = set()
        self._drops: dict[str, list[float]] = {}
        self._clock = 0.0
        self._part_of = {
            code: name for name, wired in wired_parts(model.key).items() for key, code in wired.codes.items()
        }

    def start(self) -> None:
        self._counts.clear()
        self._drops.clear()

    def step(self, watch: Watch) -> None:
        self._clock += DT
        state, seen = watch.management.state, watch.seen
        disturbed = watch.electrics.disturbed
        if disturbed or self._bad:
            self._look(watch)
        if watch.running and watch.model.spark and state.run_time_s > self.ACTIVE_AFTER_S:
            for code, bank in zip(self.NO_ACTIVITY, seen.banks, strict=False):
                self._judge(watch, code, not bank.upstream_ready)
        if watch.memory.records and watch.running:
            failing = set(self._counts)
            for code in list(watch.memory.records):
                if code in self._part_of and code not in failing and self._part_of[code] not in disturbed:
                    watch.memory.passed(code)
        if watch.running and state.run_time_s > 10.0:
            watch.memory.mark_complete("comprehensive components")

    def _look(self, watch: Watch) -> None:
        """Every part whose wires are not whole: what its pin says."""
        electrics = watch.electrics
        now = set()
        for name, stand in electrics.disturbed.items():
            wired = electrics.parts[name]
            verdict = self._verdict(watch, name, stand)
            drops = wired.codes.get("drops")
            for code in dict.fromkeys(code for code in wired.codes.values() if code != drops):
                self._judge(watch, code, code == wired.codes.get(verdict))
            if verdict:
                now.add(name)
        for name in self._bad - now:  # it is back: a contact that comes and goes
            wired = electrics.parts[name]
            held = [moment for moment in self._drops.get(name, []) if self._clock - moment < self.DROPS_WITHIN_S]
            self._drops[name] = [*held, self._clock]
            if "drops" in wired.codes and len(held) + 1 >= self.DROPS:
                watch.memory.fail(wired.codes["drops"], watch.frame(), trips=1)
                self._drops[name] = []
            for code in wired.codes.values():
                self._counts.pop(code, None)
        self._bad = now

    def _verdict(self, watch: Watch, name: str, stand: Stand) -> str:
        """``open``, ``low``, ``high`` or nothing, as the control unit can tell it at this moment."""
        if name in watch.seen.pins:
            volts = watch.seen.pins[name]
            return "low" if volts < LOW_V else "high" if volts > HIGH_V else ""
        state = watch.management.state
        if name == "crank_sensor":
            return stand.verdict if state.cranked_s > self.CRANKS_S or watch.seen.cranked else ""
        part = ComponentRef.parse(name)
        if part.kind in ("cam_sensor", "distributor"):
            return stand.verdict if watch.seen.cranked else ""
        if (part.kind, part.sensor) == ("oxygen_sensor", 1):
            return stand.verdict if stand.verdict != "open" and state.heater_on else ""
        if part.kind in ("oxygen_sensor", "oxygen_heater"):
            return stand.verdict if state.heater_on and state.run_time_s > self.SYNC_S else ""
        return stand.verdict

    def _judge(self, watch: Watch, code: str, bad: bool) -> None:
        count = self._counts.get(code, 0.0)
        if bad:
            count += DT
            self._counts[code] = count
            if self.HOLD_S <= count < self.HOLD_S + 1.5 * DT:
                watch.memory.fail(code, watch.frame(), trips=1)
        else:
            self._counts.pop(code, None)
            if watch.running and code in watch.memory.records:
                watch.memory.passed(code)


class FuelSystem(SlowMonitor):
    """Total trim of one bank against its limits, continuously; complete after two clean minutes that include every
    learnt cell in use."""

    LIMIT: ClassVar[float] = 0.22
    HOLD_S: ClassVar[float] = 12.0
    CLEAN_S: ClassVar[float] = 150.0
    CLEAN_IDLE_S: ClassVar[float] = 40.0
    CODES: ClassVar = (("P0171", "P0172"), ("P0174", "P0175"))

    def __init__(self, bank: int) -> None:
        self.bank, (self._lean_code, self._rich_code) = bank, self.CODES[bank]
        self.start()

    def start(self) -> None:
        self._lean, self._rich = Lasting(self.HOLD_S), Lasting(self.HOLD_S)
        self._clean = self._clean_idle = 0.0

    def step(self, watch: Watch) -> None:
        state, memory = watch.management.state, watch.memory
        bank = state.banks[self.bank]
        if not watch.running or bank.fuel_state != CLOSED or watch.seen.coolant_c < 70.0:
            return
        total = memory.ltft[self.bank][state.cell] + bank.stft_mean
        memory.results[f"fuel {self.bank + 1}"] = 100.0 * total
        for held, code, bad in (
            (self._lean, self._lean_code, total > self.LIMIT),
            (self._rich, self._rich_code, total < -self.LIMIT),
        ):
            if held.reached(bad):
                memory.fail(code, watch.frame(), similar=True, priority=True)
                memory.mark_complete("fuel system")
        if abs(total) < self.LIMIT * 0.8:
            self._clean += SLOW_S
            if state.cell == 0:
                self._clean_idle += SLOW_S
        if self._clean > self.CLEAN_S and self._clean_idle > self.CLEAN_IDLE_S:
            memory.mark_complete("fuel system")
            memory.passed(self._lean_code)
            memory.passed(self._rich_code)


class Misfire(Monitor):
    """Counts slow cylinders over windows of 200 and 1000 revolutions.

    Not in the first moments after each start, a hybrid's on the move included: it stumbles there without a fault (the
    count waits until the engine has settled: common practice).
    """

    EMISSION_SHARE: ClassVar[float] = 0.015
    CATALYST_SHARE: ClassVar[float] = 0.12
    SETTLE_S: ClassVar[float] = 3.0

    def __init__(self, cylinders: int) -> None:
        self.cylinders = cylinders
        self.start()

    def start(self) -> None:
        self.flashing = False
        self._short = [0] * self.cylinders
        self._long = [0] * self.cylinders
        self._short_turns = self._long_turns = 0.0
        self._good_windows = 0
        self._turning_s = 0.0

    def step(self, watch: Watch) -> None:
        memory = watch.memory
        self._turning_s = self._turning_s + DT if watch.running else 0.0
        if self._turning_s < self.SETTLE_S or watch.management.state.run_time_s < 5.0 or not memory.crank_learnt:
            return
        for cylinder in watch.missed:
            self._short[cylinder] += 1
            self._long[cylinder] += 1
            memory.misfire_trip[cylinder] += 1
        self._short_turns += watch.turns
        self._long_turns += watch.turns
        if self._short_turns >= 200.0:
            self.flashing = self._share(self._short, self._short_turns) > self.CATALYST_SHARE
            if self.flashing:
                self._report(watch, self._short)
            self._short, self._short_turns = [0] * self.cylinders, 0.0
        if self._long_turns >= 1000.0:
            share = self._share(self._long, self._long_turns)
            memory.results["misfire"] = 100.0 * share
            if share > self.EMISSION_SHARE:
                self._report(watch, self._long)
            else:
                self._good_windows += 1
                if self._good_windows >= 2:
                    for number in range(self.cylinders + 1):
                        memory.passed(f"P030{number}")
            memory.mark_complete("misfire")
            self._long, self._long_turns = [0] * self.cylinders, 0.0

    def _share(self, counts: list[int], turns: float) -> float:
        return sum(counts) / (turns * self.cylinders / 2.0)

    def _report(self, watch: Watch, counts: list[int]) -> None:
        top = max(counts)
        code = f"P030{counts.index(top) + 1}" if top > 0.7 * sum(counts) else "P0300"
        watch.memory.fail(code, watch.frame(), similar=True, priority=True)


class Heater(SlowMonitor):
    """Every upstream sensor must be ready within a minute of starting."""

    def __init__(self) -> None:
        self._done = False

    def start(self) -> None:
        self._done = False

    def step(self, watch: Watch) -> None:
        management = watch.management
        if self._done or not watch.running:
            return
        banks = watch.seen.banks
        ready = all(management.sensor_hot) and all(bank.heater_amps > 0.2 for bank in banks)
        if ready or management.state.run_time_s > 60.0:
            self._done = True
            watch.memory.mark_complete("oxygen sensor heater")
            for number, bank in enumerate(banks, 1):
                watch.memory.results[f"heater_a {number}"] = bank.heater_amps


BLOCKING = {"P030", "P033", "P010", "P011", "P012", "P017"}
"""Tens of codes under which the mixture cannot be trusted to judge the catalyst (common practice)."""


class OncePerTrip(Monitor):
    """A monitor of one bank that gathers for a time and judges once in a trip; ready when every bank has judged."""

    NAME: ClassVar[str] = ""
    CODES: ClassVar = ("", "")

    def __init__(self, bank: int) -> None:
        self.bank, self.code = bank, self.CODES[bank]
        self.start()

    def judged(self, watch: Watch, key: str, value: float, *, failed: bool) -> None:
        """Report the result; mark the monitor complete when no bank is still waiting."""
        memory = watch.memory
        memory.results[f"{key} {self.bank + 1}"] = value
        if all(f"{key} {n + 1}" in memory.results for n in range(len(watch.model.banks))):
            memory.mark_complete(self.NAME)
        if failed:
            memory.fail(self.code, watch.frame())
        else:
            memory.passed(self.code)


class UpstreamSensor(OncePerTrip):
    """At steady cruise the upstream sensor must follow the commanded dither."""

    LIMIT: ClassVar[float] = 0.35
    NEED_S: ClassVar[float] = 20.0
    NAME: ClassVar[str] = "oxygen sensor"
    CODES: ClassVar = ("P0133", "P0153")

    def start(self) -> None:
        self._time = self._swing = 0.0
        self._last = 1.0
        self._done = False

    def step(self, watch: Watch) -> None:
        bank, own = watch.management.state.banks[self.bank], watch.seen.banks[self.bank]
        if self._done or bank.fuel_state != CLOSED or watch.seen.speed_kmh < 40 or watch.seen.coolant_c < 70:
            return
        self._time += DT
        self._swing += abs(own.lambda_upstream - self._last)
        self._last = own.lambda_upstream
        if self._time >= self.NEED_S:
            self._done = True
            # Path travelled per second against the dither's own (0.024 twice in 1.25 s).
            ratio = self._swing / self._time / 0.0384
            self.judged(watch, "upstream", ratio, failed=ratio < self.LIMIT)


class Catalyst(OncePerTrip):
    """At warm cruise the downstream sensor must stay quiet: the catalyst's store evens the mixture out."""

    LIMIT: ClassVar[float] = 0.20
    NEED_S: ClassVar[float] = 40.0
    NAME: ClassVar[str] = "catalyst"
    CODES: ClassVar = ("P0420", "P0430")

    def start(self) -> None:
        self._time = self._path = 0.0
        self._last = 0.0
        self._done = False

    def step(self, watch: Watch) -> None:
        state, seen = watch.management.state, watch.seen
        closed = state.banks[self.bank].fuel_state == CLOSED
        steady = closed and seen.speed_kmh > 45.0 and seen.coolant_c > 75.0 and state.run_time_s > 180.0
        if self._done or not steady or any(code[:4] in BLOCKING for code in watch.memory.codes("pending")):
            return
        volts = seen.banks[self.bank].downstream_v
        if self._time > 0.0:
            self._path += abs(volts - self._last)
        self._last = volts
        self._time += DT
        if self._time >= self.NEED_S:
            self._done = True
            index = self._path / self._time / 0.35
            self.judged(watch, "catalyst", index, failed=index > self.LIMIT)


class AirFlow(SlowMonitor):
    """The measured air against the throttle's own flow map."""

    LIMIT: ClassVar[float] = 0.22
    HOLD_S: ClassVar[float] = 10.0

    def __init__(self, model: CarModel) -> None:
        self.code = "P0101" if model.flow_metered else "P0106"
        self.start()

    def start(self) -> None:
        self._bad, self._good = Lasting(self.HOLD_S), 0.0

    def step(self, watch: Watch) -> None:
        state, seen, model = watch.management.state, watch.seen, watch.model
        if not watch.running or not state.metering_usable or seen.coolant_c < 70.0 or seen.speed_kmh < 30.0:
            return
        if state.model_gps < 12.0 * model.size or seen.pedal.value < 0.03:
            return
        if model.diesel and state.command.egr > 0.0:
            return  # recirculated exhaust takes the air's place
        measured = seen.meter_gps if model.flow_metered else state.air_gps
        difference = abs(measured / state.model_gps - 1.0)
        if difference <= self.LIMIT:
            self._good += SLOW_S
        if self._bad.reached(difference > self.LIMIT):
            watch.memory.fail(self.code, watch.frame())
        elif self._good > 60.0:
            watch.memory.passed(self.code)


class IdleSpeed(SlowMonitor):
    """Idle speed against its target."""

    OFF_RPM: ClassVar[float] = 200.0
    HOLD_S: ClassVar[float] = 15.0

    def __init__(self) -> None:
        self.start()

    def start(self) -> None:
        self._high, self._low, self._good = Lasting(self.HOLD_S), Lasting(self.HOLD_S), 0.0

    def step(self, watch: Watch) -> None:
        state, seen = watch.management.state, watch.seen
        # At rest a hybrid's generator sets the speed, not the idle.
        generated = watch.management.model.hybrid is not None
        if generated or not watch.running or seen.pedal.value > 0.01 or seen.speed_kmh > 1.0 or state.run_time_s < 20.0:
            self._high.reached(False)
            self._low.reached(False)
            return
        self._good += SLOW_S
        for code, held, bad in (
            ("P0507", self._high, seen.rpm > state.target_rpm + self.OFF_RPM),
            ("P0506", self._low, seen.rpm < state.target_rpm - self.OFF_RPM / 2.0),
        ):
            if held.reached(bad):
                watch.memory.fail(code, watch.frame())
            elif self._good > 60.0:
                watch.memory.passed(code)


class WarmUp(SlowMonitor):
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
        self._grams += sum(state.command.fuel_gps) / watch.model.size * SLOW_S
        need = 6.5 * max(70.0 - state.start_coolant_c, 10.0)
        if seen.coolant_c >= 70.0:
            self._done = True
            watch.memory.passed("P0128")
        elif self._grams > need * 1.15:
            self._done = True
            watch.memory.fail("P0128", watch.frame())


def all_monitors(model: CarModel) -> list[Monitor]:
    """A fresh set, misfire first (the lamp asks it)."""
    if model.diesel:
        return [
            Misfire(model.cylinders),
            Circuits(model),
            AirFlow(model),
            WarmUp(),
            Charging(),
            Learnt(),
            CamAngles(model),
            Boost(),
            RailPressure(),
            Recirculation(),
            ParticulateFilter(),
            Balance(model.cylinders),
        ]
    banks = range(len(model.banks))
    return [
        Misfire(model.cylinders),
        *(FuelSystem(bank) for bank in banks),
        Circuits(model),
        Heater(),
        *(UpstreamSensor(bank) for bank in banks),
        *(Catalyst(bank) for bank in banks),
        AirFlow(model),
        IdleSpeed(),
        WarmUp(),
        Charging(),
        Learnt(),
        CamAngles(model),
        Positions(),
        *([Boost()] if model.boost_kpa else []),
        *([RailPressure()] if model.direct_kpa else []),
        *([TankLeak()] if model.sealed_tank else []),
        *([PetrolFilter()] if model.filtered else []),
    ]
