"""How somebody gets on: shares and ratios with bands that are honest for few cases, and what to practise next."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from math import exp, log, sqrt
from statistics import mean, stdev

SPACED_DAYS = (1.0, 3.0, 7.0, 16.0, 35.0)
"""Days until a system is practised again, after so many times in a row right at first (spaced repetition: the intervals
about double; common practice of learning, round figures)."""
STUDENT = {1: 12.71, 2: 4.30, 3: 3.18, 4: 2.78, 5: 2.57, 6: 2.45, 7: 2.36, 8: 2.31, 9: 2.26, 10: 2.23}
"""Student's t for 95 % by degrees of freedom (any table of it); 1.96 in the limit."""


@dataclass(frozen=True)
class Done:
    """One attempt that was ended, as progress sees it."""

    at: datetime
    system: str
    first: bool
    cured: bool
    proven: bool
    looked_first: bool
    money: float
    best_money: float
    minutes: float
    best_minutes: float
    regret: float
    hints: int = 0

    @property
    def cost(self) -> float:
        """Its money: a car that left unmended comes back, and is then mended by the best line."""
        return self.money if self.cured else self.money + self.best_money

    @property
    def time(self) -> float:
        """Its minutes, in the same way."""
        return self.minutes if self.cured else self.minutes + self.best_minutes

    @property
    def lost(self) -> float:
        """What was lost by its steps; of a car that left unmended all that was spent on it, at the least."""
        return self.regret if self.cured else max(self.regret, self.money)


@dataclass(frozen=True)
class Band:
    """A figure with the band that holds it in nineteen of twenty."""

    value: float
    low: float
    high: float
    n: int


def share(right: int, of: int) -> Band | None:
    """A share with its band (Wilson's score interval, Journal of the American Statistical Association 22, 1927); None
    of nothing."""
    if of == 0:
        return None
    z = 1.959964
    p = right / of
    centre = (p + z * z / (2 * of)) / (1 + z * z / of)
    half = z / (1 + z * z / of) * sqrt(p * (1 - p) / of + z * z / (4 * of * of))
    return Band(p, max(centre - half, 0.0), min(centre + half, 1.0), of)


def ratio(pairs: Sequence[tuple[float, float]]) -> Band | None:
    """The geometric mean of ratios, with the band of their logarithm by Student's t; of a single one the band is told
    as open: 0 to infinity."""
    if not pairs:
        return None
    logs = [log(max(a, 1.0) / max(b, 1.0)) for a, b in pairs]
    middle = mean(logs)
    if len(logs) == 1:
        return Band(exp(middle), 0.0, float("inf"), 1)
    half = STUDENT.get(len(logs) - 1, 2.0) * stdev(logs) / sqrt(len(logs))
    return Band(exp(middle), exp(middle - half), exp(middle + half), len(logs))


@dataclass(frozen=True)
class Standing:
    """How somebody stands in one system, or in all (``system`` empty)."""

    system: str
    n: int
    first: Band | None
    money: Band | None
    minutes: Band | None
    looks: Band | None
    proves: Band | None
    regret: float
    hints: float


def standing(system: str, rows: Sequence[Done]) -> Standing:
    """Figures of some attempts."""
    return Standing(
        system,
        len(rows),
        share(sum(row.first for row in rows), len(rows)),
        ratio([(row.cost, row.best_money) for row in rows]),
        ratio([(row.time, row.best_minutes) for row in rows]),
        share(sum(row.looked_first for row in rows), len(rows)),
        share(sum(row.proven for row in rows), sum(row.cured for row in rows)) if any(r.cured for r in rows) else None,
        mean(row.lost for row in rows) if rows else 0.0,
        mean(row.hints for row in rows) if rows else 0.0,
    )


def by_system(rows: Iterable[Done]) -> list[Standing]:
    """Each system, that with the most regret first."""
    held: dict[str, list[Done]] = {}
    for row in rows:
        held.setdefault(row.system, []).append(row)
    return sorted((standing(name, found) for name, found in held.items()), key=lambda row: -row.regret)


@dataclass(frozen=True)
class Next:
    """What to practise: the system, why, and whether its day has come."""

    system: str
    why: str
    due: datetime


def next_to_practise(rows: Sequence[Done], systems: Sequence[str], now: datetime) -> Next | None:
    """The system to take next: of those whose day has come the one with most regret; then one never practised; then
    whichever is due soonest. Right at first again and again, and it comes back after longer and longer."""
    held: dict[str, list[Done]] = {}
    for row in sorted(rows, key=lambda row: row.at):
        held.setdefault(row.system, []).append(row)
    held.pop("", None)
    due: list[Next] = []
    for name, found in held.items():
        streak = 0
        for row in reversed(found):
            if not row.first:
                break
            streak += 1
        day = found[-1].at + timedelta(days=SPACED_DAYS[min(streak, len(SPACED_DAYS)) - 1] if streak else 0.0)
        regret = mean(row.lost for row in found)
        why = f"{regret:.0f} lost on average in {len(found)} exercise{'s' if len(found) != 1 else ''}"
        due.append(Next(name, why, day))
    ready = [row for row in due if row.due <= now]
    if ready:
        return max(ready, key=lambda row: mean(one.lost for one in held[row.system]))
    never = [name for name in systems if name not in held]
    if never:
        return Next(never[0], "not practised yet", now)
    return min(due, key=lambda row: row.due, default=None)
