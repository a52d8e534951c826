"""Service 06: what the on-board monitors measured, against their own limits.

Layout (MID, TID, unit-and-scaling, value, minimum, maximum) and the scalings: SAE J1979 appendices [S; the figures of
the scalings M]. Misfire monitors A1 (general) and A2–AD (cylinders 1–12), test 0B the average of
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


SIGNED_FROM = 0x80
"""Ids from here on hold signed values, known or not (SAE J1979 appendix E [S])."""
SCALINGS = {
    0x01: Scaling("", 1.0),
    0x02: Scaling("", 0.1),
    0x03: Scaling("", 0.01),
    0x04: Scaling("", 0.001),
    0x05: Scaling("", 0.0000305),
    0x06: Scaling("", 0.000305),
    0x07: Scaling("rpm", 0.25),
    0x08: Scaling("km/h", 0.01),
    0x09: Scaling("km/h", 1.0),
    0x0A: Scaling("V", 0.000122),
    0x0B: Scaling("V", 0.001),
    0x0C: Scaling("V", 0.01),
    0x0D: Scaling("A", 0.00000390625),
    0x0E: Scaling("A", 0.001),
    0x0F: Scaling("A", 0.01),
    0x10: Scaling("s", 0.001),
    0x11: Scaling("s", 0.1),
    0x12: Scaling("s", 1.0),
    0x13: Scaling("Ω", 0.001),
    0x14: Scaling("Ω", 1.0),
    0x15: Scaling("kΩ", 1.0),
    0x16: Scaling("°C", 0.1, -40.0),
    0x17: Scaling("kPa", 0.01),
    0x18: Scaling("kPa", 0.0117),
    0x19: Scaling("kPa", 0.079),
    0x1A: Scaling("kPa", 1.0),
    0x1B: Scaling("kPa", 10.0),
    0x1C: Scaling("°", 0.01),
    0x1D: Scaling("°", 0.5),
    0x1E: Scaling("λ", 0.0000305),
    0x1F: Scaling("air to fuel", 0.05),
    0x20: Scaling("ratio", 0.0039062),
    0x21: Scaling("Hz", 0.001),
    0x22: Scaling("Hz", 1.0),
    0x23: Scaling("kHz", 1.0),
    0x24: Scaling("counts", 1.0),
    0x25: Scaling("km", 1.0),
    0x26: Scaling("V/s", 0.1),
    0x27: Scaling("g/s", 0.01),
    0x28: Scaling("g/s", 1.0),
    0x29: Scaling("Pa/s", 0.25),
    0x2A: Scaling("kg/h", 0.001),
    0x2B: Scaling("switches", 1.0),
    0x2C: Scaling("g per cylinder", 0.01),
    0x2D: Scaling("mg per stroke", 0.01),
    0x2F: Scaling("%", 0.01),
    0x30: Scaling("%", 0.001526),
    0x31: Scaling("L", 0.001),
    0x32: Scaling("in", 0.0000305),
    0x33: Scaling("λ", 0.00024414),
    0x34: Scaling("min", 1.0),
    0x35: Scaling("s", 0.01),
    0x36: Scaling("g", 0.01),
    0x37: Scaling("g", 0.1),
    0x38: Scaling("g", 1.0),
    0x81: Scaling("", 1.0, signed=True),
    0x82: Scaling("", 0.1, signed=True),
    0x83: Scaling("", 0.01, signed=True),
    0x84: Scaling("", 0.001, signed=True),
    0x85: Scaling("", 0.0000305, signed=True),
    0x86: Scaling("", 0.000305, signed=True),
    0x8A: Scaling("V", 0.000122, signed=True),
    0x8B: Scaling("V", 0.001, signed=True),
    0x8C: Scaling("V", 0.01, signed=True),
    0x8D: Scaling("A", 0.00000390625, signed=True),
    0x8E: Scaling("A", 0.001, signed=True),
    0x90: Scaling("s", 0.001, signed=True),
    0x96: Scaling("°C", 0.1, signed=True),
    0x99: Scaling("kPa", 0.1, signed=True),
    0x9C: Scaling("°", 0.01, signed=True),
    0x9D: Scaling("°", 0.5, signed=True),
    0xA8: Scaling("g/s", 1.0, signed=True),
    0xA9: Scaling("Pa/s", 0.25, signed=True),
    0xAD: Scaling("mg per stroke", 0.01, signed=True),
    0xAE: Scaling("mg per stroke", 0.1, signed=True),
    0xAF: Scaling("%", 0.01, signed=True),
    0xB0: Scaling("%", 0.003052, signed=True),
    0xB1: Scaling("V/s", 0.002, signed=True),
    0xFC: Scaling("kPa", 0.01, signed=True),
    0xFD: Scaling("kPa", 0.001, signed=True),
    0xFE: Scaling("Pa", 0.25, signed=True),
}
"""The unit-and-scaling ids, from memory [M]; one that is not here is shown raw and gets no verdict."""

_MIDS = {
    0x01: "oxygen sensor, bank 1 sensor 1",
    0x02: "oxygen sensor, bank 1 sensor 2",
    0x05: "oxygen sensor, bank 2 sensor 1",
    0x06: "oxygen sensor, bank 2 sensor 2",
    0x21: "catalyst, bank 1",
    0x22: "catalyst, bank 2",
    0x31: "EGR, bank 1",
    0x32: "EGR, bank 2",
    0x35: "valve timing, bank 1",
    0x36: "valve timing, bank 2",
    0x39: "evaporative system, cap off",
    0x3A: "evaporative system, 2.3 mm leak",
    0x3B: "evaporative system, 1.0 mm leak",
    0x3C: "evaporative system, 0.5 mm leak",
    0x3D: "purge flow",
    0x41: "oxygen sensor heater, bank 1 sensor 1",
    0x42: "oxygen sensor heater, bank 1 sensor 2",
    0x45: "oxygen sensor heater, bank 2 sensor 1",
    0x46: "oxygen sensor heater, bank 2 sensor 2",
    0x61: "heated catalyst, bank 1",
    0x62: "heated catalyst, bank 2",
    0x71: "secondary air, bank 1",
    0x72: "secondary air, bank 2",
    0x81: "fuel system, bank 1",
    0x82: "fuel system, bank 2",
    0x85: "boost pressure, bank 1",
    0x86: "boost pressure, bank 2",
    0x90: "NOx storage, bank 1",
    0x91: "NOx storage, bank 2",
    0x98: "NOx catalyst, bank 1",
    0x99: "NOx catalyst, bank 2",
    0xA1: "misfire, all cylinders",
    0xB2: "particulate filter, bank 1",
    0xB3: "particulate filter, bank 2",
}
_TIDS = {
    0x01: "threshold voltage, rich to lean",
    0x02: "threshold voltage, lean to rich",
    0x03: "low voltage for the switch time",
    0x04: "high voltage for the switch time",
    0x05: "switch time, rich to lean",
    0x06: "switch time, lean to rich",
    0x07: "lowest voltage of the test",
    0x08: "highest voltage of the test",
    0x09: "time between two switches",
    0x0A: "period",
    0x0B: "average of the last ten drive cycles",
    0x0C: "last or current drive cycle",
}
"""The standardised test ids (ISO 15031-5, from memory [M]); those from MAKERS_TID on are the maker's own."""
MAKERS_TID = 0x80
MIDS = frozenset(number for number in range(1, 0xE0) if number % 0x20)
"""The ids that a monitor may have; those between are bitmaps."""


