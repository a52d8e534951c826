"""What a feed has seen: the samples of the last hour and more, in columns of plain numbers."""

from __future__ import annotations

from array import array
from collections.abc import Iterable

import numpy as np

from gumshoe.core.obd.poller import Sample
from gumshoe.core.signals.recording import Channel

KEEP = 1_000_000
"""24 channels at 10 Hz for an hour are 864 000 samples."""


class History:
    """Samples in the order of their arrival, numbered from 1 on; the oldest quarter goes when it is full."""

    def __init__(self, keep: int = KEEP) -> None:
        self._keep = keep
        self._keys: list[str] = []
        self._place: dict[str, int] = {}
        self._times, self._values, self._which = array("d"), array("d"), array("H")
        self._gone = 0
        self.newest: dict[str, Sample] = {}

    @property
    def count(self) -> int:
        """How many have come, those that are gone with them: the cursor to ask with next."""
        return self._gone + len(self._times)

    def add(self, samples: Iterable[Sample]) -> None:
        """Keep some more."""
        for sample in samples:
            place = self._place.get(sample.key)
            if place is None:
                place = self._place[sample.key] = len(self._keys)
                self._keys.append(sample.key)
            self._times.append(sample.time)
            self._values.append(sample.value)
            self._which.append(place)
            self.newest[sample.key] = sample
        if len(self._times) > self._keep:
            quarter = self._keep // 4
            for column in (self._times, self._values, self._which):
                del column[:quarter]
            self._gone += quarter

    def since(self, cursor: int, most: int) -> list[Sample]:
        """The newest samples after ``cursor``, at most so many. A cursor that never was (of a feed before this one) is
        none."""
        cursor = cursor if cursor <= self.count else 0
        start = max(cursor - self._gone, len(self._times) - most, 0)
        columns = zip(self._times[start:], self._which[start:], self._values[start:], strict=True)
        return [Sample(time, self._keys[which], value) for time, which, value in columns]

    def columns(self, keys: Iterable[str], seconds: float | None = None) -> dict[str, Channel]:
        """Channels as columns, of the last so many seconds or all that is kept."""
        times, values = np.array(self._times), np.array(self._values)
        which = np.array(self._which)
        if seconds is not None and times.size:
            start = int(np.searchsorted(times, times[-1] - seconds))
            times, values, which = times[start:], values[start:], which[start:]
        wanted = [(key, self._place[key]) for key in keys if key in self._place]
        return {key: Channel(times[which == place], values[which == place]) for key, place in wanted}
