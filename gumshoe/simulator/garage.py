"""Stand-in vehicles that live: each on its own virtual bus, in real time or faster, remembered over a restart."""

from __future__ import annotations

import json
import logging
import os
import threading
import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import can

from gumshoe.core.circuits.netlist import Circuit, Probe
from gumshoe.simulator.answers import EngineModule, Module
from gumshoe.simulator.answers_before_can import OldEngineModule
from gumshoe.simulator.answers_on_uds import ModernEngineModule, ModernTransmissionModule
from gumshoe.simulator.bus import lost_share
from gumshoe.simulator.chassis import GEARBOX, UNITS, ChassisModule, TransmissionModule
from gumshoe.simulator.drives import PROFILES, start, trips_of
from gumshoe.simulator.engine import DT
from gumshoe.simulator.finding import Finding, running
from gumshoe.simulator.gateway import Gateway
from gumshoe.simulator.hands import observe
from gumshoe.simulator.models import Speech, models
from gumshoe.simulator.node import Node
from gumshoe.simulator.nodes import Floats
from gumshoe.simulator.text_adapter import CanWire, OldWire, Wire
from gumshoe.simulator.vehicle import Identity, Key, Vehicle
from gumshoe.simulator.wiring import measure, record

log = logging.getLogger(__name__)
SAVE_EVERY_S = 2.0
ENGINE_LOGICAL = 0x0010
"""The engine's address over IP."""
OLD_PAUSE_S, OLD_BYTE_S = 0.03, 10.0 / 10_400.0
"""How long an old car takes over an answer (P2 of ISO 14230-2 is 25 to 50 ms), and a byte at 10.4 kbaud."""
OLD_PROTOCOL = "5"
"""ISO 14230-4 with fast initialisation, by the number that text adapters give it (from memory)."""
_SLICE_S = 0.02
AWAKE_S, WAITS_S = 15.0, 5.0
"""So long a car stays awake after somebody was there; so often it looks whether the process ends."""
TRIED_S = 12.0
"""So long an engine is let run to see that it keeps running."""
SIGHT_S = 15.0
"""A watched drive advances so far between two looks, however slow the machine: half of what the tracker counts."""
CATCH_UP_S = 3.0
"""So far a car that a busy machine kept waiting catches up: its seconds are real ones. What is longer did not pass."""


@dataclass(frozen=True)
class StandIn:
    """What a stand-in is: its name, identity, what is wrong with it, and the drives it has behind it."""

    key: str
    words: str
    vin: str
    calibration: str
    verification: int
    defects: tuple[str, ...]
    seed: int
    odometer_km: float
    history: tuple[str, ...]
    coolant_c: float = 62.0
    model: str = "tern_16"


def vehicle_of(stand_in: StandIn) -> Vehicle:
    """The car as it begins."""
    return Vehicle(
        Identity(stand_in.vin, stand_in.calibration, stand_in.verification),
        models()[stand_in.model],
        defects=stand_in.defects,
        seed=stand_in.seed,
        coolant_c=stand_in.coolant_c,
        odometer_km=stand_in.odometer_km,
    )


def engine_module(vehicle: Vehicle) -> EngineModule:
    """Its engine's control unit, speaking as this kind of car does."""
    kinds = {Speech.ON_UDS: ModernEngineModule, Speech.BEFORE_CAN: OldEngineModule}
    return kinds.get(vehicle.model.speaks, EngineModule)(vehicle)


def modules_of(vehicle: Vehicle, stand_in: StandIn) -> tuple[list[ChassisModule], TransmissionModule]:
    """The modules beyond the engine, watching the car."""
    verification = stand_in.verification ^ 0x5A5A
    identity = Identity(stand_in.vin, f"GX{stand_in.calibration[-8:]}", verification, "TCM-Transmission")
    kind = ModernTransmissionModule if vehicle.model.speaks is Speech.ON_UDS else TransmissionModule
    chassis, gearbox = [ChassisModule(vehicle, unit) for unit in UNITS], kind(vehicle, identity)
    vehicle.bystanders = [module.watch for module in (*chassis, gearbox)]
    return chassis, gearbox


