"""A command against its feedback: does it follow, how fast, or does it stand still.

The gain is a least-squares line through the settled ends of the steps, the lag the shift that fits best (cross-checked
by trying every shift: no linear model is assumed). Limits: common practice, no source.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from gumshoe.core.errors import BadInput

Floats = NDArray[np.float64]
CONSTANT = 0.08
"""A feedback that moves less than this share of the command's travel stands still."""
LAG_S = 0.8
"""A settled actuator is there within this time."""
MOST_LAG_S, TRY_S = 3.0, 0.05


class Follows(StrEnum):
    """How a feedback stands to its command."""

    FOLLOWS = "follows"
    LAGS = "follows late"
    SHORT = "does not reach its ends"
    STUCK = "stands still"


SAID = {
    Follows.FOLLOWS: "The feedback follows the command: actuator, wires and driver work.",
    Follows.LAGS: "The feedback follows late: it sticks, or its supply (oil, voltage) is weak.",
    Follows.SHORT: "The feedback does not reach its ends: it binds, or its sensor is off.",
    Follows.STUCK: "The feedback stands still whatever is commanded: measure its circuit; with feed, ground and command"
    " good it is the actuator.",
}
"""What each means (common practice)."""


@dataclass(frozen=True)
class Response:
    """Verdict, gain (feedback over command, both in their own units), lag in s, worst error in the feedback's unit."""

    verdict: Follows
    gain: float
    lag_s: float
    worst: float
    travel: float


def best_lag(
    times: Floats, command: Floats, feedback: Floats, most_s: float = MOST_LAG_S
) -> tuple[float, float, float]:
    """(lag in s, gain, offset) of the straight line from the shifted command to its feedback that fits best."""
    best = (np.inf, 0.0, 0.0, float(np.mean(feedback)))
    for shift in np.arange(0.0, most_s + 1e-9, TRY_S).tolist():
        held = _held(times, command, shift)
        moved = held - held.mean()
        power = float(moved @ moved)
        gain = float(moved @ feedback) / power if power > 0.0 else 0.0
        offset = float(np.mean(feedback)) - gain * float(held.mean())
        error = float(np.mean((gain * held + offset - feedback) ** 2))
        if error < best[0]:
            best = (error, shift, gain, offset)
    return best[1], best[2], best[3]


def judge(
    times: Floats, command: Floats, feedback: Floats, *, expected: float = 1.0, tolerance: float = 8.0
) -> Response:
    """Judge a stepped command. ``expected``: the feedback's travel for a command's travel of one; ``tolerance`` in the
    feedback's unit. Raises BadInput when nothing was commanded."""
    wanted = float(np.ptp(command))
    if len(times) < 5 or wanted <= 0.0:
        raise BadInput("Nothing was stepped: the command never changed.", remedies=("take at least two steps",))
    travel = float(np.ptp(feedback))
    if travel < CONSTANT * wanted * abs(expected):
        return Response(Follows.STUCK, 0.0, 0.0, float(np.max(np.abs(feedback - np.median(feedback)))), travel)
    lag, gain, _ = best_lag(times, command, feedback)
    held = _held(times, command, lag)
    settled = _settled(times, command, LAG_S)
    offset = float(np.median(feedback - expected * held))
    worst = float(np.max(np.abs(expected * held + offset - feedback)[settled])) if settled.any() else 0.0
    if lag > LAG_S:
        verdict = Follows.LAGS
    elif abs(gain) < 0.7 * abs(expected) or worst > max(tolerance, 0.2 * wanted * abs(expected)):
        verdict = Follows.SHORT
    else:
        verdict = Follows.FOLLOWS
    return Response(verdict, gain, lag, worst, travel)


def _held(times: Floats, command: Floats, shift: float) -> Floats:
    """The command as it stood ``shift`` seconds before each time: a step stands until the next, however few samples
    lie between."""
    result: Floats = command[np.maximum(np.searchsorted(times, times - shift + 1e-9, side="right") - 1, 0)]
    return result


def _settled(times: Floats, command: Floats, after: float) -> NDArray[np.bool_]:
    """Samples whose command has stood for longer than ``after``."""
    changed = np.r_[times[0], times[1:][np.diff(command) != 0.0]]
    last = changed[np.searchsorted(changed, times, side="right") - 1]
    result: NDArray[np.bool_] = times - last > after
    return result
