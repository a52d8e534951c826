"""How often each suspect is behind a lamp before anything is known of the case: its rate in the tables, grown with what
the car has behind it, as often as where it lives, and as the shop has learnt; each step with its words."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from math import prod

import numpy as np

from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.expanded import EXPECTED_FAULTS
from gumshoe.core.knowledge.values import Climate, Standing
from gumshoe.core.suspects.likelihood import Floats

TYPICAL_KM = 80_000.0
TYPICAL_YEARS = 8.0
"""What the rates of the tables are written for."""
LEAST_OWN = 0.10
"""A technician's own suspect is lifted to at least so much."""
WORTH_SAYING = 0.05
"""A factor closer to one than that is not told."""


@dataclass(frozen=True)
class BaseRate:
    """A rate of the tables and what it was multiplied by, in words."""

    rate: float
    standing: Standing
    factors: tuple[tuple[str, float], ...]

    @property
    def grown(self) -> float:
        """The rate with all its factors."""
        return self.rate * prod(factor for _, factor in self.factors)

    @property
    def told(self) -> tuple[tuple[str, float], ...]:
        """The factors that change anything."""
        return tuple((words, factor) for words, factor in self.factors if abs(factor - 1.0) > WORTH_SAYING)


def base_rate(
    knowledge: Knowledge,
    fault: str,
    odometer_km: float | None = None,
    age_years: float | None = None,
    climate: Climate = Climate.TEMPERATE,
    learned: Mapping[str, float] | None = None,
) -> BaseRate:
    """The rate of one suspect. ``learned``: factors from the shop's own proven repairs."""
    row = knowledge.faults[fault]
    reach, years, oftener = _grown_with(odometer_km, age_years, knowledge, climate)
    there, why = oftener.get(fault, (1.0, ""))
    factors = (
        ("distance", float(reach**row.wear)),
        ("age", float(years**row.ageing)),
        (why, there),
        ("the shop's own repairs", (learned or {}).get(fault, 1.0)),
    )
    return BaseRate(row.rate, row.standing, factors)


def _grown_with(
    odometer_km: float | None, age_years: float | None, knowledge: Knowledge, climate: Climate
) -> tuple[float, float, Mapping[str, tuple[float, str]]]:
    """Distance and age against what the tables are written for, and what fails oftener there."""
    reach = min(max((odometer_km or TYPICAL_KM) / TYPICAL_KM, 0.2), 4.0)
    years = min(max((TYPICAL_YEARS if age_years is None else age_years) / TYPICAL_YEARS, 0.1), 4.0)
    return reach, years, knowledge.oftener.get(climate, {})


def priors(
    knowledge: Knowledge,
    faults: Iterable[str],
    odometer_km: float | None,
    own: Iterable[str] = (),
    learned: Mapping[str, float] | None = None,
    age_years: float | None = None,
    climate: Climate = Climate.TEMPERATE,
) -> Floats:
    """π for each fault: its base rate, scaled to EXPECTED_FAULTS in all; one of the technician's ``own`` is lifted."""
    names, lifted = list(faults), set(own)
    reach, years, there = _grown_with(odometer_km, age_years, knowledge, climate)
    rows, shop = knowledge.faults, learned or {}
    told = ((rows[name], there.get(name, (1.0, ""))[0] * shop.get(name, 1.0)) for name in names)
    rates = np.array([row.rate * reach**row.wear * years**row.ageing * factor for row, factor in told])
    prior = np.minimum(rates / max(rates.sum(), 1e-12) * EXPECTED_FAULTS, 0.5)
    return np.array([max(p, LEAST_OWN) if name in lifted else p for name, p in zip(names, prior, strict=True)])
