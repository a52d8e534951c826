"""Actuators of a stand-in under a tester's command (UDS 10, 22, 2F, 3E; ISO 14229-1 [S]).

Control ends when the tester gives it back, leaves the session, falls silent for five seconds, or the conditions go.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from gumshoe.simulator.car import Car
from gumshoe.simulator.identifiers import items_of
from gumshoe.simulator.models import CarModel

SILENCE_S = 5.0
"""S3 of the server [S]."""
SUPPRESS = 0x80
"""The bit of a sub-function with which a tester says that it wants no positive answer [S]."""
FULL = 255.0
SETTLES_S = 0.25
"""Time constant of what is commanded (within what is common, no source)."""
DEFAULT, EXTENDED = 0x01, 0x03
RETURN_CONTROL, ADJUST = 0x00, 0x03
IDENTIFIERS = {
    0x4C01: "purge_valve",
    0x4C02: "throttle_motor",
    0x4C03: "fan",
    0x4C04: "fuel_pump",
    0x4C05: "intake_phaser_valve",
    0x4C06: "boost_valve",
    0x4C07: "vent_valve",
    0x4C08: "egr_valve",
}
FEEDBACK = 0x80
"""Added to an actuator's identifier: what comes back from it."""
ENGINE_OFF_ONLY = {"throttle_motor", "fuel_pump"}
IDLE_ONLY = {"intake_phaser_valve"}
IDLE_RPM = (400.0, 1500.0)


def present(request: bytes) -> bytes:
    """The answer to TesterPresent; none where the tester wants none (ISO 14229-1 [S])."""
    if len(request) != 2:
        return bytes((0x7F, 0x3E, 0x13))
    if request[1] & ~SUPPRESS:
        return bytes((0x7F, 0x3E, 0x12))
    return b"" if request[1] & SUPPRESS else b"\x7e\x00"


def has(model: CarModel, name: str) -> bool:
    """Whether this kind of car has that actuator."""
    needs = {
        "intake_phaser_valve": model.intake_phaser,
        "boost_valve": model.boost_kpa,
        "vent_valve": model.sealed_tank,
        "egr_valve": model.diesel,
        "purge_valve": model.spark,
        "throttle_motor": model.electronic_throttle,
    }
    return bool(needs.get(name, True))


@dataclass
class Commanded:
    """Which actuators a tester holds, at what share, and where they really are (0 to 1)."""

    session: int = DEFAULT
    heard_s: float = 0.0
    held: dict[str, float] = field(default_factory=dict)
    actual: dict[str, float] = field(default_factory=lambda: dict.fromkeys(IDENTIFIERS.values(), 0.0))

    def step(self, vehicle: Car, seconds: float) -> None:
        """Move the actuators, and take control back where it must not stay."""
        if not self.held and not any(self.actual.values()):
            return
        moving = vehicle.speed_kmh > 0.0
        silent = vehicle.clock_s - self.heard_s > SILENCE_S
        if silent or moving or vehicle.key.value == "off":
            self.drop()
        for name in list(self.held):
            if not self._may(vehicle, name):
                del self.held[name]
        command = vehicle.management.state.command
        for name in self.actual:
            wanted = self.held.get(name, 0.0)
            wanted = vehicle.electrics.acts(name, wanted)  # nothing arrives, nothing flows, or it never stops
            self.actual[name] += (wanted - self.actual[name]) * min(seconds / SETTLES_S, 1.0)
            if name not in self.held and self.actual[name] < 0.01:
                self.actual[name] = 0.0
        if "purge_valve" in self.held:
            command.purge = self.held["purge_valve"]
        if "throttle_motor" in self.held:
            command.throttle = self.actual["throttle_motor"]
        systems, model = vehicle.engine.systems, vehicle.model
        if "intake_phaser_valve" in self.held:
            wanted = self.held["intake_phaser_valve"] * model.cam_travel_deg
            command.cams_deg = [wanted if cam.which == "intake" else 0.0 for cam in model.phasers]
            vehicle.management.state.cam_targets_deg = list(command.cams_deg)
        if "boost_valve" in self.held:
            command.gate = self.held["boost_valve"]
        if "egr_valve" in self.held:
            command.egr = self.held["egr_valve"]
        command.vent_shut = command.vent_shut or self.held.get("vent_valve", 0.0) > 0.5
        if model.cam_travel_deg:
            self.actual["intake_phaser_valve"] = systems.cams[0] / model.cam_travel_deg
        if model.boost_kpa:
            self.actual["boost_valve"] = systems.gate
        if model.diesel:
            self.actual["egr_valve"] = vehicle.engine.state.egr_valve

    @staticmethod
    def _may(vehicle: Car, name: str) -> bool:
        rpm = vehicle.engine.state.rpm
        if name in ENGINE_OFF_ONLY:
            return rpm <= 0.0
        return name not in IDLE_ONLY or IDLE_RPM[0] <= rpm <= IDLE_RPM[1]

    def drop(self) -> None:
        """Give everything back."""
        self.held.clear()
        self.session = DEFAULT

    def answer(self, vehicle: Car, request: bytes) -> bytes:
        """Answer a request of these services; nothing where the tester wants no answer."""
        self.heard_s = vehicle.clock_s
        service = request[0]
        if service == 0x10:
            return self._session(request)
        if service == 0x3E:
            return present(request)
        if len(request) < 3:
            return bytes((0x7F, service, 0x13))
        identifier = request[1] << 8 | request[2]
        if service == 0x22:
            return self._told(vehicle, request)
        return self._control(vehicle, request, IDENTIFIERS.get(identifier))

    def _told(self, vehicle: Car, request: bytes) -> bytes:
        """Identifiers asked for at once: those that this car knows are answered, refused when it knows none."""
        if len(request) % 2 == 0:
            return bytes((0x7F, 0x22, 0x13))
        others = items_of(vehicle)
        answer = b""
        for place in range(1, len(request), 2):
            number = request[place : place + 2]
            identifier = int.from_bytes(number, "big")
            name = IDENTIFIERS.get(identifier - FEEDBACK)
            if identifier in others:
                answer += number + others[identifier].data(vehicle)
            elif name is not None and has(vehicle.model, name):
                answer += number + bytes((round(self.actual[name] * FULL),))
        return b"\x62" + answer if answer else bytes((0x7F, 0x22, 0x31))

    def _session(self, request: bytes) -> bytes:
        if len(request) != 2:
            return bytes((0x7F, 0x10, 0x13))
        wanted = request[1] & ~SUPPRESS
        if wanted not in (DEFAULT, EXTENDED):
            return bytes((0x7F, 0x10, 0x12))
        self.session = wanted
        if self.session == DEFAULT:
            self.held.clear()
        if request[1] & SUPPRESS:
            return b""
        return bytes((0x50, self.session, 0x00, 0x32, 0x01, 0xF4))

    def _control(self, vehicle: Car, request: bytes, name: str | None) -> bytes:
        if self.session != EXTENDED:
            return bytes((0x7F, 0x2F, 0x7F))
        if name is None or not has(vehicle.model, name):
            return bytes((0x7F, 0x2F, 0x31))
        if len(request) == 4 and request[3] == RETURN_CONTROL:
            self.held.pop(name, None)
            return bytes((0x6F, *request[1:4]))
        if len(request) != 5 or request[3] != ADJUST:
            return bytes((0x7F, 0x2F, 0x31 if len(request) >= 4 else 0x13))
        if vehicle.speed_kmh > 0.0 or not self._may(vehicle, name):
            return bytes((0x7F, 0x2F, 0x22))
        self.held[name] = request[4] / FULL
        return bytes((0x6F, *request[1:5]))
