"""How long parts live, by make: from what the shop fitted, and which of it failed again.

A part still in its car is no failure but a lower limit (censored). The survival curve is the product-limit estimate
(Kaplan and Meier 1958, *J. Amer. Statist. Assoc.* 53, 457–481 [published]), in kilometres.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True)
class Fitted:
    """One part on record: its class and make, how far it has come (km), and whether it failed there."""

    kind: str
    make: str
    km: float
    failed: bool


@dataclass(frozen=True)
class PartLife:
    """The parts of one kind and make. ``first_km``: where the first of them failed; ``median_km``: the distance by
    which half have failed; each None while it is not so."""

    kind: str
    make: str
    fitted: int
    failed: int
    longest_km: float
    first_km: float | None = None
    median_km: float | None = None

    @property
    def words(self) -> str:
        """In one line."""
        make = self.make or "make not written down"
        told = f"{make}: {self.failed} of {self.fitted} failed"
        if self.median_km is not None:
            return told + f", half of them by {self.median_km:,.0f} km"
        if self.first_km is not None:
            return told + f", the first at {self.first_km:,.0f} km"
        return told + f", the oldest has come {self.longest_km:,.0f} km"


def survival(parts: Iterable[Fitted]) -> tuple[tuple[float, float], ...]:
    """The product-limit estimate: (km, share alive after it) at each distance at which a part failed."""
    rows = sorted(parts, key=lambda part: part.km)
    alive, at_risk, curve = 1.0, len(rows), []
    index = 0
    while index < len(rows):
        km = rows[index].km
        here = [part for part in rows[index:] if part.km == km]
        failures = sum(part.failed for part in here)
        if failures:
            alive *= 1.0 - failures / at_risk
            curve.append((km, alive))
        at_risk -= len(here)
        index += len(here)
    return tuple(curve)


def part_lives(parts: Iterable[Fitted]) -> tuple[PartLife, ...]:
    """By kind and make, the shortest-lived of each kind first."""
    groups: dict[tuple[str, str], list[Fitted]] = defaultdict(list)
    for part in parts:
        groups[part.kind, part.make.strip()].append(part)
    return in_order(_life(kind, make, rows) for (kind, make), rows in groups.items())


def _life(kind: str, make: str, rows: list[Fitted]) -> PartLife:
    curve = survival(rows)
    median = next((km for km, alive in curve if alive <= 0.5), None)
    failed, longest = sum(row.failed for row in rows), max(row.km for row in rows)
    return PartLife(kind, make, len(rows), failed, longest, curve[0][0] if curve else None, median)


def in_order(lives: Iterable[PartLife]) -> tuple[PartLife, ...]:
    """By kind, the shortest-lived of each first."""
    return tuple(sorted(lives, key=lambda life: (life.kind, -(life.failed / life.fitted), life.make)))