@dataclass(frozen=True)
class MonitorResult:
    """One test result with its limits, in ``unit``. ``known``: whether its scaling is; else value and limits are raw,
    and nobody can say whether it passed."""

    mid: int
    tid: int
    name: str
    unit: str
    value: float
    low: float
    high: float
    known: bool = True

    @property
    def unlimited(self) -> bool:
        """Whether the result is a plain count without a limit of its own (SAE J1979 counters span two bytes)."""
        return self.unit == "counts" and self.high >= 0xFFFF

    @property
    def passed(self) -> bool | None:
        """Whether the value lies within the limits, ends included; None where its scaling is not known."""
        return self.low <= self.value <= self.high if self.known else None


def result_name(mid: int, tid: int) -> str:
    """Words for a monitor id and test id; unknown ones are numbered, not guessed, and the maker's said to be so."""
    if 0xA2 <= mid <= 0xAD:
        monitor = f"misfire, cylinder {mid - 0xA1}"
    else:
        monitor = _MIDS.get(mid, f"monitor {mid:02X}")
    number = f"the maker's test {tid:02X}" if tid >= MAKERS_TID else f"test {tid:02X}"
    return f"{monitor}: {_TIDS.get(tid, number)}"


def decode_results(payload: bytes) -> tuple[MonitorResult, ...]:
    """Decode ``46`` followed by nine-byte records. Raises BadAnswer on a broken record."""
    body = payload[1:]
    if len(body) % 9:
        raise BadAnswer(f"Monitor results should come in records of 9 bytes; {len(body)} bytes arrived.")
    results = []
    for start in range(0, len(body), 9):
        mid, tid, kind = body[start : start + 3]
        raw = Scaling(f"raw (scaling {kind:02X})", 1.0, signed=kind >= SIGNED_FROM)
        scaling = SCALINGS.get(kind, raw)
        value, low, high = (
            int.from_bytes(body[start + 3 + 2 * i : start + 5 + 2 * i], "big", signed=scaling.signed) * scaling.scale
            + scaling.offset
            for i in range(3)
        )
        results.append(MonitorResult(mid, tid, result_name(mid, tid), scaling.unit, value, low, high, kind in SCALINGS))
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
