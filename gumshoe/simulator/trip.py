"""A drive cycle: from the engine's start to key off."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass
class Trip:
    """The present or last drive cycle."""

    started: bool = False
    start_coolant_c: float = 0.0
    top_coolant_c: float = 0.0
    count: int = 0
    ran_s: float = 0.0
    fast_s: float = 0.0
    idle_s: float = 0.0
    idled: bool = False

    @property
    def general(self) -> bool:
        """Whether it was a trip that in-use counters and permanent codes count: ten minutes' running, five of them at
        40 km/h or more, half a minute's idle without a break (13 CCR 1968.2 [S], figures from memory)."""
        return self.ran_s >= 600.0 and self.fast_s >= 300.0 and self.idled

    def run(self, seconds: float, speed_kmh: float, pedal: float) -> None:
        """So much longer with the engine running."""
        self.ran_s += seconds
        self.fast_s += seconds if speed_kmh >= 40.0 else 0.0
        self.idle_s = self.idle_s + seconds if speed_kmh < 1.6 and pedal < 0.01 else 0.0
        self.idled = self.idled or self.idle_s >= 30.0
