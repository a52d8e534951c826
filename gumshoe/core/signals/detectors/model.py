"""A rule, what it finds, and the recording laid on an even grid for it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from gumshoe.core.knowledge.rows import Specification
from gumshoe.core.obd.poller import SLOW_KEYS
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.signals.derived import held_s
from gumshoe.core.signals.recording import Channel, Recording
from gumshoe.core.signals.regions import WARM_C

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]
STEP_S = 0.1
FRESH_S = 0.8
MOST_PLACES = 200_000
RUNNING_RPM = 400.0


@dataclass(frozen=True)
class Context:
    """The car a recording is of."""

    powertrain: Powertrain
    specification: Specification = field(default_factory=Specification)


@dataclass(frozen=True)
class Finding:
    """What a rule saw: in words with its figures, from when to when (the recording's own seconds).

    ``test`` and ``outcome``: the test of the library that it amounts to, and how that came out; empty when it is no
    more than worth knowing. ``good``: nothing is wrong there. ``cylinders``: those it is about, where it is about
    some (of misfires: which misfire)."""

    rule: str
    words: str
    begin: float
    end: float
    good: bool
    test: str = ""
    outcome: str = ""
    cylinders: tuple[int, ...] = ()


@dataclass(frozen=True)
class Missing:
    """A rule that could not speak: which channels the recording has not, and the test that replaces it."""

    rule: str
    words: str
    keys: tuple[str, ...]
    instead: str = ""


@dataclass(frozen=True)
class Rule:
    """A detector. ``needs``: the channels that it cannot do without, one of each alternative (``a|b``); ``instead``:
    the test by hand that replaces it. ``judge`` yields what it sees; nothing when the recording never was where it may
    speak. ``fits``: whether a powertrain has what it is about."""

    id: str
    words: str
    needs: tuple[str, ...]
    judge: Callable[[Grid, Context], Iterator[Finding]]
    instead: str = ""
    fits: Callable[[Powertrain], bool] = lambda _powertrain: True

    def missing(self, recording: Recording) -> tuple[str, ...]:
        """The needs that the recording does not fulfil."""
        found = []
        for need in self.needs:
            if all(recording.missing([key]) for key in need.split("|")):
                found.append(need.split("|")[0])
        return tuple(found)


class Grid:
    """A recording on even moments: what a channel told last, NaN where that is too long ago."""

    def __init__(self, recording: Recording) -> None:
        self.recording = recording
        firsts = [c.times[0] for c in recording.channels.values() if c.times.size]
        begin = float(min(firsts)) if firsts else 0.0
        step = max(STEP_S, recording.seconds / MOST_PLACES)
        self.times: Floats = np.asarray(begin + np.arange(int(recording.seconds / step) + 1) * step, np.float64)
        self.step = step
        self._kept: dict[str, Floats] = {}

    def __getitem__(self, key: str) -> Floats:
        if key not in self._kept:
            channel = self.recording.channels.get(key)
            self._kept[key] = self._laid(channel, key) if channel is not None else np.full(self.times.shape, np.nan)
        return self._kept[key]

    def _laid(self, channel: Channel, key: str) -> Floats:
        place = np.searchsorted(channel.times, self.times + 1e-9, side="right") - 1
        # What comes seldom is held as long as it usually takes to come again.
        usual = float(np.median(np.diff(channel.times))) if channel.times.size > 1 else 0.0
        most = max(held_s(key) if key in SLOW_KEYS else FRESH_S, 3.0 * usual)
        fresh = self.times - channel.times[np.maximum(place, 0)] <= most
        return np.where((place >= 0) & fresh, channel.values[np.maximum(place, 0)], np.nan)

    def quick(self, key: str, every_s: float) -> bool:
        """Whether a channel came often enough to see what changes that fast."""
        channel = self.recording.channels.get(key)
        if channel is None or channel.times.size < 3:
            return False
        return float(np.percentile(np.diff(channel.times), 80)) <= every_s

    def one_of(self, *keys: str) -> Floats:
        """The first of these channels that was recorded."""
        return self[next((key for key in keys if not self.recording.missing([key])), keys[0])]

    @cached_property
    def running(self) -> Bools:
        """Whether the engine runs."""
        return np.nan_to_num(self["rpm"]) > RUNNING_RPM

    @cached_property
    def standing(self) -> Bools:
        """Whether the car stands; a recording without speed is taken for standing."""
        return np.nan_to_num(self["speed_kmh"]) < 3.0

    @cached_property
    def warm(self) -> Bools:
        """Whether the coolant is warm; unknown counts as warm."""
        return np.nan_to_num(self["coolant_c"], nan=90.0) >= WARM_C

    @property
    def idle(self) -> Bools:
        """Standing and running, no pedal."""
        return self.running & self.standing & (self["rpm"] < 1400.0)

    def steady(self, key: str, within: float, seconds: float) -> Bools:
        """Where a channel has kept within a band of that width for so many seconds and keeps to it."""
        wide = max(int(seconds / self.step), 1)
        values = np.nan_to_num(self[key], nan=-1e9)
        if values.size < wide:
            return np.zeros(values.shape, dtype=np.bool_)
        windows = np.lib.stride_tricks.sliding_window_view(values, wide)
        calm = np.ptp(windows, axis=1) <= within
        found = np.zeros(values.shape, dtype=np.bool_)
        for start in np.flatnonzero(calm).tolist():
            found[start : start + wide] = True
        return found

    def stretches(self, where: Bools, least_s: float) -> list[slice]:
        """Where something holds for at least so long."""
        edges = np.flatnonzero(np.diff(np.concatenate([[False], where, [False]]).astype(np.int8)))
        found = [slice(int(a), int(b)) for a, b in zip(edges[::2], edges[1::2], strict=True)]
        return [one for one in found if (one.stop - one.start) * self.step >= least_s]

    def span(self, stretch: slice) -> tuple[float, float]:
        """From when to when a stretch lasts."""
        return float(self.times[stretch.start]), float(self.times[min(stretch.stop, len(self.times) - 1)])


def lively(values: Floats, step: float, slow_s: float = 5.0) -> Floats:
    """A signal without what changes over more than some seconds: its moving mean taken off."""
    good = np.isfinite(values)
    if good.sum() < 4:
        return np.zeros(0)
    filled = np.interp(np.arange(values.size), np.flatnonzero(good), values[good])
    wide = min(max(int(slow_s / step) | 1, 3), values.size | 1)
    padded = np.pad(filled, wide // 2, mode="edge")
    result: Floats = (filled - np.convolve(padded, np.ones(wide) / wide, mode="valid"))[: values.size]
    return result


def known(values: Floats) -> Floats:
    """The numbers among them."""
    return values[np.isfinite(values)]
