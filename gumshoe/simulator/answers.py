"""The stand-in's side of SAE J1979: requests in, answers out, as bytes without segmentation."""

from __future__ import annotations

from typing import Protocol

from gumshoe.core.codes import TroubleCode
from gumshoe.core.obd.pids import bitmap_for, pid_table
from gumshoe.core.obd.results import encode_result
from gumshoe.core.obd.status import CONTINUOUS_MONITORS, SPARK_MONITORS, Monitor, MonitorStatus, encode_status
from gumshoe.simulator.memory import Memory
from gumshoe.simulator.monitors import Catalyst, FuelSystem, UpstreamSensor
from gumshoe.simulator.vehicle import Identity, Key, Vehicle

SUPPORTED_MONITORS = (*CONTINUOUS_MONITORS, "catalyst", "oxygen sensor", "oxygen sensor heater")
SERVICES = {0x01, 0x02, 0x03, 0x04, 0x06, 0x07, 0x09, 0x0A}
PENDING = bytes((0x7F, 0, 0x78))


class Module(Protocol):
    """A module on the bus: awake or not, and its answers (several when it first asks for time)."""

    @property
    def awake(self) -> bool: ...

    def answer(self, request: bytes, functional: bool) -> list[bytes]: ...


def refuse(service: int, reason: int) -> list[bytes]:
    """A negative response."""
    return [bytes((0x7F, service, reason))]


def code_list(service: int, codes: list[str]) -> bytes:
    """``43 count code code …``."""
    body = b"".join(TroubleCode(code).to_bytes() for code in codes)
    return bytes((service + 0x40, len(codes))) + body


def items(info: int, rows: list[bytes]) -> bytes:
    """``49 info count item…``."""
    return bytes((0x49, info, len(rows))) + b"".join(rows)


def padded(text: str, size: int) -> bytes:
    """ASCII, filled up with zeros."""
    return text.encode("ascii")[:size].ljust(size, b"\x00")


class EngineModule:
    """The engine's control unit as the bus sees it."""

    def __init__(self, vehicle: Vehicle) -> None:
        self.vehicle = vehicle

    @property
    def awake(self) -> bool:
        return self.vehicle.key is not Key.OFF

    def answer(self, request: bytes, functional: bool) -> list[bytes]:
        """Answers to one request. A functional request for something unsupported stays unanswered (J1979)."""
        if not request:
            return []
        service = request[0]
        handler = {
            0x01: self._current,
            0x02: self._frozen,
            0x03: self._codes,
            0x04: self._clear,
            0x06: self._results,
            0x07: self._codes,
            0x09: self._information,
            0x0A: self._codes,
            0x10: self._commanded,
            0x22: self._commanded,
            0x2F: self._commanded,
            0x3E: self._commanded,
        }.get(service)
        answers = handler(request) if handler else refuse(service, 0x11)
        if functional and answers and answers[0][:1] == b"\x7f" and answers[0][2] in (0x11, 0x12, 0x31):
            return []
        return answers

    # -- services -----------------------------------------------------------------------------------------

    def _commanded(self, request: bytes) -> list[bytes]:
        return [self.vehicle.commanded.answer(self.vehicle, request)]

    def _pids(self) -> set[int]:
        known = set(self.vehicle.live_values()) | {"monitor_status", "monitor_status_trip", "frame_code"}
        return {number for number, pid in pid_table().items() if {item.key for item in pid.fields} & known}

    def status(self, *, trip: bool) -> MonitorStatus:
        """Readiness as PIDs 01 and 41 tell it."""
        memory = self.vehicle.memory
        done = memory.complete_trip if trip else memory.complete
        monitors = tuple(
            Monitor(name, name in SUPPORTED_MONITORS, done.get(name, False), name in CONTINUOUS_MONITORS)
            for name in (*CONTINUOUS_MONITORS, *SPARK_MONITORS)
        )
        return MonitorStatus(memory.lamp and not trip, 0 if trip else len(memory.codes("confirmed")), False, monitors)

    def _current(self, request: bytes) -> list[bytes]:
        asked = request[1:]
        if not 1 <= len(asked) <= 6:
            return refuse(0x01, 0x12)
        pids = self._pids()
        values = self.vehicle.live_values()
        answer = b"\x41"
        for number in asked:
            if number % 0x20 == 0:
                beyond = {base for base in (0x20, 0x40, 0x60) if any(pid > base for pid in pids)}
                if number == 0 or number in beyond:
                    answer += bytes((number,)) + bitmap_for(number, pids | beyond)
            elif number == 0x01:
                answer += b"\x01" + encode_status(self.status(trip=False))
            elif number == 0x41:
                answer += b"\x41" + encode_status(self.status(trip=True))
            elif number == 0x02:
                answer += b"\x02" + self._frame_code()
            elif number in pids:
                answer += bytes((number,)) + pid_table()[number].encode(values)
        return [answer] if len(answer) > 1 else refuse(0x01, 0x31)

    def _frame_code(self) -> bytes:
        code = self.vehicle.memory.frame_code
        return TroubleCode(code).to_bytes() if code else b"\x00\x00"

    def _frozen(self, request: bytes) -> list[bytes]:
        pairs = request[1:]
        if not pairs or len(pairs) % 2 or len(pairs) > 6:
            return refuse(0x02, 0x12)
        memory = self.vehicle.memory
        table = pid_table()
        held = {number for number, pid in table.items() if any(item.key in memory.frame for item in pid.fields)}
        beyond = {base for base in (0x20, 0x40) if any(pid > base for pid in held)}
        answer = b"\x42"
        for number, frame in zip(pairs[::2], pairs[1::2], strict=True):
            if frame != 0:
                continue
            head = bytes((number, frame))
            if number % 0x20 == 0:
                answer += head + bitmap_for(number, held | beyond | {0x02})
            elif number == 0x02:
                answer += head + self._frame_code()
            elif number in held:
                answer += head + table[number].encode(memory.frame)
        return [answer] if len(answer) > 1 else refuse(0x02, 0x31)

    def _codes(self, request: bytes) -> list[bytes]:
        service = request[0]
        which = {0x03: "confirmed", 0x07: "pending", 0x0A: "permanent"}[service]
        return [code_list(service, self.vehicle.memory.codes(which))]

    def _clear(self, _request: bytes) -> list[bytes]:
        if self.vehicle.engine.state.rpm > 0.0:
            return refuse(0x04, 0x22)
        self.vehicle.memory.clear()
        return [bytes((0x7F, 0x04, 0x78)), b"\x44"]

    def _results(self, request: bytes) -> list[bytes]:
        rows = _result_rows(self.vehicle.memory)
        mid = request[1] if len(request) > 1 else 0
        if mid % 0x20 == 0:
            numbers = set(rows) | {base for base in range(0x20, 0xC0, 0x20) if any(row > base for row in rows)}
            if mid and mid not in numbers:
                return refuse(0x06, 0x31)
            return [bytes((0x46, mid)) + bitmap_for(mid, numbers)]
        if mid not in rows:
            return refuse(0x06, 0x31)
        return [b"\x46" + b"".join(rows[mid])]

    def _information(self, request: bytes) -> list[bytes]:
        identity = self.vehicle.identity
        info = request[1] if len(request) > 1 else 0xFF
        if info == 0x00:
            return [b"\x49\x00" + bitmap_for(0, {0x02, 0x04, 0x06, 0x0A})]
        if info == 0x02:
            return [items(info, [padded(identity.vin, 17)])]
        if info == 0x04:
            return [items(info, [padded(identity.calibration, 16)])]
        if info == 0x06:
            # Computing the verification number takes a real unit a while: it asks for time first.
            return [bytes((0x7F, 0x09, 0x78)), items(info, [identity.verification.to_bytes(4, "big")])]
        if info == 0x0A:
            return [items(info, [padded(identity.name, 20)])]
        return refuse(0x09, 0x31)


