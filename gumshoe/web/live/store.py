"""Samples to stored chunks and back: JSON columns, zlib-compressed."""

from __future__ import annotations

import json
import zlib
from collections.abc import Iterable

from gumshoe.core.obd.poller import Sample
from gumshoe.core.signals.recording import Recording as Samples
from gumshoe.web.live.models import Chunk, Recording


def pack(samples: Iterable[Sample]) -> bytes:
    """Columns by key; times in milliseconds after the first sample of the chunk."""
    columns: dict[str, tuple[list[int], list[float]]] = {}
    rows = list(samples)
    origin = rows[0].time if rows else 0.0
    for sample in rows:
        times, values = columns.setdefault(sample.key, ([], []))
        times.append(round((sample.time - origin) * 1000))
        values.append(round(sample.value, 4))
    return zlib.compress(json.dumps({"origin": origin, "columns": columns}, separators=(",", ":")).encode())


def unpack(data: bytes) -> list[Sample]:
    """The samples of a chunk."""
    raw = json.loads(zlib.decompress(bytes(data)))
    return [
        Sample(raw["origin"] + milliseconds / 1000.0, key, value)
        for key, (times, values) in raw["columns"].items()
        for milliseconds, value in zip(times, values, strict=True)
    ]


def append(recording: Recording, number: int, samples: list[Sample], *, last: bool = False) -> None:
    """Store one chunk."""
    Chunk.objects.create(recording=recording, number=number, data=pack(samples), last=last)


def load(recording: Recording) -> Samples:
    """A stored recording as columns."""
    return Samples.from_samples(sample for chunk in recording.chunks.all() for sample in unpack(chunk.data))
