"""A freeze frame in words: where it was taken, what stands out, what that excludes."""

from __future__ import annotations

from dataclasses import dataclass

from gumshoe.core.obd.snapshot import FreezeFrame
from gumshoe.core.signals.regions import WARM_C, Region, classify


@dataclass(frozen=True)
class FrameReading:
    """The region, the remarks, and the values that matter most first."""

    region: Region
    where: str
    remarks: tuple[str, ...]


def read_frame(frame: FreezeFrame) -> FrameReading:
    """Put a frame into words (limits: common practice)."""
    values = frame.values
    region = classify(values)
    rpm, speed = values.get("rpm", 0.0), values.get("speed_kmh", 0.0)
    coolant = values.get("coolant_c")
    parts = [region.value, f"{rpm:.0f} 1/min"]
    if speed >= 1.0:
        parts.append(f"{speed:.0f} km/h")
    if coolant is not None:
        parts.append(f"coolant {coolant:.0f} °C")
    run = values.get("run_time_s")
    if run:
        parts.append(f"{int(run) // 60}:{int(run) % 60:02d} after starting")
    remarks = []
    if "stft_b1_pct" in values and "ltft_b1_pct" in values:
        total = values["stft_b1_pct"] + values["ltft_b1_pct"]
        if abs(total) > 10.0:
            side = "adding" if total > 0 else "taking away"
            remarks.append(
                f"Total trim {total:+.1f} %: the control unit was {side} fuel by a quarter or more."
                if abs(total) >= 25.0
                else f"Total trim {total:+.1f} %: the control unit was {side} fuel."
            )
    if coolant is not None and coolant < WARM_C and run and run > 900:
        remarks.append(f"Only {coolant:.0f} °C after {run / 60:.0f} minutes: look at the thermostat.")
    volts = values.get("module_v")
    if volts is not None and region is not Region.OFF and not 13.0 <= volts <= 15.0:
        remarks.append(f"Supply {volts:.1f} V with the engine running: charging first, then the rest.")
    if region in (Region.WARM_IDLE, Region.COLD_IDLE):
        remarks.append("At idle little fuel and air flow: weak fuel supply and a meter low at flow are unlikely here.")
    elif region is Region.LOAD:
        remarks.append("Under load a small air leak hardly weighs: look at fuel supply, ignition and the meter.")
    return FrameReading(region, ", ".join(parts), tuple(remarks))
