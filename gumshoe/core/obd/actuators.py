"""Actuators that can be commanded, and what must be so before they are."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Literal

from gumshoe.core.knowledge.by_place import CAM, outcome_at, spots
from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.knowledge.values import (
    Actuator,
    Amount,
    Byte2,
    Caution,
    Number,
    PartClass,
    Percent,
    Row,
    TestName,
    Words,
)
from gumshoe.core.powertrain.description import Powertrain

FILE = Path(__file__).parent / "actuators.toml"
IDLE_RPM = (400.0, 1500.0)


@dataclass(frozen=True)
class ActuatorRow(Row):
    """One actuator; see the file's head. Commands and feedback in per cent."""

    id: str
    words: Words
    component: PartClass
    steps: tuple[Percent, ...]
    engine: Literal["off", "idle", "any"]
    feedback: Words
    hear: Words
    cautions: tuple[Caution, ...] = ()
    hold: Amount = 3.0
    gain: Number = 1.0
    tolerance: Amount = 8.0
    rest: Number = 0.0
    test: TestName = ""
    good: str = ""
    bad: str = ""
    spot: str = ""

    @property
    def seconds(self) -> float:
        """How long all steps take."""
        return self.hold * len(self.steps)


@dataclass(frozen=True)
class CommandRow(Row):
    """What a platform says of one actuator: its identifier for service 2F, and the one that tells its feedback (22)."""

    actuator: Actuator
    identifier: Byte2
    feedback: Byte2


@dataclass(frozen=True)
class ActuatorsFile(Row):
    """``actuators.toml``."""

    actuator: tuple[ActuatorRow, ...]


@cache
def actuators() -> dict[str, ActuatorRow]:
    """Every actuator by id. Raises DataError with file and line."""
    return {row.id: row for row in load_table(FILE, ActuatorsFile).actuator}


def guided(row: ActuatorRow, follows: bool, powertrain: Powertrain) -> str:
    """The outcome of the guided test that a run amounts to; empty where it tells no more than that one actuator.

    A cam that follows is not every cam; one that does not is that cam.
    """
    if not row.test:
        return ""
    if follows:
        return row.good if not row.spot or len(spots(CAM, powertrain)) == 1 else ""
    return outcome_at(row.bad, CAM, row.spot, powertrain) if row.spot else row.bad


def hindrance(row: ActuatorRow, rpm: float, speed_kmh: float) -> str:
    """Why a command must not be given now; empty when it may."""
    if speed_kmh > 0.0:
        return f"The car moves ({speed_kmh:.0f} km/h): actuators are commanded at rest only."
    if row.engine == "off" and rpm > 0.0:
        return "The engine runs: this one is commanded with the key on and the engine off."
    if row.engine == "idle" and not IDLE_RPM[0] <= rpm <= IDLE_RPM[1]:
        return f"The engine must idle for this one; it turns at {rpm:.0f} rpm."
    return ""
