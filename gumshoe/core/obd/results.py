"""Service 06: what the on-board monitors measured, against their own limits.

Layout (MID, TID, unit-and-scaling, value, minimum, maximum) and the scalings: SAE J1979 appendices [S;
the few scalings here M]. Misfire monitors A1 (general) and A2–AD (cylinders 1–12), test 0B the average of
the last ten cycles and 0C the last or current cycle [S].
"""

from __future__ import annotations

from dataclasses import dataclass

from gumshoe.core.obd.errors import BadAnswer


@dataclass(frozen=True)
class Scaling:
    """A unit-and-scaling id: value = raw * scale + offset, perhaps signed."""

    unit: str
    scale: float
    offset: float = 0.0
    signed: bool = False


SCALINGS = {
    0x01: Scaling("", 1.0),
    0x03: Scaling("", 0.01),
    0x05: Scaling("", 0.0000305),
    0x07: Scaling("1/min", 0.25),
    0x0A: Scaling("V", 0.000122),
    0x0E: Scaling("A", 0.001),
    0x10: Scaling("s", 0.001),
    0x14: Scaling("Ω", 1.0),
    0x16: Scaling("°C", 0.1, -40.0),
    0x1E: Scaling("λ", 0.0000305),
    0x20: Scaling("ratio", 0.0039062),
    0x24: Scaling("counts", 1.0),
    0xAF: Scaling("%", 0.01, signed=True),
    0xFE: Scaling("Pa", 0.25, signed=True),
}

_MIDS = {
    0x01: "oxygen sensor, bank 1 sensor 1",
    0x02: "oxygen sensor, bank 1 sensor 2",
    0x05: "oxygen sensor, bank 2 sensor 1",
    0x06: "oxygen sensor, bank 2 sensor 2",
    0x21: "catalyst, bank 1",
    0x22: "catalyst, bank 2",
    0x31: "EGR, bank 1",
    0x39: "evaporative system, cap off",
    0x3A: "evaporative system, 2.3 mm leak",
    0x3B: "evaporative system, 1.0 mm leak",
    0x3C: "evaporative system, 0.5 mm leak",
    0x3D: "purge flow",
    0x41: "oxygen sensor heater, bank 1 sensor 1",
    0x42: "oxygen sensor heater, bank 1 sensor 2",
    0x45: "oxygen sensor heater, bank 2 sensor 1",
    0x81: "fuel system, bank 1",
    0x82: "fuel system, bank 2",
    0xA1: "misfire, all cylinders",
}
_TIDS = {0x0B: "average of the last ten drive cycles", 0x0C: "last or current drive cycle"}


@dataclass(frozen=True)
class MonitorResult:
    """One test result with its limits, in ``unit``."""

    mid: int
    tid: int
    name: str
    unit: str
    value: float
    low: float
    high: float

    @property
    def unlimited(self) -> bool:
        """Whether the result is a plain count without a limit of its own (SAE J1979 counters span two bytes)."""
        return self.unit == "counts" and self.high >= 0xFFFF

    @property
    def passed(self) -> bool:
        """Whether the value lies within the limits, ends included."""
        return self.low <= self.value <= self.high


def result_name(mid: int, tid: int) -> str:
    """Words for a monitor id and test id; unknown ones are numbered, not guessed."""
    if 0xA2 <= mid <= 0xAD:
        monitor = f"misfire, cylinder {mid - 0xA1}"
    else:
        monitor = _MIDS.get(mid, f"monitor {mid:02X}")
    return f"{monitor}: {_TIDS.get(tid, f'test {tid:02X}')}"


def decode_results(payload: bytes) -> tuple[MonitorResult, ...]:
    """Decode ``46`` followed by nine-byte records. Raises BadAnswer on a broken record."""
    body = payload[1:]
    if len(body) % 9:
        raise BadAnswer(f"Monitor results should come in records of 9 bytes; {len(body)} bytes arrived.")
    results = []
    for start in range(0, len(body), 9):
        mid, tid, kind = body[start : start + 3]
        scaling = SCALINGS.get(kind, Scaling(f"raw (scaling {kind:02X})", 1.0))
        value, low, high = (
            int.from_bytes(body[start + 3 + 2 * i : start + 5 + 2 * i], "big", signed=scaling.signed) * scaling.scale
            + scaling.offset
            for i in range(3)
        )
        results.append(MonitorResult(mid, tid, result_name(mid, tid), scaling.unit, value, low, high))
    return tuple(results)


def encode_result(mid: int, tid: int, kind: int, value: float, low: float, high: float) -> bytes:
    """One nine-byte record; what the stand-in control unit sends."""
    scaling = SCALINGS[kind]
    record = bytes((mid, tid, kind))
    bottom, top = (-0x8000, 0x7FFF) if scaling.signed else (0, 0xFFFF)
    for number in (value, low, high):
        raw = min(max(round((number - scaling.offset) / scaling.scale), bottom), top)
        record += raw.to_bytes(2, "big", signed=scaling.signed)
    return record
