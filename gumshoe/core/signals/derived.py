"""Derived channels: pure functions of what was read."""

from __future__ import annotations

from collections.abc import Iterable

from gumshoe.core.obd.poller import Sample


def with_total_trim(samples: Iterable[Sample]) -> list[Sample]:
    """The samples of one round, with short + long trim of each bank added where both arrived (percentage points)."""
    rows = list(samples)
    newest = {sample.key: sample for sample in rows}
    for bank in (1, 2):
        short, long = newest.get(f"stft_b{bank}_pct"), newest.get(f"ltft_b{bank}_pct")
        if short and long:
            rows.append(Sample(max(short.time, long.time), f"total_trim_b{bank}_pct", short.value + long.value))
    return rows
