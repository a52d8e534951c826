"""What an on-board monitor is, and what it may look at."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from gumshoe.simulator.control import EngineManagement
from gumshoe.simulator.memory import Memory
from gumshoe.simulator.models import Model
from gumshoe.simulator.parts import Parts
from gumshoe.simulator.sensors import Readings

Frame = Callable[[], dict[str, float]]


@dataclass
class Watch:
    """What every monitor may look at."""

    seen: Readings
    management: EngineManagement
    memory: Memory
    frame: Frame
    parts: Parts
    missed: list[int] = field(default_factory=list)
    """Cylinders (0-based) in which the crank slowed like a misfire in this step, as the control unit judges."""
    turns: float = 0.0

    @property
    def model(self) -> Model:
        return self.management.model

    @property
    def running(self) -> bool:
        return self.seen.rpm > 450.0


class Monitor:
    """One watcher; ``step`` runs 50 times a second while the key is on, ``start`` at every engine start."""

    def start(self) -> None:
        """A new drive cycle begins."""

    def step(self, watch: Watch) -> None:
        """Look at the readings of this step."""
