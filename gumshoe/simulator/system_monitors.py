"""Monitors of single systems: cams against the crank, positions told twice, boost, rail pressure, charging, the tank's
tightness. Limits: common practice, no source, but for the sizes of holes (13 CCR 1968.2 [S])."""

from __future__ import annotations

from typing import ClassVar

from gumshoe.simulator.bus import cut_off
from gumshoe.simulator.control import CLOSED, LeakTest
from gumshoe.simulator.hybrid import ElectricDrive
from gumshoe.simulator.models import Cam, CarModel
from gumshoe.simulator.parts import Parts
from gumshoe.simulator.watch import SLOW_S, Lasting, SlowMonitor, Watch


class CamAngles(SlowMonitor):
    """Every cam against its target once settled, and at rest against the crank."""

    LIMIT_DEG: ClassVar[float] = 8.0
    OFF_DEG: ClassVar[float] = 10.0
    HOLD_S: ClassVar[float] = 4.0
    RESTS_S: ClassVar[float] = 8.0
    MOVED = {
        Cam("intake", 1): ("P0011", "P0012"),
        Cam("exhaust", 1): ("P0014", "P0015"),
        Cam("intake", 2): ("P0021", "P0022"),
        Cam("exhaust", 2): ("P0024", "P0025"),
    }
    RESTING = {
        Cam("intake", 1): "P0016",
        Cam("exhaust", 1): "P0017",
        Cam("intake", 2): "P0018",
        Cam("exhaust", 2): "P0019",
    }

    def __init__(self, model: CarModel) -> None:
        self.cams = model.phasers or tuple(Cam("intake", bank) for bank in range(1, len(model.banks) + 1))
        self._rest = [0.0] * len(self.cams)
        self.start()

    def start(self) -> None:
        count = len(self.cams)
        self._over, self._under = ([Lasting(self.HOLD_S) for _ in range(count)] for _ in range(2))
        self._wrong = [Lasting(self.RESTS_S) for _ in range(count)]
        self._good, self._right = [0.0] * count, [0.0] * count

    def step(self, watch: Watch) -> None:
        seen = watch.seen
        if not watch.running or seen.coolant_c < 60.0 or not seen.cams_valid:
            return
        targets = watch.management.state.cam_targets_deg
        for place, cam in enumerate(self.cams):
            target = targets[place] if targets else 0.0
            if target < 0.5:
                self._at_rest(watch, place, cam)
            if targets:
                self._moved(watch, place, cam, target)

    def _at_rest(self, watch: Watch, place: int, cam: Cam) -> None:
        angle, memory = watch.seen.cams[place], watch.memory
        self._rest[place] += (angle - self._rest[place]) * SLOW_S / 2.0
        wrong = abs(angle) > self.OFF_DEG
        self._right[place] = 0.0 if wrong else self._right[place] + SLOW_S
        if self._wrong[place].reached(wrong):
            memory.fail(self.RESTING[cam], watch.frame())
        elif self._right[place] > 20.0:
            memory.passed(self.RESTING[cam])

    def _moved(self, watch: Watch, place: int, cam: Cam, target: float) -> None:
        error = watch.seen.cams[place] - max(min(self._rest[place], 25.0), -25.0) - target
        over, under = self.MOVED[cam]
        for held, code, bad in (
            (self._over, over, error > self.LIMIT_DEG),
            (self._under, under, error < -self.LIMIT_DEG),
        ):
            if held[place].reached(bad):
                watch.memory.fail(code, watch.frame())
        self._good[place] = self._good[place] + SLOW_S if abs(error) < self.LIMIT_DEG / 2.0 else 0.0
        if self._good[place] > 20.0 and target > self.LIMIT_DEG:
            watch.memory.passed(over)
            watch.memory.passed(under)


class Positions(SlowMonitor):
    """Pedal and throttle: two tracks that must agree, and a plate that must follow."""

    HOLD_S: ClassVar[float] = 0.2
    FOLLOWS_S: ClassVar[float] = 1.0
    OFF: ClassVar[float] = 0.08

    def __init__(self) -> None:
        self.start()

    def start(self) -> None:
        self._held = {code: Lasting(self.HOLD_S) for code in ("P2135", "P2138")} | {"P2101": Lasting(self.FOLLOWS_S)}
        self._good = 0.0

    def step(self, watch: Watch) -> None:
        seen, state, model = watch.seen, watch.management.state, watch.model
        if not model.electronic_throttle:
            return
        apart = {
            code: tracks.first_valid and tracks.second_valid and not tracks.agree
            for code, tracks in (("P2135", seen.plate), ("P2138", seen.pedal))
        }
        off = seen.plate.agree and watch.running and abs(seen.plate.first - state.command.throttle) > self.OFF
        bad = apart | {"P2101": off}
        for code, held in self._held.items():
            if held.reached(bad[code]):
                watch.memory.fail(code, watch.frame(), trips=1)
        self._good = 0.0 if any(bad.values()) else self._good + SLOW_S
        if watch.running and self._good > 20.0 and watch.memory.records:
            for code in self._held:
                watch.memory.passed(code)


