"""A recording: columns with their own time stamps, because channels answer at different moments."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from gumshoe.core.obd.poller import Sample

Floats = NDArray[np.float64]
MOST_REACH_S = 7 * 86_400.0


@dataclass(frozen=True)
class Channel:
    """One channel: ``times`` in seconds (any origin, rising) and ``values`` in the channel's unit, same length."""

    times: Floats
    values: Floats

    def at(self, moments: Floats) -> Floats:
        """The last value known at each moment (sample and hold); NaN before the first."""
        if self.times.size == 0:
            return np.full(moments.shape, np.nan)
        place = np.searchsorted(self.times, moments, side="right") - 1
        return np.where(place >= 0, self.values[np.maximum(place, 0)], np.nan)


@dataclass(frozen=True)
class Recording:
    """Channels by key."""

    channels: dict[str, Channel] = field(default_factory=dict)

    @classmethod
    def from_samples(cls, samples: Iterable[Sample]) -> Recording:
        """Sort samples into columns; unordered or repeated time stamps are put right."""
        columns: dict[str, list[tuple[float, float]]] = {}
        for sample in samples:
            columns.setdefault(sample.key, []).append((sample.time, sample.value))
        channels = {}
        for key, rows in columns.items():
            table = np.array(sorted(rows), dtype=np.float64)
            channels[key] = Channel(table[:, 0], table[:, 1])
        return cls(channels)

    @classmethod
    def sorted(cls, columns: Mapping[str, Channel]) -> Recording:
        """Columns put in order of their time stamps; what is no number is left out, and so is an empty channel."""
        channels = {}
        for key, channel in columns.items():
            good = np.isfinite(channel.times) & np.isfinite(channel.values)
            times, values = (
                (channel.times, channel.values) if good.all() else (channel.times[good], channel.values[good])
            )
            if times.size and bool((np.diff(times) < 0.0).any()):
                order = np.argsort(times, kind="stable")
                times, values = times[order], values[order]
            if times.size:
                channels[key] = Channel(times, values)
        return cls(channels)

    def within_reach(self) -> tuple[Recording, int]:
        """The recording without time stamps that no recording has (farther than a week from its middle), and how many
        there were: one wild stamp would make it years long."""
        times = [channel.times for channel in self.channels.values() if channel.times.size]
        if not times:
            return self, 0
        middle = float(np.median(np.concatenate(times)))
        kept, gone = {}, 0
        for key, channel in self.channels.items():
            near = np.abs(channel.times - middle) <= MOST_REACH_S
            gone += int(channel.times.size - near.sum())
            if near.any():
                kept[key] = channel if near.all() else Channel(channel.times[near], channel.values[near])
        return (Recording(kept) if gone else self), gone

    def missing(self, keys: Iterable[str]) -> tuple[str, ...]:
        """Keys that were not recorded."""
        return tuple(key for key in keys if key not in self.channels or self.channels[key].times.size == 0)

    @property
    def seconds(self) -> float:
        """Time covered, first to last sample of any channel."""
        firsts = [c.times[0] for c in self.channels.values() if c.times.size]
        lasts = [c.times[-1] for c in self.channels.values() if c.times.size]
        return float(max(lasts) - min(firsts)) if firsts else 0.0
