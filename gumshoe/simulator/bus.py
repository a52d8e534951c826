"""The pair of bus wires of a stand-in: its resistance, what that costs in frames, and who is cut off.

Two terminators of 120 Ω in parallel are 60 Ω (ISO 11898-2 [S]). With one missing or one too many a short bus still
works, with a frame lost now and then (common practice).
"""

from __future__ import annotations

from gumshoe.simulator.parts import Parts

TERMINATOR_OHM = 120.0
LOST_SHARE = {2: 0.0, 1: 0.03, 3: 0.02}


def bus_ohm(parts: Parts) -> float:
    """Between the two wires with the battery off."""
    return TERMINATOR_OHM / parts.terminators


def lost_share(parts: Parts) -> float:
    """How many frames do not arrive."""
    return LOST_SHARE[parts.terminators]


def cut_off(parts: Parts, component: str) -> bool:
    """Whether a control unit has no feed, or its plug is off."""
    return component in parts.silent or component in parts.unplugged
