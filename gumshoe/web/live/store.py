"""Samples to stored blocks and back."""

from __future__ import annotations

import json
import zlib
from collections.abc import Iterable, Mapping

import numpy as np

from gumshoe.core.obd.poller import Sample
from gumshoe.core.signals import packing
from gumshoe.core.signals.recording import Channel
from gumshoe.core.signals.recording import Recording as Samples
from gumshoe.web.accounts.models import User
from gumshoe.web.cases.models import Case
from gumshoe.web.live.models import Chunk, Recording

BLOCK = 20_000
"""Samples of a block when a whole recording is stored at once."""


def append(recording: Recording, number: int, samples: list[Sample], *, last: bool = False) -> None:
    """Store one block."""
    data = packing.pack(samples, recording.keys, recording.channels)
    Chunk.objects.create(recording=recording, number=number, data=data, last=last)
    Case.entered(recording.case_id)


def load(recording: Recording) -> Samples:
    """A stored recording as columns."""
    parts: dict[str, list[Channel]] = {}
    for chunk in recording.chunks.all():
        for key, channel in _block(bytes(chunk.data), recording).items():
            parts.setdefault(key, []).append(channel)
    return Samples(
        {
            key: Channel(np.concatenate([c.times for c in rows]), np.concatenate([c.values for c in rows]))
            for key, rows in parts.items()
        }
    )


def keep(case: Case, user: User, samples: Samples, steps: Mapping[str, float], **facts: str) -> Recording:
    """Store a whole recording at once: imported, or cut from another."""
    channels = {key: steps.get(key, 0.0) for key in samples.channels}
    recording: Recording = Recording.objects.create(case=case, by=user, channels=channels, **facts)
    fill(recording, samples)
    return recording


def fill(recording: Recording, samples: Samples) -> None:
    """Store the blocks of a recording that has none yet."""
    blocks = list(_cut(samples)) or [{}]
    Chunk.objects.bulk_create(
        Chunk(
            recording=recording,
            number=number,
            data=packing.pack_columns(block, recording.keys, recording.channels),
            last=number == len(blocks) - 1,
        )
        for number, block in enumerate(blocks)
    )
    Case.entered(recording.case_id)


def _cut(samples: Samples) -> Iterable[dict[str, Channel]]:
    """Blocks by time, each of about ``BLOCK`` samples and at most a minute."""
    total = sum(channel.times.size for channel in samples.channels.values())
    if not total:
        return
    seconds = min(max(samples.seconds * BLOCK / total, 1.0), 60.0)
    places = dict.fromkeys(samples.channels, 0)
    while True:  # from sample to sample, not from minute to minute: a hole of years costs nothing
        left = [float(row.times[places[key]]) for key, row in samples.channels.items() if places[key] < row.times.size]
        if not left:
            return
        edge, found = max(min(left) + seconds, float(np.nextafter(min(left), np.inf))), {}
        for key, channel in samples.channels.items():
            first = places[key]
            end = max(int(np.searchsorted(channel.times, edge)), first)
            if end > first:
                found[key], places[key] = Channel(channel.times[first:end], channel.values[first:end]), end
        yield found


def _block(data: bytes, recording: Recording) -> dict[str, Channel]:
    if data.startswith(packing.MAGIC):
        return packing.unpack(data, recording.keys, recording.channels)
    raw = json.loads(zlib.decompress(data))  # blocks of before: columns in JSON
    return {
        key: Channel(raw["origin"] + np.array(times, dtype=np.float64) / 1000.0, np.array(values, dtype=np.float64))
        for key, (times, values) in raw["columns"].items()
    }
