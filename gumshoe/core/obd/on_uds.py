"""A module that speaks SAE J1979-2: the law's diagnosis by services 22, 19 and 14 of UDS (ISO 14229-1).

Codes have three bytes and a status each, every code its own freeze frame; readiness is told by groups of codes: a group
has run when no code of it still waits for its first test. Layouts of ISO 14229-1 and SAE J1979-2 [S]; from memory: the
record of a freeze frame (00), the functional group 33.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

from gumshoe.core.codes import CodeState, TroubleCode
from gumshoe.core.obd.dialect import ON_UDS, READ_DATA, RESULTS_PAGE, VALUES_PAGE, Dialect
from gumshoe.core.obd.pids import as_meant, pid_table
from gumshoe.core.obd.reader import Reader
from gumshoe.core.obd.snapshot import FreezeFrame, Part, StoredCode
from gumshoe.core.obd.status import CONTINUOUS_MONITORS, DIESELS, Monitor, MonitorStatus

READ_CODES, EMISSIONS = 0x19, 0x33
FAILED, PENDING, CONFIRMED, NOT_RUN, NOT_RUN_TRIP, WARNS = 0x01, 0x04, 0x08, 0x10, 0x40, 0x80
"""Bits of a code's status (ISO 14229-1 annex D [S]): test failed, pending, confirmed, not tested since the codes were
cleared, not tested in this drive cycle, asks for the lamp."""
OF_INTEREST = FAILED | PENDING | CONFIRMED | WARNS
ALL_CLASSES = 0xFF
BY_MASK, ALL_BY_MASK, PERMANENT, BY_GROUP, FRAME_OF = 0x42, 0x02, 0x55, 0x56, 0x04
LAW_RECORD, EVERY_RECORD = 0x00, 0xFF
GROUPS = range(0x01, 0x20)
"""The readiness groups that are asked for, one by one."""
COMPREHENSIVE = CONTINUOUS_MONITORS[-1]
LEAST_SHARE = 1 / 3
"""So much of a group must belong to one monitor for the group to be that monitor's: circuits stand in it as well."""
MonitorOf = Callable[[str], str]
"""The monitor that a code belongs to; nothing for a code that is not known."""


def nobody_says(_code: str) -> str:
    """Where no catalogue is at hand: groups keep their numbers."""
    return ""


@dataclass(frozen=True)
class Row:
    """A code as the module tells it: its three bytes and its status."""

    code: TroubleCode
    failure_type: str
    status: int

    @property
    def key(self) -> tuple[str, str]:
        return self.code, self.failure_type

    def stored(self, state: CodeState) -> StoredCode:
        return StoredCode(self.code, state, self.failure_type, bool(self.status & WARNS))


def rows_of(body: bytes, before: int = 0) -> Iterator[Row]:
    """The codes of an answer: three bytes and the status each, with ``before`` bytes in front of each."""
    size = before + 4
    for start in range(0, len(body) - size + 1, size):
        high, low, kind, status = body[start + before : start + size]
        if high or low:
            yield Row(TroubleCode.from_bytes(high, low), f"{kind:02X}", status)


def monitor_of_group(codes: tuple[Row, ...], monitor_of: MonitorOf) -> str:
    """What a readiness group is, its own codes say; nothing where none of them is known. The standard's numbers of the
    groups are not relied upon."""
    known = [name for row in codes if (name := monitor_of(row.code))]
    for name, count in Counter(name for name in known if name != COMPREHENSIVE).most_common(1):
        if count >= LEAST_SHARE * len(known):
            return name
    return COMPREHENSIVE if known else ""


