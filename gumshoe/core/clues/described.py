"""What the scan tells of the powertrain: facts for the description, each with the reason.

PIDs, readiness bits, monitor ids: SAE J1979 [S]; that a control unit offers only the PIDs of the parts
it has is common practice, so every fact is shown and can be changed.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from gumshoe.core.obd.snapshot import ModuleSnapshot
from gumshoe.core.obd.status import FUEL_TYPES

PRESSURE, FLOW, BANK_2_TRIM, BOOST, ELECTRONIC = 0x0B, 0x10, 0x08, 0x70, 0x4C
KINDS = {"petrol": "petrol", "ethanol": "flex", "diesel": "diesel", "bifuel, on petrol": "petrol"} | dict.fromkeys(
    ("hybrid petrol", "hybrid ethanol", "hybrid, electric and combustion", "hybrid with recuperation"), "hybrid"
)
"""The description's word for a kind of fuel that the bus names."""


@dataclass(frozen=True)
class Told:
    """One fact of the description that the bus tells, and how."""

    fact: str
    value: Any
    why: str


def told_by_bus(module: ModuleSnapshot | None) -> tuple[Told, ...]:
    """Facts of the powertrain that the engine's part of a scan tells, the surest first; none without a scan."""
    return tuple(_told(module)) if module is not None else ()


def _told(module: ModuleSnapshot) -> Iterator[Told]:
    pids = set(module.pids)
    kind = KINDS.get(FUEL_TYPES.get(round(module.values.get("fuel_type", 0.0)), ""))
    if module.status is not None and module.status.compression_ignition:
        yield Told("fuel", "diesel", "its readiness is that of compression ignition")
    elif kind:
        yield Told("fuel", kind, "the control unit names its fuel")
    cylinders = [result.mid - 0xA1 for result in module.results if 0xA2 <= result.mid <= 0xAD]
    if cylinders:
        yield Told("cylinders", max(cylinders), f"misfire counters up to cylinder {max(cylinders)}")
    if FLOW in pids or PRESSURE in pids:
        value = "both" if {FLOW, PRESSURE} <= pids else ("flow" if FLOW in pids else "pressure")
        yield Told("air_metering", value, "the air values it offers")
    if BANK_2_TRIM in pids and pids & {0x06, 0x07}:
        yield Told("layout", "V", "it corrects two banks (a flat engine does so too)")
    if BOOST in pids:
        yield Told("induction", "turbo", "it offers boost control values")
    if ELECTRONIC in pids:
        yield Told("throttle", "electronic", "it commands the throttle")
    if module.status is None:
        return
    supported = {item.name for item in module.status.monitors if item.supported}
    for fact, monitor in (("egr", "EGR / VVT"), ("secondary_air", "secondary air")):
        if any(monitor.lower() in name.lower() for name in supported):
            yield Told(fact, True, f"it monitors {monitor}")
    if module.status.compression_ignition and any("particulate" in name for name in supported):
        yield Told("aftertreatment", ["catalyst", "particulate filter"], "it monitors a particulate filter")