class Charging(SlowMonitor):
    """The supply while the engine runs."""

    LOW_V: ClassVar[float] = 11.8
    HOLD_S: ClassVar[float] = 10.0
    code = "P0562"

    def __init__(self) -> None:
        self.start()

    def start(self) -> None:
        self._low, self._good = Lasting(self.HOLD_S), 0.0

    def step(self, watch: Watch) -> None:
        if not watch.running or watch.management.state.run_time_s < 10.0:
            return
        low = watch.seen.supply_v < self.LOW_V
        self._good = 0.0 if low else self._good + SLOW_S
        if self._low.reached(low):
            watch.memory.fail(self.code, watch.frame(), trips=1)
        elif self._good > 60.0:
            watch.memory.passed(self.code)


class Learnt(SlowMonitor):
    """What the control unit must have learnt before it can do its work: the throttle's stop, the crankshaft wheel."""

    HOLD_S: ClassVar[float] = 8.0
    THROTTLE: ClassVar[str] = "P2176"
    CRANK: ClassVar[str] = "P0315"

    def __init__(self) -> None:
        self.start()

    def start(self) -> None:
        self._throttle, self._crank = Lasting(self.HOLD_S), Lasting(self.HOLD_S)

    def step(self, watch: Watch) -> None:
        if not watch.running:
            return
        memory = watch.memory
        for code, lasting, learnt in (
            (self.THROTTLE, self._throttle, memory.throttle_learnt or not watch.model.electronic_throttle),
            (self.CRANK, self._crank, memory.crank_learnt),
        ):
            if lasting.reached(not learnt):
                memory.fail(code, watch.frame())
            elif learnt and watch.management.state.run_time_s > self.HOLD_S:
                memory.passed(code)


class LostModules(SlowMonitor):
    """Control units that are no longer heard."""

    HOLD_S: ClassVar[float] = 2.0
    GOOD_S: ClassVar[float] = 20.0
    CODES = {"gearbox_module": "U0101", "brake_module": "U0121", "body_module": "U0140", "cluster": "U0155"}

    def __init__(self, parts: Parts) -> None:
        self.parts = parts
        self.start()

    def start(self) -> None:
        self._held = {component: Lasting(self.HOLD_S) for component in self.CODES}
        self._good = 0.0

    def step(self, watch: Watch) -> None:
        silent = {component: cut_off(self.parts, component) for component in self.CODES}
        for component, code in self.CODES.items():
            if self._held[component].reached(silent[component]):
                watch.memory.fail(code, watch.frame(), trips=1)
        self._good = 0.0 if any(silent.values()) else self._good + SLOW_S
        if self._good > self.GOOD_S and watch.running and watch.memory.records:
            for code in self.CODES.values():
                watch.memory.passed(code)


class HybridPack(SlowMonitor):
    """The high-voltage battery's capacity: energy that went in or out for each share of charge that it moved."""

    LEAST_SHARE: ClassVar[float] = 0.5
    MOVES: ClassVar[float] = 0.04
    PROOFS: ClassVar[int] = 3
    code = "P0A80"

    def __init__(self, drive: ElectricDrive) -> None:
        self.drive = drive
        self.start()

    def start(self) -> None:
        self._from_charge, self._from_j = self.drive.charge, self.drive.drawn_j
        self._low = self._good = 0

    def step(self, watch: Watch) -> None:
        moved = self.drive.charge - self._from_charge
        if abs(moved) < self.MOVES:
            return
        kwh = (self._from_j - self.drive.drawn_j) / moved / 3.6e6
        self._from_charge, self._from_j = self.drive.charge, self.drive.drawn_j
        worn = kwh < self.LEAST_SHARE * self.drive.spec.battery_kwh
        self._low, self._good = (self._low + 1, 0) if worn else (0, self._good + 1)
        watch.memory.results["pack kWh"] = kwh
        if self._low == self.PROOFS:
            watch.memory.fail(self.code, watch.frame())
        elif self._good >= self.PROOFS:
            watch.memory.passed(self.code)


class RailPressure(SlowMonitor):
    """Pressure of the injection's rail against its target."""

    SHORT_SHARE: ClassVar[float] = 0.20
    OVER_SHARE: ClassVar[float] = 0.25
    HOLD_S: ClassVar[float] = 4.0

    def __init__(self) -> None:
        self.start()

    def start(self) -> None:
        self._held = {code: Lasting(self.HOLD_S) for code in ("P0087", "P0088")}
        self._good = 0.0

    def step(self, watch: Watch) -> None:
        state, seen = watch.management.state, watch.seen
        if not watch.running or not seen.rail_valid or state.run_time_s < 5.0 or state.rail_target_kpa <= 0.0:
            return
        off = seen.rail_kpa / state.rail_target_kpa - 1.0
        burning = sum(state.command.fuel_gps) > 0.0  # on the overrun nothing can lower it
        bad = {"P0087": off < -self.SHORT_SHARE, "P0088": burning and off > self.OVER_SHARE}
        for code, held in self._held.items():
            if held.reached(bad[code]):
                watch.memory.fail(code, watch.frame())
        self._good = 0.0 if any(bad.values()) else self._good + SLOW_S
        if self._good > 30.0:
            for code in self._held:
                watch.memory.passed(code)