def _result_rows(memory: Memory) -> dict[int, list[bytes]]:
    """Service 06 records by monitor id."""
    rows: dict[int, list[bytes]] = {}
    limit = FuelSystem.LIMIT * 100.0
    for bank in range(len(memory.ltft)):
        told = {
            key: memory.results.get(f"{key} {bank + 1}", 0.0) for key in ("upstream", "catalyst", "heater_a", "fuel")
        }
        sensor, catalyst, heater, fuel = 0x01 + 4 * bank, 0x21 + bank, 0x41 + 4 * bank, 0x81 + bank
        rows[sensor] = [encode_result(sensor, 0x81, 0x20, told["upstream"], UpstreamSensor.LIMIT, 255.0)]
        rows[catalyst] = [encode_result(catalyst, 0x80, 0x20, told["catalyst"], 0.0, Catalyst.LIMIT)]
        rows[heater] = [encode_result(heater, 0x85, 0x0E, told["heater_a"], 0.2, 3.0)]
        rows[fuel] = [encode_result(fuel, 0x86, 0xAF, told["fuel"], -limit, limit)]
    total_trip, total_average = sum(memory.misfire_trip), sum(memory.misfire_average)
    for mid, now, average in [(0xA1, total_trip, total_average)] + [
        (0xA2 + n, memory.misfire_trip[n], memory.misfire_average[n]) for n in range(len(memory.misfire_trip))
    ]:
        allowed = 65535  # the count has no limit of its own: the monitor judges shares of revolutions
        rows[mid] = [
            encode_result(mid, 0x0B, 0x24, round(average), 0, allowed),
            encode_result(mid, 0x0C, 0x24, now, 0, allowed),
        ]
    return rows


class TransmissionModule:
    """A second module: it answers what every module must, and has no codes of its own."""

    def __init__(self, vehicle: Vehicle, identity: Identity) -> None:
        self.vehicle, self.identity = vehicle, identity

    @property
    def awake(self) -> bool:
        return self.vehicle.key is not Key.OFF

    def answer(self, request: bytes, functional: bool) -> list[bytes]:
        """Answers to one request."""
        service = request[0] if request else 0
        answers = self._answer(service, request)
        return [] if functional and answers[0][:1] == b"\x7f" else answers

    def _answer(self, service: int, request: bytes) -> list[bytes]:
        if service == 0x01 and request[1:2] == b"\x00":
            return [b"\x41\x00" + bitmap_for(0, {0x01, 0x0D})]
        if service == 0x01 and set(request[1:]) <= {0x01, 0x0D}:
            parts = {0x01: b"\x01" + bytes(4), 0x0D: bytes((0x0D, round(self.vehicle.speed_kmh)))}
            return [b"\x41" + b"".join(parts[pid] for pid in request[1:])]
        if service in (0x03, 0x07, 0x0A):
            return [code_list(service, [])]
        if service == 0x04:
            return [b"\x44"] if self.vehicle.engine.state.rpm <= 0.0 else refuse(0x04, 0x22)
        if service == 0x09 and len(request) > 1:
            texts = {0x04: (self.identity.calibration, 16), 0x0A: (self.identity.name, 20)}
            if request[1] in texts:
                text, size = texts[request[1]]
                return [items(request[1], [padded(text, size)])]
            if request[1] == 0x06:
                return [items(0x06, [self.identity.verification.to_bytes(4, "big")])]
        return refuse(service, 0x11 if service not in SERVICES else 0x31)
