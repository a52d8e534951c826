"""Drives: what a driver does with the key and the pedal, segment by segment."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Segment:
    """Hold a road speed (km/h), or an engine speed at rest (rpm), for a time. At its start ``key`` turns the key,
    ``refuel_pct`` fills the tank so far, ``soak_h`` lets the car stand for so many hours."""

    words: str
    seconds: float
    kmh: float = 0.0
    rpm: float = 0.0
    grade: float = 0.0
    key: str | None = None
    refuel_pct: float = 0.0
    soak_h: float = 0.0


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

MIXED = start(45.0) + town(4.5) + cruise(3.6) + (Segment("idle at the kerb", 75.0),) + STOP
SHORT = start(100.0) + town(1.5) + (Segment("idle at the kerb", 70.0),) + STOP
HILL = (*start(20.0), Segment("hill", 60.0, kmh=65.0, grade=0.07), *cruise(1.0), *STOP)

SOAK = (Segment("stand overnight", 1.0, key="off", soak_h=12.0),)
MOTORWAY = (*start(20.0), Segment("join", 40.0, kmh=90.0), Segment("motorway", 420.0, kmh=115.0), *cruise(0.5), *STOP)
COAST = (
    *start(20.0),
    *(s for _ in range(4) for s in (Segment("up to speed", 40.0, kmh=80.0), Segment("coast down", 35.0, kmh=0.0))),
    *STOP,
)
REFUEL = (*STOP, Segment("fill the tank", 20.0, key="off", refuel_pct=78.0), *start(30.0), *town(3.0), *STOP)
BRIEF = start(30.0) + town(1.5) + cruise(2.4) + (Segment("idle at the kerb", 60.0),) + STOP

PIECES: dict[str, tuple[Segment, ...]] = {
    "cold_start": (Segment("idle from cold", 200.0),),
    "cold_drive": town(1.5) + town(1.5),
    "warm_up": town(3.0) + cruise(1.5, 60.0),
    "idle": (Segment("idle at the kerb", 130.0),),
    "high_idle": (Segment("hold 2500", 90.0, rpm=2500.0), Segment("let go", 15.0)),
    "town": town(6.0),
    "hill": tuple(
        s for _ in range(2) for s in (Segment("hill", 90.0, kmh=90.0, grade=0.05), Segment("down and stop", 40.0))
    ),
    "cruise": cruise(4.0),
    "motorway": (Segment("join", 40.0, kmh=90.0), Segment("motorway", 500.0, kmh=115.0), *cruise(0.5)),
    "coast": tuple(s for _ in range(4) for s in (Segment("up to speed", 40.0, kmh=80.0), Segment("coast down", 35.0))),
    "filter_burn": (Segment("join", 40.0, kmh=90.0), Segment("long fast road", 1500.0, kmh=105.0), *cruise(0.5)),
    "frame": (Segment("pull", 120.0, kmh=60.0, grade=0.03), Segment("hold 2500", 60.0, rpm=2500.0), *cruise(3.0)),
    "frame_cold": (
        *(s for _ in range(3) for s in (Segment("pull away", 20.0, kmh=45.0, grade=0.04), Segment("stop", 15.0))),
        Segment("pull", 60.0, kmh=35.0, grade=0.05),
        Segment("let go", 10.0),
    ),
}
"""Pieces of a trip between start and key off."""
FROM_COLD = {"cold_start", "cold_drive", "frame_cold"}


def trips_of(trips: tuple[tuple[str, ...], ...]) -> tuple[Segment, ...]:
    """Trips of named pieces, each from key on to key off; before one that begins cold the car stands overnight. At the
    end the key is on, to read. Raises KeyError for an unknown piece."""
    rows: list[Segment] = []
    for names in trips:
        rows += SOAK if FROM_COLD & set(names) else ()
        rows += start(20.0)
        for name in names:
            rows += PIECES[name]
        rows += STOP
    return (*rows, Segment("key on to read", 2.0, key="on"))


PROFILES: dict[str, tuple[Segment, ...]] = {
    "mixed": MIXED,
    "proof": MIXED + MIXED + (Segment("key on to read", 2.0, key="on"),),
    "short": SHORT,
    "brief": BRIEF,
    "town": start(30.0) + town(9.0) + STOP,
    "motorway": MOTORWAY,
    "hill": HILL,
    "coast": COAST,
    "refuel": REFUEL,
    "cold": SOAK + MIXED,
    "restart": STOP + start(30.0),
}
