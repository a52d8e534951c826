"""How far is far enough? Intermittent faults, from what they did before to what their absence is worth.

``r`` recurrences over an exposure ``T`` (kilometres, trips, days: any one unit) make the rate a Gamma distribution,
λ ~ Γ(r + ½, T): the Jeffreys prior for a Poisson rate. While nothing is repaired, an exposure ``d`` passes without the
fault with probability (T / (T + d))^(r + ½), the negative binomial's zero term. With the prior probability ``q`` that
the repair was right, Bayes gives P(fixed | d clean). For a rate that is well known this tends to the exponential, and
with nothing but the rate to the rule of three (3/λ for 95 %). Derivations: any textbook of Bayesian statistics (Gelman
et al., *Bayesian Data Analysis*, Gamma–Poisson) [published]; checked against scipy.stats.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

from gumshoe.core.errors import BadInput
from gumshoe.core.words import measured, share

JEFFREYS = 0.5
ENOUGH = 0.95
"""What “far enough” means unless somebody asks for more."""
RULE_OF_THREE = -math.log(1.0 - ENOUGH)
"""2.996: so many mean distances without the fault leave it 5 % to be still there."""


class Unit(StrEnum):
    """What an exposure is counted in."""

    KM = "km"
    TRIPS = "trips"
    DAYS = "days"


@dataclass(frozen=True)
class Recurrences:
    """How often a fault showed itself before the repair, over which exposure."""

    times: int
    over: float
    unit: Unit = Unit.KM

    def __post_init__(self) -> None:
        if self.times < 0 or not math.isfinite(self.over) or self.over <= 0.0:
            raise BadInput(
                f"{self.times} times over {self.over:g} {self.unit} cannot be.",
                remedies=("give how often it was seen (0 or more) and over how many kilometres, trips or days",),
            )

    @property
    def shape(self) -> float:
        """The Gamma distribution's shape, r + ½."""
        return self.times + JEFFREYS

    @property
    def rate(self) -> float:
        """Expected recurrences per unit, (r + ½) / T."""
        return self.shape / self.over

    def quiet(self, exposure: float) -> float:
        """Probability that an unrepaired car shows nothing over so much exposure."""
        return math.exp(-self.shape * math.log1p(max(exposure, 0.0) / self.over))

    def returns_within(self, exposure: float) -> float:
        """Probability that it shows itself at least once, when nothing is repaired."""
        return 1.0 - self.quiet(exposure)

    def exposure_for(self, chance: float) -> float:
        """The exposure within which an unrepaired car shows it with that probability (0 to below 1)."""
        if not 0.0 <= chance < 1.0:
            raise BadInput(f"A chance of {chance:g} is never reached.", remedies=("0 to below 1",))
        return self.over * math.expm1(-math.log1p(-chance) / self.shape)


def believed(prior: float, before: Recurrences, clean: float) -> float:
    """P(fixed | ``clean`` exposure without the fault). ``prior``: the probability that the repair was right."""
    if not 0.0 <= prior <= 1.0:
        raise BadInput(f"A belief of {prior:g} cannot be.", remedies=("0 to 1 (0 to 100 %)",))
    quiet = (1.0 - prior) * before.quiet(clean)
    return prior / (prior + quiet) if prior > 0.0 else 0.0


def clean_wanted(prior: float, before: Recurrences, level: float = ENOUGH) -> float:
    """The clean exposure at which P(fixed) reaches ``level``; 0 where it is there already, infinity where it never
    comes (a belief of 0)."""
    if prior >= level:
        return 0.0
    if prior <= 0.0:
        return math.inf
    quiet = prior * (1.0 - level) / (level * (1.0 - prior))
    return before.over * math.expm1(-math.log(quiet) / before.shape)


@dataclass(frozen=True)
class Curve:
    """P(fixed) against clean exposure: points (exposure, probability), the present point, and what is wanted."""

    before: Recurrences
    prior: float
    clean: float
    points: tuple[tuple[float, float], ...]
    now: float
    wanted: float
    level: float

    @property
    def enough(self) -> bool:
        return self.now >= self.level

    @property
    def left(self) -> float:
        """What is still to be driven, 0 when it is enough."""
        return max(self.wanted - self.clean, 0.0)


def curve(prior: float, before: Recurrences, clean: float, level: float = ENOUGH, steps: int = 60) -> Curve:
    """The curve from nothing driven to well beyond what is wanted."""
    wanted = clean_wanted(prior, before, level)
    far = max(1.3 * wanted if math.isfinite(wanted) else before.over, 1.3 * clean, 0.2 * before.over)
    points = tuple((far * i / steps, believed(prior, before, far * i / steps)) for i in range(steps + 1))
    return Curve(before, prior, clean, points, believed(prior, before, clean), wanted, level)


@dataclass(frozen=True)
class Deferred:
    """What it means to leave a fault as it is: the chance that it is back within some exposures, and the exposures by
    which half and nine in ten of such cars have it back."""

    before: Recurrences
    chances: tuple[tuple[float, float], ...]
    half: float
    most: float

    @property
    def words(self) -> str:
        """In one sentence, for the record and the report."""
        unit = self.before.unit
        odds = ", ".join(f"{share(chance)} within {measured(exposure, unit)}" for exposure, chance in self.chances)
        plural = "" if self.before.times == 1 else "s"
        return (
            f"Seen {self.before.times} time{plural} over {measured(self.before.over, unit)}. "
            f"Left as it is, it shows itself again: {odds}. Half of such cars have it back within "
            f"{measured(self.half, unit)}, nine in ten within {measured(self.most, unit)}."
        )


HORIZONS = {Unit.KM: (1_000.0, 5_000.0, 15_000.0), Unit.TRIPS: (10.0, 50.0, 200.0), Unit.DAYS: (7.0, 30.0, 180.0)}


def deferred(before: Recurrences) -> Deferred:
    """The odds of a fault that is left as it is."""
    chances = tuple((exposure, before.returns_within(exposure)) for exposure in HORIZONS[before.unit])
    return Deferred(before, chances, before.exposure_for(0.5), before.exposure_for(0.9))