class OnUdsReader(Reader):
    """Reads one module by SAE J1979-2."""

    dialect = ON_UDS
    results = Dialect("monitor results", READ_DATA, bytes((RESULTS_PAGE,)))
    groups = tuple(GROUPS)
    """The readiness groups it is asked for."""
    told: tuple[int, ...] = ()
    """Those that it has; all of them once every group was answered, if only by a refusal (``settled``)."""
    settled = False
    monitor_of: MonitorOf = staticmethod(nobody_says)

    def _codes(self) -> tuple[StoredCode, ...]:
        rows = {row.key: row for row in self._law_codes()}
        for row in self._others():
            rows.setdefault(row.key, row)
        self._forgive(Part.CODES, Part.MAKERS_CODES not in self._unread)
        found = [row.stored(CodeState.CONFIRMED) for row in rows.values() if row.status & CONFIRMED]
        found += [row.stored(CodeState.PENDING) for row in rows.values() if row.status & PENDING]
        found += [
            row.stored(CodeState.PENDING)  # failing now, and not yet called pending
            for row in rows.values()
            if row.status & FAILED and not row.status & (CONFIRMED | PENDING)
        ]
        return (*found, *(row.stored(CodeState.PERMANENT) for row in self._permanent()))

    def _law_codes(self) -> list[Row]:
        request = bytes((READ_CODES, BY_MASK, EMISSIONS, OF_INTEREST, ALL_CLASSES))
        payload = self._ask(request, "codes", Part.CODES, must=True)
        return self._listed(payload, 6, Part.CODES, before=1)

    def _others(self) -> list[Row]:
        """The maker's codes, which the law does not ask for: clearing takes them along only if they were read."""
        payload = self._ask(bytes((READ_CODES, ALL_BY_MASK, OF_INTEREST)), "the maker's codes", Part.MAKERS_CODES)
        return self._listed(payload, 3, Part.MAKERS_CODES)

    def _permanent(self) -> list[Row]:
        """With the severity before each, as the list of codes has it; where that does not fit, without."""
        payload = self._ask(bytes((READ_CODES, PERMANENT, EMISSIONS)), "permanent codes", Part.PERMANENT)
        body = len(payload) - 5 if payload else 0
        return self._listed(payload, 5, Part.PERMANENT, before=0 if body % 5 and body % 4 == 0 else 1)

    def _listed(self, payload: bytes | None, head: int, part: Part, before: int = 0) -> list[Row]:
        if payload is None:
            return []
        body = payload[head:]
        if len(payload) < head or len(body) % (before + 4):
            self.problems.append(f"{part.value}: the list was cut short; those that are whole were kept.")
            self._miss(part, "the list was cut short; those that are whole were kept")
        return list(rows_of(body, before))

    def _frames(self, codes: tuple[StoredCode, ...]) -> tuple[FreezeFrame, ...]:
        """Each code's own, those the lamp is lit for first."""
        found: dict[TroubleCode, FreezeFrame] = {}
        for item in sorted(codes, key=lambda item: not item.warns):
            if item.state is CodeState.PERMANENT or item.code in found:
                continue
            values = self._frame(bytes((*item.code.to_bytes(), int(item.failure_type, 16))), item.code)
            if values:
                found[item.code] = FreezeFrame(item.code, as_meant(values, self._how))
        self._forgive(Part.FRAMES, bool(found))
        return tuple(found.values())

    def _frame(self, number: bytes, code: TroubleCode) -> dict[str, float]:
        for record in (LAW_RECORD, EVERY_RECORD):
            request = bytes((READ_CODES, FRAME_OF, *number, record))
            payload = self._ask(request, f"freeze frame of {code}", Part.FRAMES)
            values = frame_values(payload[6:]) if payload else {}
            if values:
                return values
        return {}

    def _forgive(self, part: Part, found: bool) -> None:
        """Where a kind was told after all, one way or one piece of it that the module has not is no gap."""
        missed = self._unread.get(part)
        if found and missed is not None and not missed.offered:
            del self._unread[part]

    def _records(self, mid: int, payload: bytes) -> bytes:
        """Eight bytes to a record, without the monitor's number before each (SAE J1979-2, from memory)."""
        body = payload[3:]
        return b"\x46" + b"".join(bytes((mid,)) + body[at : at + 8] for at in range(0, len(body), 8))

    # -- readiness ----------------------------------------------------------------------------------------

    def _readiness(
        self, raw: Mapping[int, bytes], values: Mapping[str, float], codes: tuple[StoredCode, ...]
    ) -> tuple[MonitorStatus | None, MonitorStatus | None]:
        told = super()._readiness(raw, values, codes)
        groups = self._groups() if told[0] is None else {}
        if not groups:
            return told
        held = {item.code for item in codes if item.state is CodeState.CONFIRMED}
        lamp = any(item.warns for item in codes)
        diesel = values.get("fuel_type") in DIESELS

        def status(bit: int, *, trip: bool) -> MonitorStatus:
            monitors = tuple(
                Monitor(name, True, not any(row.status & bit for row in rows), name in CONTINUOUS_MONITORS)
                for name, rows in groups.items()
            )
            return MonitorStatus(lamp and not trip, 0 if trip else len(held), diesel, monitors)

        return status(NOT_RUN, trip=False), status(NOT_RUN_TRIP, trip=True)

    def _groups(self) -> dict[str, tuple[Row, ...]]:
        """The codes of every readiness group that the module has, by the monitor they belong to."""
        found: dict[str, tuple[Row, ...]] = {}
        for group in self.groups:
            request = bytes((READ_CODES, BY_GROUP, EMISSIONS, group))
            payload = self._ask(request, f"readiness, group {group:02X}", Part.STATUS)
            missed = self._unread.get(Part.STATUS)
            if payload is None and missed is not None and missed.offered:
                break  # it is silent, or something is wrong: the next would not be told either
            rows = tuple(rows_of(payload[6:])) if payload else ()
            if rows:
                self.told = (*self.told, group)
                name = monitor_of_group(rows, self.monitor_of) or f"readiness group {group:02X}"
                found[name] = (*found.get(name, ()), *rows)
        else:
            self.settled = True
        self._forgive(Part.STATUS, bool(found))
        return found


def frame_values(body: bytes) -> dict[str, float]:
    """The values of a stored frame (record, how many, then identifier and bytes …), up to the first identifier whose
    length is not known."""
    values: dict[str, float] = {}
    table, position = pid_table(), 0
    while position + 2 <= len(body):
        count, position = body[position + 1], position + 2
        for _ in range(count):
            page, number = body[position : position + 2].ljust(2, b"\x00")
            pid = table.get(number) if page == VALUES_PAGE else None
            data = body[position + 2 : position + 2 + pid.size] if pid else b""
            if pid is None or len(data) < pid.size:
                return values
            for key, value in pid.decode(data).items():
                values.setdefault(key, value)
            position += 2 + pid.size
    return values
