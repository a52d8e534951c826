"""Samples as compact bytes and back, exactly: a second of a recording is a block of its own.

A block holds an origin, time columns (milliseconds after it; channels of one answer share theirs) and channels. Values
are whole multiples of how finely their channel is told, so their steps from one to the next are small whole numbers;
what is no such multiple is kept as it is. All of it through zlib.
"""

from __future__ import annotations

import struct
import zlib
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gumshoe.core.errors import BadInput
from gumshoe.core.obd.poller import Sample
from gumshoe.core.signals.recording import Channel

Floats = NDArray[np.float64]
MAGIC = b"GS2"
HEAD, TIMES, ROW = struct.Struct("<dHH"), struct.Struct("<II"), struct.Struct("<HHc")
WHOLE: dict[bytes, np.dtype[Any]] = {kind.encode(): np.dtype(f"<{kind}") for kind in ("b", "h", "i", "q")}
AS_IT_IS = b"d"
SMALLEST = 1e-9
MOST_WHOLE = 2.0**39


def pack(samples: Iterable[Sample], keys: Sequence[str], steps: Mapping[str, float]) -> bytes:
    """One block of samples as they came; see ``pack_columns``."""
    columns: dict[str, tuple[list[float], list[float]]] = {}
    for sample in samples:
        times, values = columns.setdefault(sample.key, ([], []))
        times.append(sample.time)
        values.append(sample.value)
    return pack_columns({key: Channel(np.array(t), np.array(v)) for key, (t, v) in columns.items()}, keys, steps)


def pack_columns(columns: Mapping[str, Channel], keys: Sequence[str], steps: Mapping[str, float]) -> bytes:
    """One block. ``keys``: the recording's channels, told by their place among them; ``steps``: how finely each is
    told. Raises BadInput for a channel that is not among the keys."""
    place = {key: number for number, key in enumerate(keys)}
    for key in columns:
        if key not in place:
            raise BadInput(f"The recording has no channel “{key}”.")
    origin = min((float(channel.times[0]) for channel in columns.values()), default=0.0)
    groups: dict[bytes, int] = {}
    bodies: list[bytes] = []
    for key, channel in columns.items():
        ticks = np.rint((channel.times - origin) * 1000.0).astype("<i4")
        group = groups.setdefault(ticks.tobytes(), len(groups))
        kind, body = _values(channel.values, steps.get(key, 0.0))
        bodies.append(ROW.pack(place[key], group, kind) + body)
    head = HEAD.pack(origin, len(groups), len(bodies))
    times = b"".join(_times(np.frombuffer(ticks, dtype="<i4")) for ticks in groups)
    return MAGIC + zlib.compress(head + times + b"".join(bodies), 9)


def unpack(data: bytes, keys: Sequence[str], steps: Mapping[str, float]) -> dict[str, Channel]:
    """The channels of a block. Raises BadInput when it is not one."""
    if data[: len(MAGIC)] != MAGIC:
        raise BadInput("This is no block of a recording.")
    try:
        body = zlib.decompress(data[len(MAGIC) :])
        origin, groups, rows = HEAD.unpack_from(body)
        at = HEAD.size
        times: list[Floats] = []
        for _ in range(groups):
            first, count = TIMES.unpack_from(body, at)
            at += TIMES.size
            apart = np.frombuffer(body, dtype="<u2", count=max(count - 1, 0), offset=at)
            at += apart.nbytes
            times.append(origin + (first + np.concatenate([[0], np.cumsum(apart, dtype=np.int64)])) / 1000.0)
        found = {}
        for _ in range(rows):
            number, group, kind = ROW.unpack_from(body, at)
            at += ROW.size
            values, at = _read(body, at, kind, len(times[group]), steps.get(keys[number], 0.0))
            found[keys[number]] = Channel(times[group], values)
    except (zlib.error, struct.error, ValueError, IndexError, KeyError) as error:
        raise BadInput("A block of the recording is damaged.") from error
    return found


def _times(ticks: NDArray[np.int32]) -> bytes:
    """First tick, count, and how far each lies after the one before it (at most a minute within a block)."""
    apart = np.clip(np.diff(ticks), 0, 0xFFFF).astype("<u2")
    return TIMES.pack(int(ticks[0]), len(ticks)) + apart.tobytes()


def _values(values: Floats, step: float) -> tuple[bytes, bytes]:
    if step > 0.0:
        whole = np.rint(values / step)
        apart_from = np.abs(whole * step - values)
        if bool(np.all((apart_from <= SMALLEST * np.maximum(1.0, np.abs(values))) & (np.abs(whole) < MOST_WHOLE))):
            raised = whole.astype(np.int64)
            apart = np.diff(raised)
            most = int(np.abs(apart).max()) if apart.size else 0
            kind = next(kind for kind, dtype in WHOLE.items() if most <= np.iinfo(dtype).max)
            return kind, struct.pack("<q", int(raised[0]))[:5] + apart.astype(WHOLE[kind]).tobytes()
    return AS_IT_IS, values.astype("<f8").tobytes()


def _read(body: bytes, at: int, kind: bytes, count: int, step: float) -> tuple[Floats, int]:
    if kind == AS_IT_IS:
        values = np.frombuffer(body, dtype="<f8", count=count, offset=at)
        return values.astype(np.float64), at + values.nbytes
    first = int.from_bytes(body[at : at + 5], "little", signed=True)
    apart = np.frombuffer(body, dtype=WHOLE[kind], count=count - 1, offset=at + 5)
    whole = first + np.concatenate([[0], np.cumsum(apart, dtype=np.int64)])
    return whole * step, at + 5 + apart.nbytes
