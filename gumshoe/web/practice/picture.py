"""The picture of a debrief: how likely the truth was said to be over the clock, on each line of work."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from gumshoe.practice.debrief import Debrief

WIDTH, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 860.0, 300.0, 46.0, 16.0, 14.0, 40.0
TICKS = (15, 30, 60, 120, 240, 480, 960)
MOST_TICKS = 8


@dataclass(frozen=True)
class Dot:
    """A step on a line: its place, and what it was."""

    x: float
    y: float
    words: str
    repair: bool


@dataclass(frozen=True)
class Drawn:
    """One line as steps: points of an SVG polyline, its dots, a name and a kind for its look."""

    name: str
    kind: str
    points: str
    dots: tuple[Dot, ...]


@dataclass(frozen=True)
class Picture:
    """All of it: lines, and ticks of both axes with their words."""

    width: float
    height: float
    lines: tuple[Drawn, ...]
    across: tuple[tuple[float, str], ...]
    up: tuple[tuple[float, str], ...]
    left: float
    right: float
    base: float
    top: float


def picture(told: Debrief) -> Picture:
    """Draw the trainee's line, the best line and *most frequent fix first* on one clock."""
    own = [
        (row.clock, row.after, row.words, row.did == "repair") for row in told.rows if row.minutes or row.did == "proof"
    ]
    best = [(mark.minutes, mark.truth, mark.words, mark.kind == "repair") for mark in told.best.marks]
    often = [(mark.minutes, mark.truth, mark.words, mark.kind == "repair") for mark in told.frequent.marks]
    most = max((row[0] for row in (*own, *best, *often)), default=60.0) * 1.03
    begin = told.rows[0].before if told.rows else 0.0
    step = next((tick for tick in TICKS if most / tick <= MOST_TICKS), TICKS[-1])

    def x(minutes: float) -> float:
        return round(LEFT + (WIDTH - LEFT - RIGHT) * minutes / most, 1)

    return Picture(
        WIDTH,
        HEIGHT,
        tuple(
            _line(name, kind, rows, begin, x)
            for name, kind, rows in (
                ("most frequent fix first", "often", often),
                ("the best line", "best", best),
                ("this attempt", "own", own),
            )
        ),
        tuple((x(minute), f"{minute} min") for minute in range(0, int(most) + 1, step)),
        tuple((_y(share), f"{share:.0%}".replace("%", " %")) for share in (0.0, 0.25, 0.5, 0.75, 1.0)),
        LEFT,
        WIDTH - RIGHT,
        HEIGHT - BOTTOM,
        TOP,
    )  # fmt: skip


def _y(share: float) -> float:
    return round(HEIGHT - BOTTOM - (HEIGHT - TOP - BOTTOM) * share, 1)


def _line(name: str, kind: str, rows: Iterable[tuple[float, float, str, bool]], begin: float, x: object) -> Drawn:
    """A line goes level while a step is made, and up or down at its end."""
    assert callable(x)
    places, dots, level = [f"{x(0.0)},{_y(begin)}"], list[Dot](), begin
    for minutes, share, words, repair in rows:
        places += [f"{x(minutes)},{_y(level)}", f"{x(minutes)},{_y(share)}"]
        dots.append(Dot(x(minutes), _y(share), f"{words}: {share:.0%}".replace("%", " %"), repair))
        level = share
    return Drawn(name, kind, " ".join(places), tuple(dots))
