"""The bit fields of SAE J1979: lamp and readiness (PIDs 01, 41), fuel system state (03), kinds of fuel (51)."""

from __future__ import annotations

from dataclasses import dataclass

SPARK_MONITORS = (
    "catalyst",
    "heated catalyst",
    "evaporative system",
    "secondary air",
    "particulate filter",
    "oxygen sensor",
    "oxygen sensor heater",
    "EGR / VVT",
)
COMPRESSION_MONITORS = (
    "NMHC catalyst",
    "NOx aftertreatment",
    "",
    "boost pressure",
    "",
    "exhaust gas sensor",
    "particulate filter",
    "EGR / VVT",
)
CONTINUOUS_MONITORS = ("misfire", "fuel system", "comprehensive components")

FUEL_STATES = {
    0x00: "engine off",
    0x01: "open loop: not warm yet",
    0x02: "closed loop",
    0x04: "open loop: load or overrun",
    0x08: "open loop: system fault",
    0x10: "closed loop with a sensor fault",
}
FUEL_TYPES = {
    0x01: "petrol",
    0x02: "methanol",
    0x03: "ethanol",
    0x04: "diesel",
    0x05: "LPG",
    0x06: "CNG",
    0x07: "propane",
    0x08: "electric",
    0x09: "bifuel, on petrol",
    0x0A: "bifuel, on methanol",
    0x0B: "bifuel, on ethanol",
    0x0C: "bifuel, on LPG",
    0x0D: "bifuel, on CNG",
    0x0E: "bifuel, on propane",
    0x0F: "bifuel, on electricity",
    0x10: "bifuel, electric and combustion",
    0x11: "hybrid petrol",
    0x12: "hybrid ethanol",
    0x13: "hybrid diesel",
    0x14: "hybrid electric",
    0x15: "hybrid, electric and combustion",
    0x16: "hybrid with recuperation",
    0x17: "bifuel, on diesel",
}

DIESELS = frozenset({0x04, 0x13, 0x17})
"""The kinds of fuel of engines with compression ignition."""


@dataclass(frozen=True)
class Monitor:
    """One readiness monitor: does this vehicle have it, and has it run to its end."""

    name: str
    supported: bool
    complete: bool
    continuous: bool = False


@dataclass(frozen=True)
class MonitorStatus:
    """PID 01 (since clear) or 41 (this drive cycle), decoded. The lamp bit is only meaningful in PID 01."""

    lamp: bool
    codes: int
    compression_ignition: bool
    monitors: tuple[Monitor, ...]

    def monitor(self, name: str) -> Monitor | None:
        """The monitor of that name, or None."""
        return next((item for item in self.monitors if item.name == name), None)

    @property
    def incomplete(self) -> tuple[str, ...]:
        """Names of supported monitors that have not completed."""
        return tuple(item.name for item in self.monitors if item.supported and not item.complete)


def decode_status(data: bytes) -> MonitorStatus:
    """Decode four bytes A–D. In B, C and D a set *incomplete* bit means: not yet run."""
    a, b, c, d = data
    compression = bool(b & 0x08)
    monitors = [
        Monitor(name, bool(b >> bit & 1), not b >> (bit + 4) & 1, continuous=True)
        for bit, name in enumerate(CONTINUOUS_MONITORS)
    ]
    names = COMPRESSION_MONITORS if compression else SPARK_MONITORS
    monitors += [Monitor(name, bool(c >> bit & 1), not d >> bit & 1) for bit, name in enumerate(names) if name]
    return MonitorStatus(bool(a & 0x80), a & 0x7F, compression, tuple(monitors))


def encode_status(status: MonitorStatus) -> bytes:
    """The four bytes for a status; what the stand-in control unit sends."""
    a = (0x80 if status.lamp else 0) | min(status.codes, 0x7F)
    b = 0x08 if status.compression_ignition else 0
    c = d = 0
    names = COMPRESSION_MONITORS if status.compression_ignition else SPARK_MONITORS
    for item in status.monitors:
        if item.continuous:
            bit = CONTINUOUS_MONITORS.index(item.name)
            b |= item.supported << bit | (item.supported and not item.complete) << (bit + 4)
        else:
            bit = names.index(item.name)
            c |= item.supported << bit
            d |= (item.supported and not item.complete) << bit
    return bytes((a, b, c, d))
