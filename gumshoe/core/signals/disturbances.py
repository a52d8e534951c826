"""Spikes, drop-outs and gaps of a channel, whatever its level: judged by its own steps, not by a threshold.

A robust scale of the steps from sample to sample (median absolute deviation, scaled to a standard deviation: Rousseeuw
& Croux, J. Am. Stat. Assoc. 88(424), 1993) says what is usual; a disturbance goes far beyond it and comes back.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from gumshoe.core.signals.recording import Channel

Floats = NDArray[np.float64]
FAR = 12.0
"""So many times its usual step a value must jump away and back."""
MOST_SAMPLES, MOST_S = 8, 1.0
"""A disturbance is over within these; what stays is a change."""
LOST_SHARE = 0.1
"""A value that falls to this share of its level, or to the end of its range, is lost rather than disturbed."""
GAP_TIMES, GAP_S = 6.0, 1.0
LEAST = 8
STILL = 0.1
MAD = 1.4826


class Kind(StrEnum):
    """What happened to the signal."""

    SPIKE = "spike"
    DROP_OUT = "drop-out"
    GAP = "no data"


@dataclass(frozen=True)
class Disturbance:
    """One of them: from and to (the channel's own seconds), and the value farthest away (NaN for a gap)."""

    kind: Kind
    begin: float
    end: float
    value: float


def disturbances(channel: Channel, step: float = 0.0, ends: tuple[float, float] | None = None) -> list[Disturbance]:
    """Every disturbance in order of time. ``step``: how finely the channel is told; ``ends``: the lowest and highest
    value it can have, where a lost signal goes."""
    times, values = channel.times, channel.values
    if times.size < LEAST:
        return []
    return sorted([*_gaps(times), *_jumps(times, values, step, ends)], key=lambda item: item.begin)


def usual_step(values: Floats, step: float = 0.0) -> float:
    """The robust scale of a signal's steps; never below how finely it is told, nor a thousandth of its level."""
    apart = np.abs(np.diff(values))
    moved = apart[apart > 0.0]
    # A signal that mostly stands still has no usual step but how finely it is told.
    scale = MAD * float(np.median(moved)) if moved.size > STILL * apart.size else 0.0
    spread = float(np.percentile(values, 75) - np.percentile(values, 25))
    return max(scale, step, 0.02 * spread, 1e-3 * float(np.median(np.abs(values))), 1e-9)


def _gaps(times: Floats) -> list[Disturbance]:
    apart = np.diff(times)
    usual = float(np.median(apart))
    places = np.flatnonzero(apart > max(GAP_TIMES * usual, GAP_S))
    return [Disturbance(Kind.GAP, float(times[i]), float(times[i + 1]), float("nan")) for i in places]


def _jumps(times: Floats, values: Floats, step: float, ends: tuple[float, float] | None) -> list[Disturbance]:
    far = FAR * usual_step(values, step)
    apart = np.diff(values)
    found: list[Disturbance] = []
    place, last = 0, len(values)
    starts = np.flatnonzero(np.abs(apart) > far)
    for start in starts.tolist():
        if start < place:
            continue
        before, side = values[start], np.sign(apart[start])
        back = None
        for end in range(start + 2, min(start + 2 + MOST_SAMPLES, last)):
            if times[end] - times[start + 1] > MOST_S:
                break
            if side * (values[end] - before) < 0.35 * side * (values[start + 1] - before):
                back = end
                break
        if back is None:
            continue
        away = values[start + 1 : back]
        worst = float(away[np.argmax(np.abs(away - before))])
        found.append(Disturbance(_kind(worst, float(before), ends), float(times[start + 1]), float(times[back]), worst))
        place = back
    return found


def _kind(worst: float, before: float, ends: tuple[float, float] | None) -> Kind:
    if ends is not None and (worst <= ends[0] or worst >= ends[1]):
        return Kind.DROP_OUT
    return Kind.DROP_OUT if abs(worst) <= LOST_SHARE * abs(before) else Kind.SPIKE
