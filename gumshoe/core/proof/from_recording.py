"""A recording as observations of a proof drive: where the engine was, and the trims; it tells neither monitors nor
codes."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from gumshoe.core.errors import BadInput
from gumshoe.core.proof.tracker import Observation
from gumshoe.core.signals.recording import Recording

NEEDED = ("rpm", "load_pct")
KEPT = (*NEEDED, "coolant_c", "speed_kmh", "stft_b1_pct", "ltft_b1_pct", "stft_b2_pct", "ltft_b2_pct")
EVERY_S = 1.0
RUNS_RPM = 400.0


def observations_of(recording: Recording) -> Iterator[Observation]:
    """One observation a second, with the values that were told last; the engine's running time is counted from its
    speed.

    Raises BadInput when the recording does not tell engine speed and load.
    """
    missing = [key for key in NEEDED if key not in recording.channels]
    if missing:
        raise BadInput(
            f"The recording does not tell {', '.join(missing)}.",
            remedies=("record engine speed and calculated load", "drive again and watch the drive"),
        )
    channels = {key: recording.channels[key] for key in KEPT if key in recording.channels}
    first = max(channels[key].times[0] for key in NEEDED)
    last = max(channel.times[-1] for channel in channels.values())
    ran = 0.0
    for moment in np.arange(first, last + EVERY_S / 2.0, EVERY_S):
        values = {}
        for key, channel in channels.items():
            place = int(np.searchsorted(channel.times, moment, side="right")) - 1
            if place >= 0:
                values[key] = float(channel.values[place])
        if values.get("rpm", 0.0) < RUNS_RPM:
            ran = 0.0
            yield Observation(0.0)
            continue
        ran += EVERY_S
        yield Observation(ran, {key: round(value, 2) for key, value in values.items()})
    yield Observation(None)
