"""The stand-in's side of SAE J1979-2: the law's diagnosis by services 22, 19 and 14 of UDS (ISO 14229-1 [S]).

From memory: the functional group 33, the numbers of the readiness groups, record 00 of a freeze frame.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from gumshoe.core.codes import TroubleCode
from gumshoe.core.obd.pids import bitmap_for, pid_table
from gumshoe.simulator.answers import WRONG_LENGTH, EngineModule, bits, padded, refuse, result_rows, unit_name
from gumshoe.simulator.chassis import (
    CONFIRMED,
    EVERY_GROUP,
    FAILED_SINCE_CLEAR,
    FAILED_THIS_CYCLE,
    NOT_RUN_SINCE_CLEAR,
    NOT_RUN_THIS_CYCLE,
    PENDING,
    TEST_FAILED,
    TransmissionModule,
)
from gumshoe.simulator.memory import Record

WARNS, AVAILABLE = 0x80, 0xFF
VALUES, RESULTS, ABOUT = 0xF4, 0xF6, 0xF8
EMISSIONS, FORMAT, EMISSIONS_CLASS = 0x33, 0x04, 0x02
LAW_GROUP = b"\xff\xff\x33"
PROTOCOL = b"\x02"
BITS_ALONE = frozenset({0x01, 0x02, 0x41})
"""Numbers that only SAE J1979 has: readiness and the frame's code are told by service 19 here."""
GROUPS = {
    "catalyst": (0x01, ("P0420",)),
    "evaporative system": (0x03, ("P0442", "P0455", "P0456")),
    "oxygen sensor": (0x05, ("P0133", "P2195", "P2196")),
    "oxygen sensor heater": (0x06, ("P0030", "P0036")),
    "particulate filter": (0x08, ("P2002", "P2463")),
    "misfire": (0x0B, ("P0300", "P0301", "P0302", "P0303", "P0304")),
    "fuel system": (0x0C, ("P0171", "P0172")),
    "comprehensive components": (0x0D, ("P0102", "P0113", "P0118", "P0335")),
}
"""By monitor: the number of its group, and codes that belong to it."""
NOTHING = Record("P0000")
LENGTHS = {0x02: 3, 0x04: 6, 0x42: 5, 0x55: 3, 0x56: 4}
"""Bytes of a request of service 19 by its kind."""


def row(code: str, status: int, kind: int = 0) -> bytes:
    """Three bytes of a code and its status."""
    return TroubleCode(code).to_bytes() + bytes((kind, status))


def listed(request: bytes, rows: Mapping[str, bytes], permanent: Iterable[bytes]) -> bytes:
    """Answers of service 19 that only list codes; nothing where another was asked for. ``rows``: by code."""
    kind = request[1] if len(request) > 1 else 0
    if kind == 0x42 and len(request) == 5 and request[2] == EMISSIONS:
        chosen = [bytes((EMISSIONS_CLASS,)) + held for held in rows.values() if held[3] & request[3]]
        return bytes((0x59, 0x42, EMISSIONS, AVAILABLE, 0x1F, FORMAT)) + b"".join(chosen)
    if kind == 0x02 and len(request) == 3:
        return bytes((0x59, 0x02, AVAILABLE)) + b"".join(held for held in rows.values() if held[3] & request[2])
    if kind == 0x55 and len(request) == 3 and request[2] == EMISSIONS:
        return bytes((0x59, 0x55, EMISSIONS, AVAILABLE, FORMAT)) + b"".join(
            bytes((EMISSIONS_CLASS,)) + held for held in permanent
        )
    return b""


def not_listed(request: bytes) -> bytes:
    """The refusal of a request of service 19: no such list, its length is wrong, or what it names is not there."""
    length = LENGTHS.get(request[1] if len(request) > 1 else 0x02)
    if length is None:
        return refuse(0x19, 0x12)[0]
    return refuse(0x19, 0x31 if len(request) == length else WRONG_LENGTH)[0]


