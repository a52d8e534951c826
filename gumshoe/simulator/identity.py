"""Which car it is, and the positions of its key."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Key(StrEnum):
    """Positions of the key."""

    OFF = "off"
    ON = "on"
    START = "start"


@dataclass(frozen=True)
class Identity:
    """What the modules say of themselves."""

    vin: str
    calibration: str
    verification: int
    name: str = "ECM-EngineControl"
