"""Derived channels: pure functions of what was read, the same for a live round and for a whole recording."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gumshoe.core.obd.pids import fields_by_key
from gumshoe.core.obd.poller import SLOW_KEYS, Sample
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.signals.recording import Channel, Recording

Floats = NDArray[np.float64]
HELD_S, HELD_SLOW_S = 3.0, 30.0
"""A value older than this is not put together with a new one; one that changes over minutes may be older."""
STANDARD_AIR_GPL = 1.184
"""Air of 25 °C and 101.3 kPa, the reference of absolute load (SAE J1979 [S])."""
R_AIR = 287.05
RUNNING_RPM = 300.0
TRACKS = ("throttle_pct", "throttle_b_pct")


@dataclass(frozen=True)
class Derived:
    """A channel computed from others. ``compute`` takes the values of ``needs`` (arrays or numbers) in order, NaN where
    it does not hold; ``step``: how finely it is told."""

    key: str
    name: str
    unit: str
    needs: tuple[str, ...]
    compute: Callable[..., Any]
    step: float = 0.01


def volumetric_efficiency_pct(maf_gps: Any, rpm: Any, intake_c: Any, baro_kpa: Any, displacement_l: float) -> Any:
    """120 · ṁ / (rpm · V · ρ), four-stroke, ρ of the air before the engine [physics]; per cent."""
    density = baro_kpa * 1000.0 / (R_AIR * (intake_c + 273.15))  # g/L is kg/m³
    return 100.0 * 120.0 * maf_gps / (np.where(rpm > RUNNING_RPM, rpm, np.nan) * displacement_l * density)


def absolute_load_pct(maf_gps: Any, rpm: Any, displacement_l: float) -> Any:
    """Air mass of an intake stroke over 1.184 g/L times the cylinder's displacement (SAE J1979, PID 43 [S]); per cent.
    The number of cylinders cancels."""
    return 100.0 * 120.0 * maf_gps / (np.where(rpm > RUNNING_RPM, rpm, np.nan) * STANDARD_AIR_GPL * displacement_l)


def held_s(key: str) -> float:
    """How long a value of a channel may be put together with newer ones of others."""
    return HELD_SLOW_S if key in SLOW_KEYS else HELD_S


def _sum(one: Any, other: Any) -> Any:
    return one + other


def _difference(one: Any, other: Any) -> Any:
    return one - other


def _told(keys: tuple[str, ...]) -> float:
    """How finely a sum of channels is told: as its coarsest."""
    return max(fields_by_key()[key].scale for key in keys)


def derived_channels(powertrain: Powertrain) -> tuple[Derived, ...]:
    """Every derived channel that this powertrain can have."""
    litres = powertrain.displacement_l

    def filling(maf: Any, rpm: Any, intake: Any, baro: Any) -> Any:
        return volumetric_efficiency_pct(maf, rpm, intake, baro, litres)

    def load(maf: Any, rpm: Any) -> Any:
        return absolute_load_pct(maf, rpm, litres)

    found = [
        Derived("ve_pct", "Volumetric efficiency", "%", ("maf_gps", "rpm", "intake_c", "baro_kpa"), filling),
        Derived("abs_load_air_pct", "Absolute load from air flow", "%", ("maf_gps", "rpm"), load),
        Derived("boost_error_kpa", "Boost error", "kPa", ("boost_kpa", "boost_cmd_kpa"), _difference),
        Derived("tracks_pct", "Throttle track A less B", "%", TRACKS, _difference, _told(TRACKS)),
    ]
    for bank in range(1, powertrain.banks + 1):
        trims = (f"stft_b{bank}_pct", f"ltft_b{bank}_pct")
        name = f"Total trim, bank {bank}" if powertrain.banks > 1 else "Total trim"
        found.append(Derived(f"total_trim_b{bank}_pct", name, "%", trims, _sum, _told(trims)))
        for cam in ("intake", "exhaust"):
            needs = (f"cam_{cam}_b{bank}_deg", f"cam_{cam}_cmd_b{bank}_deg")
            name = f"{cam.capitalize()} cam error, bank {bank}"
            found.append(Derived(f"cam_{cam}_error_b{bank}_deg", name, "°", needs, _difference, 0.1))
    return tuple(found)


class Deriver:
    """Derives channels round by round, from the newest values."""

    def __init__(self, derived: Iterable[Derived]) -> None:
        self._derived = tuple(derived)
        self._newest: dict[str, Sample] = {}

    def add(self, samples: list[Sample]) -> list[Sample]:
        """The samples of one round with what follows from them."""
        fresh = {sample.key: sample for sample in samples}
        self._newest |= fresh
        found = list(samples)
        for item in self._derived:
            held = [self._newest[key] for key in item.needs if key in self._newest]
            if len(held) < len(item.needs) or not any(key in fresh for key in item.needs):
                continue
            at = max(sample.time for sample in held)
            if any(at - sample.time > held_s(sample.key) for sample in held):
                continue
            value = float(item.compute(*(sample.value for sample in held)))
            if np.isfinite(value):
                found.append(Sample(at, item.key, value))
        return found


def with_derived(recording: Recording, derived: Iterable[Derived]) -> Recording:
    """A recording with every derived channel that it has the needs of and does not hold already: a value at each moment
    of the need that came most often, the others held."""
    channels = dict(recording.channels)
    for item in derived:
        if item.key in channels or recording.missing(item.needs):
            continue
        own = [recording.channels[key] for key in item.needs]
        times = max(own, key=lambda channel: channel.times.size).times
        values = np.asarray(item.compute(*(channel.at(times) for channel in own)), dtype=np.float64)
        good = np.isfinite(values)
        for key, channel in zip(item.needs, own, strict=True):
            place = np.searchsorted(channel.times, times, side="right") - 1
            good &= (place >= 0) & (times - channel.times[np.maximum(place, 0)] <= held_s(key))
        if good.any():
            channels[item.key] = Channel(times[good], values[good])
    return Recording(channels)
