"""What an on-board monitor is, and what it may look at."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from gumshoe.simulator.control import EngineManagement
from gumshoe.simulator.electrics import Electrics
from gumshoe.simulator.engine import DT
from gumshoe.simulator.memory import Memory
from gumshoe.simulator.models import CarModel
from gumshoe.simulator.sensors import Readings

Frame = Callable[[], dict[str, float]]


@dataclass
class Watch:
    """What every monitor may look at."""

    seen: Readings
    management: EngineManagement
    memory: Memory
    frame: Frame
    electrics: Electrics
    missed: list[int] = field(default_factory=list)
    """Cylinders (0-based) in which the crank slowed like a misfire in this step, as the control unit judges."""
    turns: float = 0.0
    cranking: bool = False

    @property
    def model(self) -> CarModel:
        return self.management.model

    @property
    def running(self) -> bool:
        return self.seen.rpm > 450.0


SLOW_EVERY = 5
SLOW_S = SLOW_EVERY * DT
"""How often what changes over seconds is looked at."""


class Monitor:
    """One watcher; ``step`` runs 50 times a second while the key is on, ``start`` at every engine start."""

    def start(self) -> None:
        """A new drive cycle begins."""

    def step(self, watch: Watch) -> None:
        """Look at the readings of this step."""


class SlowMonitor(Monitor):
    """One whose ``step`` runs every ``SLOW_S``: what it watches lasts for seconds."""


class Lasting:
    """How long something has lasted, looked at every ``step_s``: true once, when it has lasted ``hold_s``."""

    def __init__(self, hold_s: float, step_s: float = SLOW_S) -> None:
        self.hold_s, self.step_s, self.seconds = hold_s, step_s, 0.0

    def reached(self, bad: bool) -> bool:
        """Whether it has just lasted long enough."""
        before = self.seconds
        self.seconds = self.seconds + self.step_s if bad else 0.0
        return before < self.hold_s <= self.seconds + 1e-9
