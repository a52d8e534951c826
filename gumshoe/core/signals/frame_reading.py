"""A freeze frame in words: where it was taken, what stands out, what that excludes."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from gumshoe.core.obd.snapshot import FreezeFrame
from gumshoe.core.signals.regions import WARM_C, Region, classify

COLD_START_S = 120.0
HOT_C, OPEN_SENSOR_C = 112.0, -35.0
LONG_RUN_S = 900.0
SOAK_C = 8.0
"""A start counts as cold when coolant and intake air lie this near together (common practice)."""
STANDS_OUT_PCT, QUARTER_PCT = 10.0, 25.0
IDLE_LOAD_PCT = 45.0
EXCLUDES: dict[Region, tuple[str, ...]] = {
    Region.OFF: ("The engine was not running: a circuit or the supply, nothing that needs combustion.",),
    Region.CRANKING: (
        "While cranking: crank and cam signal, supply and fuel pressure; no mixture or load fault shows here.",
    ),
    Region.COLD_IDLE: (
        "At idle little fuel and air flow: weak fuel supply and a meter low at flow are unlikely here.",
        "Cold, the mixture is not yet corrected: what heals with warmth (enrichment, a seep, a sticking valve) fits.",
    ),
    Region.WARM_IDLE: (
        "At idle little fuel and air flow: weak fuel supply and a meter low at flow are unlikely here.",
    ),
    Region.HIGH_IDLE: ("Speed without load: ignition under load and fuel at full flow are hardly tried here.",),
    Region.COLD_DRIVE: ("Cold and driving: what only shows warm is not it.",),
    Region.COAST: ("Coasting, fuel is cut: a misfire or mixture code set here is doubtful; sensors and leaks remain.",),
    Region.CRUISE: (
        "Light cruise: neither idle leaks nor full flow weigh much; sensors, timing and recirculation do.",
    ),
    Region.LOAD: ("Under load a small air leak hardly weighs: look at fuel supply, ignition and the meter.",),
}
"""What a region speaks against (common practice)."""


@dataclass(frozen=True)
class FrameReading:
    """The region, its words, what stands out, and what the region excludes."""

    region: Region
    where: str
    remarks: tuple[str, ...]
    excludes: tuple[str, ...]


def read_frame(frame: FreezeFrame) -> FrameReading:
    """Put a frame into words (limits: common practice)."""
    values = frame.values
    region = classify(values)
    remarks = (*_trims(values), *_temperatures(values), *_load(values, region), *_supply(values, region))
    return FrameReading(region, _where(values, region), remarks, EXCLUDES[region])


def _where(values: Mapping[str, float], region: Region) -> str:
    parts = [_cold_start(values) or region.value, f"{values.get('rpm', 0.0):.0f} rpm"]
    if values.get("speed_kmh", 0.0) >= 1.0:
        parts.append(f"{values['speed_kmh']:.0f} km/h")
    if "coolant_c" in values:
        parts.append(f"coolant {values['coolant_c']:.0f} °C")
    run = values.get("run_time_s")
    if run:
        parts.append(f"{int(run) // 60}:{int(run) % 60:02d} after starting")
    return ", ".join(parts)


def _cold_start(values: Mapping[str, float]) -> str:
    """Right after a start with coolant still near the air: the words for it, else nothing."""
    run, coolant, air = values.get("run_time_s"), values.get("coolant_c"), values.get("intake_c")
    soaked = coolant is not None and air is not None and abs(coolant - air) <= SOAK_C
    return "cold start" if run is not None and run <= COLD_START_S and soaked else ""


def _trims(values: Mapping[str, float]) -> Iterator[str]:
    totals = {
        bank: values[f"stft_b{bank}_pct"] + values[f"ltft_b{bank}_pct"]
        for bank in (1, 2)
        if f"stft_b{bank}_pct" in values and f"ltft_b{bank}_pct" in values
    }
    for bank, total in totals.items():
        if abs(total) > STANDS_OUT_PCT:
            side = "adding" if total > 0 else "taking away"
            much = " by a quarter or more" if abs(total) >= QUARTER_PCT else ""
            name = f"Total trim of bank {bank}" if len(totals) > 1 else "Total trim"
            yield f"{name} {total:+.1f} %: the control unit was {side} fuel{much}."
    if len(totals) == 2 and abs(totals[1] - totals[2]) > STANDS_OUT_PCT:
        yield "The banks differ: something of one bank alone, not what both share."


def _temperatures(values: Mapping[str, float]) -> Iterator[str]:
    coolant, run = values.get("coolant_c"), values.get("run_time_s")
    if coolant is None:
        return
    if coolant < WARM_C and run and run > LONG_RUN_S:
        yield f"Only {coolant:.0f} °C after {run / 60:.0f} minutes: look at the thermostat."
    if coolant > HOT_C:
        yield f"Coolant {coolant:.0f} °C: too hot; level, fan and flow first."
    if coolant <= OPEN_SENSOR_C:
        yield f"Coolant {coolant:.0f} °C is the value of an open sensor circuit, not of an engine."


def _load(values: Mapping[str, float], region: Region) -> Iterator[str]:
    load = values.get("load_pct")
    if load is not None and region in (Region.WARM_IDLE, Region.COLD_IDLE) and load > IDLE_LOAD_PCT:
        yield f"Load {load:.0f} % at idle is much: a dragging consumer, wrong timing or a meter that reads high."


def _supply(values: Mapping[str, float], region: Region) -> Iterator[str]:
    volts = values.get("module_v")
    if volts is not None and region not in (Region.OFF, Region.CRANKING) and not 13.0 <= volts <= 15.0:
        yield f"Supply {volts:.1f} V with the engine running: charging first, then the rest."