class TankLeak(SlowMonitor):
    """Once in a trip that began cold: the vent shut, vacuum drawn by the purge valve, then held and watched."""

    NAME: ClassVar[str] = "evaporative system"
    PULL_KPA: ClassVar[float] = -1.8
    LEAST_KPA: ClassVar[float] = -0.6
    PULL_S: ClassVar[float] = 45.0
    HOLD_S: ClassVar[float] = 15.0
    LOST: ClassVar = (("P0442", 0.33), ("P0456", 0.09))
    GROWS_KPA: ClassVar[float] = -0.35
    COLD_C: ClassVar[float] = 35.0
    LEVELS_PCT: ClassVar = (15.0, 85.0)
    LOAD_PCT: ClassVar[float] = 55.0
    CODES: ClassVar = ("P0455", "P0442", "P0456", "P0441")

    def __init__(self) -> None:
        self.start()

    def start(self) -> None:
        self._time, self._begin, self._done = 0.0, 0.0, False
        self._ask = LeakTest.NONE

    def step(self, watch: Watch) -> None:
        if self._done:
            return
        state = watch.management.state
        if not self._may(watch):
            self._ask, self._time = LeakTest.NONE, 0.0
        elif self._ask is LeakTest.NONE:
            self._ask, self._time = LeakTest.PULL, 0.0
        elif self._ask is LeakTest.HOLD or state.load_pct < self.LOAD_PCT:  # above that the manifold hardly draws
            self._time += SLOW_S
            self._pull(watch) if self._ask is LeakTest.PULL else self._hold(watch)
        state.leak_test = self._ask

    def _may(self, watch: Watch) -> bool:
        state, seen = watch.management.state, watch.seen
        low, high = self.LEVELS_PCT
        return (
            watch.running
            and state.start_coolant_c <= self.COLD_C
            and seen.coolant_c > 65.0
            and state.banks[0].fuel_state == CLOSED
            and seen.speed_kmh > 40.0
            and low <= seen.level_pct <= high
            and not {"P0443", "P0447", "P0452", "P0453"} & set(watch.memory.codes("pending"))
        )

    def _pull(self, watch: Watch) -> None:
        tank = watch.seen.tank_kpa
        if tank <= self.PULL_KPA:
            self._ask, self._time, self._begin = LeakTest.HOLD, 0.0, tank
        elif self._time > self.PULL_S:
            self._end(watch, "P0455" if tank > self.LEAST_KPA else "P0442")

    def _hold(self, watch: Watch) -> None:
        tank = watch.seen.tank_kpa
        if tank - self._begin < self.GROWS_KPA:
            self._end(watch, "P0441")
        elif self._time > self.HOLD_S:
            lost = 1.0 - tank / self._begin
            watch.memory.results["tank lost"] = 100.0 * lost
            self._end(watch, next((code for code, limit in self.LOST if lost > limit), ""))

    def _end(self, watch: Watch, code: str) -> None:
        self._done, self._ask = True, LeakTest.NONE
        watch.memory.mark_complete(self.NAME)
        for other in self.CODES:
            if other != code:
                watch.memory.passed(other)
        if code:
            watch.memory.fail(code, watch.frame())


class Boost(SlowMonitor):
    """Boost against its target while the engine breathes enough to give it."""

    SHORT_KPA: ClassVar[float] = 20.0
    HOLD_S: ClassVar[float] = 2.5
    LEAST_RPM: ClassVar[float] = 1900.0
    DIESEL_RPM: ClassVar[float] = 1400.0
    code = "P0299"

    def __init__(self) -> None:
        self.start()

    def start(self) -> None:
        self._short, self._good = Lasting(self.HOLD_S), 0.0

    def step(self, watch: Watch) -> None:
        state, seen = watch.management.state, watch.seen
        wanted = state.boost_target_kpa
        least_rpm = self.DIESEL_RPM if watch.model.diesel else self.LEAST_RPM
        if not watch.running or wanted < 30.0 or seen.rpm < least_rpm:
            self._short.reached(False)
            return
        short = wanted - (seen.charge_kpa - seen.baro_kpa) > self.SHORT_KPA
        self._good = 0.0 if short else self._good + SLOW_S
        if self._short.reached(short):
            watch.memory.fail(self.code, watch.frame())
        elif self._good > 10.0:
            watch.memory.passed(self.code)
