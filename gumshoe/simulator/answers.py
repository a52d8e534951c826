"""The stand-in's side of SAE J1979: requests in, answers out, as bytes without segmentation."""

from __future__ import annotations

from typing import Protocol

from gumshoe.core.codes import TroubleCode
from gumshoe.core.obd.pids import bitmap_for, pid_table
from gumshoe.core.obd.results import encode_result
from gumshoe.core.obd.status import (
    COMPRESSION_MONITORS,
    CONTINUOUS_MONITORS,
    SPARK_MONITORS,
    Monitor,
    MonitorStatus,
    encode_status,
)
from gumshoe.simulator.bus import cut_off
from gumshoe.simulator.commanded import EXTENDED
from gumshoe.simulator.memory import Memory
from gumshoe.simulator.monitors import Catalyst, FuelSystem, UpstreamSensor
from gumshoe.simulator.vehicle import Vehicle

LEAK_MONITOR = "evaporative system"
IN_USE_SPARK = ("catalyst", "", "oxygen sensor", "", "EGR / VVT", "secondary air", LEAK_MONITOR)
"""Pairs of counters after the two general ones, as service 09 information 08 has them (SAE J1979, from memory); an
empty name is a bank or a monitor that these cars have not."""
IN_USE_DIESEL = ("NMHC catalyst", "NOx aftertreatment", "", "particulate filter", "exhaust gas sensor", "EGR / VVT",
                 "boost pressure")  # fmt: skip
"""The same of a diesel (information 0B)."""
SERVICES = {0x01, 0x02, 0x03, 0x04, 0x06, 0x07, 0x09, 0x0A}
WRONG_LENGTH, MOST_NUMBERS = 0x13, 6


class Module(Protocol):
    """A module on the bus: awake or not, and its answers (several when it first asks for time)."""

    @property
    def awake(self) -> bool: ...

    @property
    def answers_s(self) -> float: ...

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


def unit_name(name: str) -> bytes:
    """``ECM-EngineControl`` as information 0A has it: four bytes for the acronym, the dash, fifteen for the text (SAE
    J1979 [S])."""
    acronym, _, text = name.partition("-")
    return padded(acronym, 4) + b"-" + padded(text, 15)


def bits(base: int, numbers: set[int]) -> bytes | None:
    """The bitmap after ``base`` for a unit that has these numbers, the later bitmaps with them; None where nothing
    comes after it."""
    later = {start for start in range(0x20, 0xE0, 0x20) if any(number > start for number in numbers)}
    return bitmap_for(base, numbers | later) if base == 0 or base in later else None


def padded(text: str, size: int) -> bytes:
    """ASCII, filled up with zeros."""
    return text.encode("ascii")[:size].ljust(size, b"\x00")


