"""Derived channels: pure functions of what was read."""

from __future__ import annotations

from collections.abc import Iterable

from gumshoe.core.obd.poller import Sample


def with_total_trim(samples: Iterable[Sample]) -> list[Sample]:
    """The samples of one round, with short + long trim of bank 1 added where both arrived (percentage points)."""
    rows = list(samples)
    newest = {sample.key: sample for sample in rows}
    short, long = newest.get("stft_b1_pct"), newest.get("ltft_b1_pct")
    if short and long:
        rows.append(Sample(max(short.time, long.time), "total_trim_b1_pct", short.value + long.value))
    return rows
