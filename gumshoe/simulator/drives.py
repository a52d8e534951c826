"""Drives: what a driver does with the key and the pedal, segment by segment."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Segment:
    """Hold a road speed (km/h), or an engine speed at rest (rpm), for a time; ``key`` turns the key at its start."""

    words: str
    seconds: float
    kmh: float = 0.0
    rpm: float = 0.0
    grade: float = 0.0
    key: str | None = None


def start(idle_s: float) -> tuple[Segment, ...]:
    """Key on, start, idle."""
    return (Segment("key on", 2.0, key="on"), Segment("start and idle", idle_s, key="start"))


def town(minutes: float) -> tuple[Segment, ...]:
    """Stop and go with a stop of 25 s in every 90."""
    rows: list[Segment] = []
    for number in range(round(minutes * 60 / 90)):
        rows += [
            Segment("pull away", 25.0, kmh=34.0 + 8.0 * (number % 2)),
            Segment("town", 25.0, kmh=48.0),
            Segment("brake", 15.0, kmh=0.0),
            Segment("stand at the lights", 25.0),
        ]
    return tuple(rows)


def cruise(minutes: float, kmh: float = 75.0) -> tuple[Segment, ...]:
    """Steady road, then coast down and stop."""
    return (Segment("cruise", minutes * 60.0, kmh=kmh), Segment("coast down and stop", 30.0, kmh=0.0))


STOP = (Segment("key off", 12.0, key="off"),)

MIXED = start(45.0) + town(4.5) + cruise(3.0) + (Segment("idle at the kerb", 75.0),) + STOP
SHORT = start(100.0) + town(1.5) + (Segment("idle at the kerb", 70.0),) + STOP
HILL = (*start(20.0), Segment("hill", 60.0, kmh=65.0, grade=0.07), *cruise(1.0), *STOP)

PROFILES: dict[str, tuple[Segment, ...]] = {
    "mixed": MIXED,
    "proof": MIXED + MIXED + (Segment("key on to read", 2.0, key="on"),),
    "short": SHORT,
    "hill": HILL,
    "restart": STOP + start(30.0),
}
