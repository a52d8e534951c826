"""Is a case a comeback? The same code, or the same part, within the warranty of an earlier repair of this vehicle."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from gumshoe.core.words import measured

WARRANTY_MONTHS, WARRANTY_KM = 24, 40_000.0
"""Where nothing else was agreed (common practice; the law of the place comes first)."""


@dataclass(frozen=True)
class Warranty:
    """What was given on a repair: months and kilometres, whichever ends first."""

    months: int = WARRANTY_MONTHS
    km: float = WARRANTY_KM


@dataclass(frozen=True)
class Done:
    """An earlier repair: case, codes it was to cure, what was done to which part, make, when and at how many km."""

    case: str
    codes: frozenset[str]
    words: str
    component: str
    make: str
    on: date
    odometer_km: float | None
    warranty: Warranty = Warranty()


@dataclass(frozen=True)
class Comeback:
    """The earlier repair and how far back it lies; ``covered``: within its warranty."""

    done: Done
    months: int
    km: float | None
    covered: bool
    because: str

    @property
    def words(self) -> str:
        """What to tell at intake."""
        far = "" if self.km is None else f" and {measured(self.km, 'km')}"
        part = f" ({self.done.make})" if self.done.make else ""
        age = "this month" if self.months < 1 else f"{self.months} month{'' if self.months == 1 else 's'}{far} ago"
        cover = "within its warranty: claim it before anything is sold" if self.covered else "its warranty has run out"
        return f"{self.because}: {self.done.words}{part}, case {self.done.case}, {age}; {cover}."


def months_between(earlier: date, later: date) -> int:
    """Whole months."""
    return (later.year - earlier.year) * 12 + later.month - earlier.month - (later.day < earlier.day)


def comebacks(
    done: Iterable[Done], codes: Iterable[str], components: Iterable[str], today: date, odometer_km: float | None
) -> tuple[Comeback, ...]:
    """Earlier repairs that this case may be the comeback of, the newest first.

    ``codes``: what the car holds now; ``components``: the parts that are suspected or condemned now.
    """
    now, parts = set(codes), set(components)
    found = []
    for row in done:
        same = sorted(now & row.codes)
        if same:
            because = f"{', '.join(same)} was here before"
        elif row.component in parts:
            because = "The same part was renewed before"
        else:
            continue
        months = months_between(row.on, today)
        km = odometer_km - row.odometer_km if odometer_km is not None and row.odometer_km is not None else None
        covered = months < row.warranty.months and (km is None or km <= row.warranty.km)
        found.append(Comeback(row, months, km, covered, because))
    return tuple(sorted(found, key=lambda item: item.done.on, reverse=True))