def drive_history(stand_in: StandIn, vehicle: Vehicle | None = None) -> str:
    """Drive what a car has behind it; its state as the state file has it. Runs in a process of its own as well."""
    if vehicle is None:
        vehicle = vehicle_of(stand_in)
        modules_of(vehicle, stand_in)
    for name in stand_in.history:
        vehicle.begin(PROFILES[name])
        while vehicle.driving:
            vehicle.step()
    return json.dumps(vehicle.save())


class _Door:
    """The lock of a vehicle: whoever comes in by it is somebody at the car, and wakes it."""

    def __init__(self, runner: Runner) -> None:
        self._runner, self._lock = runner, threading.Lock()

    def __enter__(self) -> None:
        self._lock.acquire()
        self._runner.wake()

    def __exit__(self, *_: object) -> None:
        self._lock.release()

    @contextmanager
    def unseen(self) -> Iterator[None]:
        """Inside without being somebody: the passing of time."""
        with self._lock:
            yield


class Runner(threading.Thread):
    """Runs one vehicle's time. Everything that touches the vehicle goes through ``with runner.lock``.

    A car that nobody looks at and that is not driven sleeps: it costs nothing, and when somebody comes it has stood so
    long (key off), or its time stood still (key on, engine idling with nobody there).
    """

    def __init__(self, stand_in: StandIn, channel: str, state_file: Path | None = None) -> None:
        super().__init__(name=f"vehicle {stand_in.key}", daemon=True)
        self.stand_in, self.channel, self.state_file = stand_in, channel, state_file
        self.vehicle = vehicle_of(stand_in)
        self.lock = _Door(self)
        self._seen = time.monotonic()
        self._asleep_since: float | None = None
        self._woken = threading.Event()
        self.speedup = self._asked_speedup = 1.0
        self._stopping = threading.Event()
        self.chassis, self.gearbox = modules_of(self.vehicle, stand_in)
        self.engine_module = engine_module(self.vehicle)
        self.node = self._on_the_bus() if self.vehicle.model.speaks is not Speech.BEFORE_CAN else None

    def _on_the_bus(self) -> Node:
        return Node(
            can.Bus(interface="virtual", channel=self.channel),
            [self.engine_module, self.gearbox],
            self.lock,
            {(module.unit.request_id, module.unit.response_id): module for module in self.chassis},
            lambda: lost_share(self.vehicle.parts),
        )

    def socket(self) -> Wire:
        """What an adapter with text commands finds in its diagnostic socket."""
        if isinstance(self.engine_module, OldEngineModule):
            return OldWire(OLD_PROTOCOL, self._messages, OLD_PAUSE_S, OLD_BYTE_S)
        return CanWire(can.Bus(interface="virtual", channel=self.channel))

    def gateway(self) -> Gateway:
        """The gateway behind its network socket."""
        modules: dict[int, Module] = {ENGINE_LOGICAL: self.engine_module, GEARBOX.logical: self.gearbox}
        called = frozenset(modules)
        modules |= {module.unit.logical: module for module in self.chassis}
        return Gateway(self.stand_in.vin, modules, called, self.lock)

    def _messages(self, request: bytes) -> list[tuple[int, bytes]]:
        assert isinstance(self.engine_module, OldEngineModule)
        with self.lock:
            return self.engine_module.messages(request)

    def prepare(self, progress: Callable[[str], None] | None = None) -> None:
        """Bring the car to where it stands: its saved state, or its history driven now."""
        if self.state_file and self.state_file.exists():
            try:
                saved = json.loads(self.state_file.read_text(encoding="utf-8"))
                key, rpm = Key(saved.pop("key", Key.OFF)), float(saved.pop("held_rpm", 0.0))
                self.vehicle.restore(saved)
                self.vehicle.turn_key(key)  # an engine that ran is started again
                self.vehicle.driver.want_rpm = rpm
                return
            except ValueError as error:  # a broken state file: keep it aside and drive the history again
                log.warning("state of %s could not be read: %s", self.stand_in.key, error)
                self.state_file.rename(self.state_file.with_suffix(".broken"))
        if progress and self.stand_in.history:
            progress(f"{self.stand_in.words}: driving {', '.join(self.stand_in.history)}")
        drive_history(self.stand_in, self.vehicle)
        self.save()

    def start(self) -> None:
        if self.node is not None:
            self.node.start()
        super().start()

    def run(self) -> None:
        due, saved = time.monotonic(), time.monotonic()
        was_driving = False
        while not self._stopping.is_set():
            if self._sleeps():
                due = saved = time.monotonic()
                continue
            with self.lock.unseen():
                steps = max(1, round(self.speedup * _SLICE_S / DT))
                for _ in range(steps):
                    self.vehicle.step()
                if was_driving and not self.vehicle.driving:
                    self.speedup = 1.0
                was_driving = self.vehicle.driving
            now = time.monotonic()
            if now - saved > SAVE_EVERY_S:
                self.save(seen=False)
                saved = now
            due += _SLICE_S
            if due > now:
                time.sleep(due - now)
            else:
                driven = self.speedup > 1.0
                due = now if driven else max(due, now - CATCH_UP_S)
                time.sleep(0.0005 if driven else 0.002)  # who catches up leaves the others their turn

    def wake(self) -> None:
        """Somebody is at the car (called with the lock held): what passed while it slept has passed."""
        self._seen = time.monotonic()
        since, self._asleep_since = self._asleep_since, None
        if since is not None:
            if self.vehicle.key is Key.OFF:
                self.vehicle.soak((self._seen - since) / 3600.0)
            self._woken.set()

    @property
    def asleep(self) -> bool:
        """Whether its time stands still."""
        return self._asleep_since is not None

    def _sleeps(self) -> bool:
        """Fall asleep when nobody has been there for a while; wait until somebody comes. Whether it sleeps."""
        with self.lock.unseen():
            lonely = time.monotonic() - self._seen > AWAKE_S and not self.vehicle.driving
            if self._asleep_since is None and lonely:
                self._asleep_since = time.monotonic()
                self._woken.clear()
            asleep = self._asleep_since is not None
        if asleep:
            self.save(seen=False)
            while not self._stopping.is_set() and not self._woken.wait(WAITS_S):
                pass
        return asleep

    def stop(self) -> None:
        """End both threads and keep the state."""
        self._stopping.set()
        self._woken.set()
        if self.is_alive():
            self.join(2.0)
        if self.node is not None:
            self.node.stop()
        self.save()

    def save(self, *, seen: bool = True) -> None:
        """Write the state file in one step, so that a kill leaves the old one or the new one."""
        if self.state_file is None:
            return
        with self.lock if seen else self.lock.unseen():
            car = self.vehicle
            left = {"key": Key.OFF, "held_rpm": 0.0}
            if not car.driving:  # a drive that was cut off has ended, key off
                left = {"key": Key.START if running(car) or car.is_ready else car.key, "held_rpm": car.driver.want_rpm}
            text = json.dumps(car.save() | left)
        part = self.state_file.with_suffix(".part")
        part.write_text(text, encoding="utf-8")
        os.replace(part, self.state_file)

    # -- what a person does at the car --------------------------------------------------------------------

    def key(self, position: str) -> None:
        """Turn the key: ``off``, ``on`` or ``start``."""
        with self.lock:
            self.vehicle.turn_key(Key(position))

    def hold_rpm(self, rpm: float) -> None:
        """Hold an engine speed at rest; 0 lets the pedal go."""
        with self.lock:
            self.vehicle.driver.want_rpm = rpm

    def drive(self, profile: str, speedup: float) -> None:
        """Drive a profile, that many times faster than real time. Raises KeyError for an unknown profile."""
        with self.lock:
            self.vehicle.begin(PROFILES[profile])
            self.speedup = self._asked_speedup = speedup

    def keep_in_sight(self, look_s: float) -> None:
        """Drive no faster than somebody can watch who needs so many real seconds for a look."""
        with self.lock:
            if self.vehicle.driving:
                self.speedup = max(1.0, min(self._asked_speedup, SIGHT_S / max(look_s, 1e-3)))

    def drive_pieces(self, trips: tuple[tuple[str, ...], ...], speedup: float) -> None:
        """Drive trips made of named pieces, that many times faster. Raises KeyError for an unknown piece."""
        with self.lock:
            self.vehicle.begin(trips_of(trips))
            self.speedup = self._asked_speedup = speedup

    def skip(self, seconds: float) -> None:
        """Let so much simulated time pass at once."""
        with self.lock:
            self.vehicle.run(seconds)

    def stop_driving(self) -> None:
        """End the drive where it is, key off."""
        with self.lock:
            self.vehicle.stop()
            self.vehicle.speed_kmh = 0.0
            self.vehicle.turn_key(Key.OFF)
            self.speedup = 1.0

    def leave_key_on(self, hours: float) -> None:
        """Stand with the key on for so long."""
        with self.lock:
            self.vehicle.leave_key_on(hours)

    def charge(self) -> None:
        """A charger on the battery until it is full."""
        with self.lock:
            self.vehicle.charge()

    def mend(self, component: str) -> bool:
        """Repair or renew a component."""
        with self.lock:
            return self.vehicle.mend(component)

    def carry_out(self, component: str, reached: Iterable[str], *, work: str) -> bool:
        """Carry a repair out: see ``Vehicle.carry_out``."""
        with self.lock:
            return self.vehicle.carry_out(component, reached, work=work)

    def set_plug(self, component: str, *, off: bool) -> None:
        """Unplug a component or plug it in again."""
        with self.lock:
            (self.vehicle.unplug if off else self.vehicle.plug)(component)

    def look(self, point: str, *, engine_on: bool = False) -> Finding | None:
        """Look or measure by hand; ``engine_on``: at a running engine, which one that dies never shows."""
        with self.lock:
            if engine_on and not self._keeps_running():
                return Finding("The engine does not keep running: there is nothing to see here.")
            return observe(self.vehicle, point)

    def _keeps_running(self) -> bool:
        """Whether the engine runs, or would if it were started (tried on a car like it)."""
        if running(self.vehicle) or self.vehicle.hybrid:
            return True
        like = vehicle_of(self.stand_in)
        like.restore(self.vehicle.save())
        like.begin(start(TRIED_S))
        like.run(TRIED_S)
        return running(like)

    def measure(self, circuit: Circuit, probe: Probe) -> Finding:
        """Measure at the wires of a part."""
        with self.lock:
            return measure(self.vehicle, circuit, probe)

    def record_scope(
        self, circuit: Circuit, probe: Probe, *, hz: float, seconds: float, moving: bool
    ) -> tuple[Floats, Floats]:
        """An oscilloscope's record at the wires of a part."""
        with self.lock:
            return record(self.vehicle, circuit, probe, hz=hz, seconds=seconds, moving=moving)

    def state(self) -> dict[str, float | str | bool]:
        """What somebody standing at the car sees: key, speeds, coolant gauge, lamp, drive in progress."""
        with self.lock:
            vehicle = self.vehicle
            if not vehicle.powered or "warning_lamp" in vehicle.electrics.dead:
                lamp = "out"
            elif "warning_lamp" in vehicle.electrics.stuck_on:
                lamp = "on"
            elif not running(vehicle):
                lamp = "on (bulb check)"
            else:
                lamp = (
                    "flashing"
                    if vehicle.lamp_flashing
                    else ("on" if vehicle.memory.lamp or self.gearbox.lamp else "out")
                )
            total = vehicle.plan_total_s or 1.0
            return {
                "key": vehicle.key.value,
                "rpm": round(vehicle.engine.state.rpm),
                "speed_kmh": round(vehicle.speed_kmh),
                "coolant_c": round(vehicle.engine.state.coolant_c),
                "lamp": lamp,
                "running": running(vehicle),
                "driving": vehicle.driving,
                "drive_share": round(1.0 - vehicle.plan_left_s / total, 3) if vehicle.driving else 0.0,
                "speedup": self.speedup,
                "odometer_km": round(vehicle.odometer_km, 1),
            }
