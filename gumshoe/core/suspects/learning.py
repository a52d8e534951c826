"""What a shop's own proven repairs say of the base rates.

Dirichlet counts over the kinds of fault, shrunk to the shipped rates: the shipped table weighs as much as PSEUDO_CASES
cases, each proven repair as one, one on another platform less, a comeback takes some of it away. A hit rate heard
elsewhere is shrunk by its size and weighs little; it never counts as a test. (Gelman et al., Bayesian Data Analysis,
chapter 3, multinomial with Dirichlet prior.)
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass

from gumshoe.core.knowledge.catalogue import Knowledge

PSEUDO_CASES = 120.0
"""How many cases the shipped rates are worth (common practice: a shop sees a few hundred such cases a year)."""
OTHER_PLATFORM = 0.3
COMEBACK = 0.5
HEARD = 0.05
"""What one case of somebody else's counts."""
MOST_HEARD = 6.0
"""However often somebody says to have fixed it: no more than so many cases."""


@dataclass(frozen=True)
class Proven:
    """Closed cases: the suspect named, whether its repair was proven (else it came back), same platform or not, and how
    many such cases there were."""

    suspect: str
    proven: bool
    same_platform: bool
    cases: int = 1


@dataclass(frozen=True)
class Heard:
    """“Fixed it ``hits`` times of ``cases``”, heard from ``origin``."""

    suspect: str
    hits: int
    cases: int
    origin: str = ""


def multipliers(knowledge: Knowledge, shop: Iterable[Proven], heard: Iterable[Heard] = ()) -> dict[str, float]:
    """The factor on each suspect's base rate; suspects of one template (a coil of any cylinder) learn together.

    Suspects that this powertrain has not are passed over. Without any case every factor is one.
    """
    rates: dict[str, float] = defaultdict(float)
    for name, row in knowledge.faults.items():
        rates[knowledge.templates[name]] += row.rate
    counts: dict[str, float] = defaultdict(float)
    seen = 0.0
    for case in shop:
        template = knowledge.templates.get(case.suspect)
        if template is None:
            continue
        weight = 1.0 if case.same_platform else OTHER_PLATFORM
        counts[template] += case.cases * (weight if case.proven else -COMEBACK * weight)
        seen += case.cases * weight if case.proven else 0.0
    for item in heard:
        template = knowledge.templates.get(item.suspect)
        if template is not None and 0 <= item.hits <= item.cases:
            scale = min(HEARD, MOST_HEARD / max(item.cases, 1))
            counts[template] += scale * item.hits
            seen += scale * item.cases
    total = sum(rates.values())
    factors = {}
    for template, rate in rates.items():
        share = rate / total
        learnt = (PSEUDO_CASES * share + max(counts[template], -0.5 * PSEUDO_CASES * share)) / (PSEUDO_CASES + seen)
        factors[template] = learnt / share if share > 0.0 else 1.0
    return {name: factors[template] for name, template in knowledge.templates.items() if name in knowledge.faults}