class EngineModule:
    """The engine's control unit as the bus sees it."""

    def __init__(self, vehicle: Vehicle) -> None:
        self.vehicle = vehicle

    @property
    def awake(self) -> bool:
        return self.vehicle.powered and not cut_off(self.vehicle.parts, "engine_module")

    @property
    def answers_s(self) -> float:
        return self.vehicle.model.answers_s

    def answer(self, request: bytes, functional: bool) -> list[bytes]:
        """Answers to one request. A functional request for something unsupported stays unanswered (J1979)."""
        if not request:
            return []
        service = request[0]
        answers = self._served(request) if self._handles(service) else refuse(service, 0x11)
        if functional and answers and answers[0][:1] == b"\x7f" and answers[0][2] in (0x11, 0x12, 0x31):
            return []
        if self.vehicle.model.answers_s and answers and answers[0][:1] != b"\x7f":
            return [bytes((0x7F, service, 0x78)), *answers]  # it asks for time first
        return answers

    def _handles(self, service: int) -> bool:
        """Whether it has this service."""
        return service in (*SERVICES, 0x10, 0x22, 0x2F, 0x31, 0x3E)

    def _served(self, request: bytes) -> list[bytes]:
        handler = {
            0x01: self._current,
            0x02: self._frozen,
            0x03: self._codes,
            0x04: self._clear,
            0x06: self._results,
            0x07: self._codes,
            0x09: self._information,
            0x0A: self._codes,
            0x31: self._routine,
        }.get(request[0], self._commanded)
        return handler(request)

    # -- services -----------------------------------------------------------------------------------------

    def _commanded(self, request: bytes) -> list[bytes]:
        answer = self.vehicle.commanded.answer(self.vehicle, request)
        return [answer] if answer else []

    def _routine(self, request: bytes) -> list[bytes]:
        if self.vehicle.commanded.session != EXTENDED:
            return refuse(0x31, 0x7F)
        self.vehicle.commanded.heard_s = self.vehicle.clock_s
        return [self.vehicle.routines.answer(self.vehicle, request, "engine")]

    def _pids(self) -> set[int]:
        known = set(self.vehicle.live_values()) | {"monitor_status", "monitor_status_trip", "frame_code"}
        return {number for number, pid in pid_table().items() if {item.key for item in pid.fields} & known}

    def status(self, *, trip: bool) -> MonitorStatus:
        """Readiness as PIDs 01 and 41 tell it."""
        memory = self.vehicle.memory
        done = memory.complete_trip if trip else memory.complete
        diesel = self.vehicle.model.diesel
        names = [name for name in (COMPRESSION_MONITORS if diesel else SPARK_MONITORS) if name]
        monitors = tuple(
            Monitor(name, name in self.supported, done.get(name, False), name in CONTINUOUS_MONITORS)
            for name in (*CONTINUOUS_MONITORS, *names)
        )
        codes = 0 if trip else len(memory.codes("confirmed"))
        return MonitorStatus(memory.lamp and not trip, codes, diesel, monitors)

    def _current(self, request: bytes) -> list[bytes]:
        asked = request[1:]
        if not 1 <= len(asked) <= MOST_NUMBERS:
            return refuse(0x01, WRONG_LENGTH)
        if len(asked) > 1 and self.vehicle.model.one_at_a_time:
            return refuse(0x01, 0x12)
        pids = self._pids()
        values = self.vehicle.live_values()
        answer = b"\x41"
        for number in dict.fromkeys(asked):
            if number % 0x20 == 0:
                told = bits(number, pids)
                answer += bytes((number,)) + told if told else b""
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
        if not pairs or len(pairs) % 2 or len(pairs) > MOST_NUMBERS:
            return refuse(0x02, WRONG_LENGTH)
        if len(pairs) > 2 and self.vehicle.model.one_at_a_time:
            return refuse(0x02, 0x12)
        memory = self.vehicle.memory
        table = pid_table()
        held = {number for number, pid in table.items() if any(item.key in memory.frame for item in pid.fields)}
        answer = b"\x42"
        for number, frame in zip(pairs[::2], pairs[1::2], strict=True):
            if frame != 0:
                continue
            head = bytes((number, frame))
            if number % 0x20 == 0:
                told = bits(number, held | {0x02})
                answer += head + told if told else b""
            elif number == 0x02:
                answer += head + self._frame_code()
            elif number in held:
                answer += head + table[number].encode(memory.frame)
        return [answer] if len(answer) > 1 else refuse(0x02, 0x31)

    def _codes(self, request: bytes) -> list[bytes]:
        service = request[0]
        if len(request) != 1:
            return refuse(service, WRONG_LENGTH)
        which = {0x03: "confirmed", 0x07: "pending", 0x0A: "permanent"}[service]
        return [code_list(service, self.vehicle.memory.codes(which))]

    def _clear(self, request: bytes) -> list[bytes]:
        if len(request) != 1:
            return refuse(0x04, WRONG_LENGTH)
        if self.vehicle.engine.state.rpm > 0.0:
            return refuse(0x04, 0x22)
        self.vehicle.clear()
        return [bytes((0x7F, 0x04, 0x78)), b"\x44"]

    def _results(self, request: bytes) -> list[bytes]:
        rows = result_rows(self.vehicle.memory, spark=self.vehicle.model.spark)
        asked = request[1:]
        if not 1 <= len(asked) <= MOST_NUMBERS:
            return refuse(0x06, WRONG_LENGTH)
        if all(number % 0x20 == 0 for number in asked):
            told = [(base, bits(base, set(rows))) for base in dict.fromkeys(asked)]
            answer = b"".join(bytes((base,)) + data for base, data in told if data)
            return [b"\x46" + answer] if answer else refuse(0x06, 0x31)
        mid = asked[0]
        if len(asked) > 1 or mid not in rows:
            return refuse(0x06, 0x31)
        return [b"\x46" + b"".join(rows[mid])]

    def _in_use(self) -> list[int]:
        """How often each monitor could have run and did (in-use performance tracking)."""
        memory = self.vehicle.memory
        found = [memory.general_trips, memory.ignition_cycles]
        for name in IN_USE_DIESEL if self.vehicle.model.diesel else IN_USE_SPARK:
            done = memory.in_use.get(name, 0)
            found += [done, memory.general_trips if name and name in self.supported else 0]
        return [min(value, 0xFFFF) for value in found]

    @property
    def supported(self) -> set[str]:
        """The monitors that this kind of car has."""
        model = self.vehicle.model
        if model.diesel:
            return {*CONTINUOUS_MONITORS, "boost pressure", "particulate filter", "EGR / VVT"}
        found = {*CONTINUOUS_MONITORS, "catalyst", "oxygen sensor", "oxygen sensor heater"}
        found |= {"particulate filter"} if model.filtered else set()
        return found | ({LEAK_MONITOR} if model.sealed_tank else set())

    def _information(self, request: bytes) -> list[bytes]:
        identity = self.vehicle.identity
        if len(request) != 2:
            return refuse(0x09, WRONG_LENGTH)
        info = request[1]
        in_use = 0x0B if self.vehicle.model.diesel else 0x08
        if info == in_use:
            return [items(info, [value.to_bytes(2, "big") for value in self._in_use()])]
        if info == 0x00:
            return [b"\x49\x00" + bitmap_for(0, {0x02, 0x04, 0x06, 0x0A, in_use})]
        if info == 0x02:
            return [items(info, [padded(identity.vin, 17)])]
        if info == 0x04:
            return [items(info, [padded(identity.calibration, 16)])]
        if info == 0x06:
            # Computing the verification number takes a real unit a while: it asks for time first.
            return [bytes((0x7F, 0x09, 0x78)), items(info, [identity.verification.to_bytes(4, "big")])]
        if info == 0x0A:
            return [items(info, [unit_name(identity.name)])]
        return refuse(0x09, 0x31)


def result_rows(memory: Memory, *, spark: bool) -> dict[int, list[bytes]]:
    """Service 06 records by monitor id."""
    rows: dict[int, list[bytes]] = {}
    limit = FuelSystem.LIMIT * 100.0
    for bank in range(len(memory.ltft) if spark else 0):
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