class ModernEngineModule(EngineModule):
    """The engine's control unit of a car that speaks SAE J1979-2 and nothing of SAE J1979."""

    def _handles(self, service: int) -> bool:
        return service in (0x10, 0x14, 0x19, 0x22, 0x2F, 0x31, 0x3E)

    def _served(self, request: bytes) -> list[bytes]:
        service = request[0]
        if service == 0x22:
            return self._identified(request)
        if service == 0x19:
            return [self._listed_codes(request)]
        if service == 0x14:
            return self._clear_group(request)
        return super()._served(request)

    # -- service 22 ---------------------------------------------------------------------------------------

    def _identified(self, request: bytes) -> list[bytes]:
        if len(request) < 3 or len(request) % 2 == 0:
            return refuse(0x22, 0x13)
        told = b""
        for at in range(1, len(request), 2):
            page, number = request[at : at + 2]
            data = self._held(page, number)
            if data is None and page not in (VALUES, RESULTS, ABOUT):
                own = self._commanded(bytes((0x22, page, number)))[0]
                data = own[3:] if own[:1] == b"\x62" else None
            if data is not None:
                told += bytes((page, number)) + data
        return [b"\x62" + told] if told else refuse(0x22, 0x31)

    def _held(self, page: int, number: int) -> bytes | None:
        if page == VALUES:
            pids = self._pids() - BITS_ALONE
            if number % 0x20 == 0:
                return bits(number, pids)
            return pid_table()[number].encode(self.vehicle.live_values()) if number in pids else None
        if page == RESULTS:
            rows = result_rows(self.vehicle.memory, spark=self.vehicle.model.spark)
            if number % 0x20 == 0:
                return bits(number, set(rows))
            return b"".join(item[1:] for item in rows[number]) if number in rows else None
        return self._about(number) if page == ABOUT else None

    def _about(self, number: int) -> bytes | None:
        identity = self.vehicle.identity
        return {
            0x02: padded(identity.vin, 17),
            0x04: padded(identity.calibration, 16),
            0x06: identity.verification.to_bytes(4, "big"),
            0x0A: unit_name(identity.name),
            0x10: PROTOCOL,
        }.get(number)

    # -- service 19 ---------------------------------------------------------------------------------------

    def _status(self, record: Record) -> int:
        found = (TEST_FAILED | FAILED_THIS_CYCLE) * record.failed_trip | FAILED_SINCE_CLEAR * bool(record.frame)
        return found | PENDING * record.pending | CONFIRMED * record.confirmed | WARNS * record.lamp

    def _listed_codes(self, request: bytes) -> bytes:
        records = self.vehicle.memory.records
        kind = request[1] if len(request) > 1 else 0
        rows = {code: row(code, self._status(record)) for code, record in records.items()}
        answer = listed(request, rows, [rows[code] for code, record in records.items() if record.permanent])
        if answer:
            return answer
        if kind == 0x04 and len(request) == 6:
            return self._frame(request)
        if kind == 0x56 and len(request) == 4 and request[2] == EMISSIONS:
            return self._group(request[3])
        return not_listed(request)

    def _frame(self, request: bytes) -> bytes:
        records = self.vehicle.memory.records
        record = next((records[code] for code in records if TroubleCode(code).to_bytes() == request[2:4]), None)
        if record is None or request[4] or request[5] not in (0x00, 0xFF) or not record.frame:
            return refuse(0x19, 0x31)[0]
        table = pid_table()
        parts = [
            bytes((VALUES, number)) + pid.encode(record.frame)
            for number, pid in table.items()
            if number not in BITS_ALONE and any(item.key in record.frame for item in pid.fields)
        ]
        head = b"\x59\x04" + request[2:5] + bytes((self._status(record), 0x00, len(parts)))
        return head + b"".join(parts)

    def _group(self, number: int) -> bytes:
        memory = self.vehicle.memory
        for name, (group, codes) in GROUPS.items():
            if group == number and name in self.supported:
                waits = 0 if memory.complete.get(name) else NOT_RUN_SINCE_CLEAR
                waits |= 0 if memory.complete_trip.get(name) else NOT_RUN_THIS_CYCLE
                rows = [row(code, self._status(memory.records.get(code, NOTHING)) | waits) for code in codes]
                return bytes((0x59, 0x56, EMISSIONS, AVAILABLE, FORMAT, number)) + b"".join(rows)
        return refuse(0x19, 0x31)[0]

    # -- service 14 ---------------------------------------------------------------------------------------

    def _clear_group(self, request: bytes) -> list[bytes]:
        if len(request) != 4:
            return refuse(0x14, 0x13)
        if request[1:] not in (LAW_GROUP, EVERY_GROUP):
            return refuse(0x14, 0x31)
        if self.vehicle.engine.state.rpm > 0.0:
            return refuse(0x14, 0x22)
        self.vehicle.clear()
        return [bytes((0x7F, 0x14, 0x78)), b"\x54"]


class ModernTransmissionModule(TransmissionModule):
    """The gearbox's control unit of such a car."""

    def _answer(self, service: int, request: bytes) -> list[bytes]:
        if service == 0x22 and len(request) == 3 and request[1] in (VALUES, ABOUT):
            data = self._held_data(request[1], request[2])
            return refuse(service, 0x31) if data is None else [b"\x62" + request[1:] + data]
        if service == 0x19:
            rows = {code: row(code[:5], self._told(status), int(code[5:], 16)) for code, status in self._rows()}
            answer = listed(request, rows, ())
            return [answer] if answer else [not_listed(request)]
        if service == 0x14 and request[1:] == LAW_GROUP:
            return super()._answer(service, b"\x14" + EVERY_GROUP)
        return self._beyond_law(service, request)

    def _rows(self) -> list[tuple[str, int]]:
        return list(self.memory.status.items())

    def _told(self, status: int) -> int:
        return status | WARNS * (self.lamp and bool(status & CONFIRMED))

    def _held_data(self, page: int, number: int) -> bytes | None:
        if page == VALUES:
            held = {0x0D: bytes((round(self.vehicle.speed_kmh),))}
            return bitmap_for(0, set(held)) if number == 0 else held.get(number)
        return {
            0x04: padded(self.identity.calibration, 16),
            0x06: self.identity.verification.to_bytes(4, "big"),
            0x0A: unit_name(self.identity.name),
            0x10: PROTOCOL,
        }.get(number)
