"""What the customer would say of a stand-in after driving it: felt and seen in the physics, told in the words of the
complaint. Nobody tells the driver what is broken."""

from __future__ import annotations

from collections import Counter, defaultdict
from dataclasses import dataclass, field

from gumshoe.core.obd.status import decode_status
from gumshoe.simulator.answers import EngineModule
from gumshoe.simulator.engine import DT
from gumshoe.simulator.vehicle import Key, Vehicle

LOOK_STEPS = 10
FELT_S = 20.0
"""What lasts shorter than this in half an hour nobody tells."""
ROUGH, JERKS = 0.02, 0.02
"""Share of combustions missed that is felt at idle, and under load (common practice: one in fifty)."""
SLOW_KMH, HIGH_RPM, HOT_C, LOW_V = 15.0, 250.0, 112.0, 12.9
"""So far behind the speed wanted, above the idle meant, on the gauge, and at the dim lamps (common practice)."""
SLOW_RPM, SLOWLY = 80.0, 0.5
"""A starter that turns no faster for half of the time hardly turns (common practice: 150 to 250 is sound)."""
CRANKED_S, DIES_S = 4.0, 5.0
"""What was cranked so long and never ran does not start; nor what catches, dies, and never ran so long."""
SYMPTOMS = (
    "stalls", "high_idle", "low_power", "runs_hot", "battery_lamp", "no_start", "slow_crank", "rough_idle",
    "jerks_under_load",
)  # fmt: skip
"""What a driver here can feel."""


Seconds = defaultdict[str, float]
"""How long each thing was felt."""


@dataclass
class Drives:
    """What was felt while the car was driven, in seconds, and combustions by where they were missed. ``usual``: the
    seconds of the same drives in a sound car of its kind: who drives it knows how it goes uphill."""

    usual: Seconds = field(default_factory=lambda: defaultdict(float))
    felt: Seconds = field(default_factory=lambda: defaultdict(float))
    fired: Counter[tuple[str, bool]] = field(default_factory=Counter)
    steps: int = 0
    where: str = "else"
    ran: bool = False
    flashed: bool = False
    imagined: tuple[str, ...] = ()
    """What the driver tells besides, though there is nothing of it."""

    def watch(self, car: Vehicle) -> None:
        """One step: each combustion counts; how it goes is looked at five times a second."""
        for _, fired in car.engine.state.fired:
            self.fired[self.where, fired] += 1
        self.steps += 1
        if self.steps % LOOK_STEPS == 0:
            self._look(car)

    def _look(self, car: Vehicle) -> None:
        state, driver, took = car.engine.state, car.driver, DT * LOOK_STEPS
        running = state.rpm > 400.0
        if self.ran and state.rpm < 100.0 and car.key is Key.ON and not car.hybrid:
            self.felt["stalls"] = FELT_S
        self.ran = running or (self.ran and car.key is Key.ON)
        if car.key is Key.START and not running:
            self.felt["cranked"] += took
            self.felt["slow"] += took if state.rpm < SLOW_RPM else 0.0
        idle = car.speed_kmh < 1.0 and driver.pedal < 0.01
        self.where = "idle" if idle else "load" if driver.pedal > 0.25 else "else"
        if not running:
            return
        self.felt["ran"] += took
        if idle and state.coolant_c > 70.0 and state.rpm > car.model.idle_rpm + HIGH_RPM:
            self.felt["high_idle"] += took
        if driver.want_kmh - car.speed_kmh > SLOW_KMH and driver.pedal > 0.7:
            self.felt["low_power"] += took
        if state.coolant_c > HOT_C:
            self.felt["runs_hot"] += took
        if car.supply_v < LOW_V and not car.hybrid:
            self.felt["battery_lamp"] += took
        self.flashed |= car.lamp_flashing

    def missed(self, where: str) -> float:
        """The share of combustions missed there."""
        return self.fired[where, False] / max(self.fired[where, False] + self.fired[where, True], 1)

    def symptoms(self) -> tuple[str, ...]:
        """The symptoms that a customer names, as the complaint knows them."""
        told = [name for name in ("stalls", "high_idle", "low_power", "runs_hot", "battery_lamp")
                if self.felt[name] - self.usual[name] >= FELT_S]  # fmt: skip
        dies = self.felt["stalls"] > 0.0 and self.felt["ran"] < DIES_S
        if dies or (self.felt["cranked"] > CRANKED_S and not self.felt["ran"]):
            told.append("slow_crank" if self.felt["slow"] > SLOWLY * self.felt["cranked"] else "no_start")
        if self.missed("idle") > ROUGH:
            told.append("rough_idle")
        if self.missed("load") > JERKS:
            told.append("jerks_under_load")
        return tuple(dict.fromkeys((*told, *self.imagined)))

    def lamp(self, car: Vehicle) -> str:
        """What the customer says of the lamp."""
        if self.flashed:
            return "flashing"
        on = decode_status(EngineModule(car).answer(b"\x01\x01", False)[-1][2:]).lamp
        return "steady" if on else "out"
