"""The driver of a stand-in: a wanted speed turned into pedal and brake."""

from __future__ import annotations

from dataclasses import dataclass

from gumshoe.simulator.engine import DT

DRIVERS = {"calm": 0.7, "usual": 1.0, "brisk": 1.6}
"""How hasty they are."""


@dataclass
class Driver:
    """Hands and feet: a wanted speed, or a wanted engine speed at rest, turned into pedal and brake. ``haste``: how
    much of the pedal is used for a difference, and how quickly (1: as usual)."""

    want_kmh: float = 0.0
    want_rpm: float = 0.0
    haste: float = 1.0
    pedal: float = 0.0
    brake: float = 0.0
    integral: float = 0.0

    def act(self, rpm: float, speed_kmh: float) -> None:
        """Move the feet for this step."""
        if self.want_kmh > 0.5 or speed_kmh > 1.0:
            error = self.want_kmh - speed_kmh
            self.integral = min(max(self.integral + 0.004 * error * DT, 0.0), 0.6)
            wish = 0.012 * self.haste * error + self.integral
            if self.want_kmh < 0.5:
                wish, self.integral = -1.0, 0.0
            wanted = min(max(wish, 0.0), min(0.35 * self.haste, 0.8) if speed_kmh < 12.0 else 0.8)
            self.pedal += min(max(wanted - self.pedal, -0.04), 0.008 * self.haste)
            self.brake = 0.25 if error < -2.0 else (0.10 if error < -0.8 and self.want_kmh < 0.5 else 0.0)
        elif self.want_rpm > 0.0:
            error = self.want_rpm - rpm
            self.integral = min(max(self.integral + 0.00002 * error * DT, 0.0), 0.2)
            wanted = min(max(self.integral + 0.00002 * error, 0.0), 0.5)
            self.pedal += min(max(wanted - self.pedal, -0.02), 0.01)
            self.brake = 0.0
        else:
            self.pedal = max(0.0, self.pedal - 0.05)
            self.integral = 0.0
