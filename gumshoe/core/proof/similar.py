"""Similar conditions: within 375 rpm and 20 % load of the stored frame, same warm-up state (13 CCR 1968.2 [S])."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from gumshoe.core.signals.regions import WARM_C

SIMILAR_RPM = 375.0
SIMILAR_LOAD_PCT = 20.0
NEAR_SHARE = 0.4
"""A segment leads to a window when the two share this much of the smaller one."""
STANDING_KMH = 3.0


@dataclass(frozen=True)
class Window:
    """Where the engine must be to count as similar: engine speed (rpm), load (%), warm or not; the frame's point.

    ``standing``: the frame was stored at a standstill. Load is then what the engine asks for itself, and a cylinder
    that does not pull made the others carry it: the mended engine stands at less, so any lower load counts there."""

    rpm: tuple[float, float]
    load_pct: tuple[float, float]
    warm: bool
    point: tuple[float, float]
    standing: bool = False

    def holds(self, rpm: float, load_pct: float, coolant_c: float, speed_kmh: float | None = None) -> bool:
        """Whether a moment lies within it; a speed that is not told (None) is no standstill."""
        lighter = self.standing and speed_kmh is not None and speed_kmh < STANDING_KMH
        return (
            abs(rpm - self.point[0]) <= SIMILAR_RPM
            and (lighter or load_pct >= self.point[1] - SIMILAR_LOAD_PCT)
            and load_pct <= self.point[1] + SIMILAR_LOAD_PCT
            and (coolant_c >= WARM_C) == self.warm
        )

    def led_to_by(self, rpm: tuple[float, float], load_pct: tuple[float, float], warm: bool) -> bool:
        """Whether driving in that range usually comes here."""
        if warm != self.warm:
            return False
        shared = _overlap(self.rpm, rpm) * _overlap(self.load_pct, load_pct)
        return shared >= NEAR_SHARE * min(_area(self.rpm, self.load_pct), _area(rpm, load_pct)) > 0.0

    @property
    def words(self) -> str:
        """The window in words."""
        low, high = self.load_pct
        load = f"up to {high:.0f}" if self.standing else f"{low:.0f} to {high:.0f}"
        return (
            f"{'standing, ' if self.standing else ''}{self.rpm[0]:.0f} to {self.rpm[1]:.0f} rpm at {load} % load, "
            f"engine {'warm' if self.warm else 'cold'}"
        )


def window_of(frame: Mapping[str, float]) -> Window | None:
    """The window around a freeze frame; None where it tells neither engine speed nor load."""
    if "rpm" not in frame or "load_pct" not in frame:
        return None
    rpm, load = frame["rpm"], frame["load_pct"]
    standing = "speed_kmh" in frame and frame["speed_kmh"] < STANDING_KMH
    return Window(
        (max(rpm - SIMILAR_RPM, 0.0), rpm + SIMILAR_RPM),
        (0.0 if standing else max(load - SIMILAR_LOAD_PCT, 0.0), min(load + SIMILAR_LOAD_PCT, 100.0)),
        frame.get("coolant_c", 0.0) >= WARM_C,
        (rpm, load),
        standing,
    )


def _overlap(a: tuple[float, float], b: tuple[float, float]) -> float:
    return max(min(a[1], b[1]) - max(a[0], b[0]), 0.0)


def _area(rpm: tuple[float, float], load_pct: tuple[float, float]) -> float:
    return (rpm[1] - rpm[0]) * (load_pct[1] - load_pct[0])
