"""Why did it fail? Root causes are suspects too, linked to what they break.

For a fault f that has been named, P(r present | f present, clues) over the enumerated sets. The link s says how often a
root r that is there has brought f about; the sets are weighed by it (``LikelihoodModel.log_prior``).
"""

from __future__ import annotations

from dataclasses import dataclass

from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.rows import FaultRow, TestRow
from gumshoe.core.suspects.posterior import Assessment


@dataclass(frozen=True)
class Root:
    """A cause behind a fault: the suspect it is, its probability now that the fault is named, and what would settle it
    (the shortest test that shows it), with the repair that removes it."""

    row: FaultRow
    probability: float
    settled_by: TestRow | None

    @property
    def id(self) -> str:
        return self.row.id


def root_causes(assessment: Assessment, knowledge: Knowledge, fault: str) -> tuple[Root, ...]:
    """The linked causes of a fault, the likeliest first; none for a fault that has none or is not known here."""
    links = knowledge.faults[fault].roots if fault in knowledge.faults else {}
    if not links:
        return ()
    chances = _given(assessment, fault, links)
    found = [Root(knowledge.faults[name], chances[name], next(iter(knowledge.shown_by(name)), None)) for name in links]
    return tuple(sorted(found, key=lambda root: (-root.probability, root.id)))


def _given(assessment: Assessment, fault: str, links: dict[str, float]) -> dict[str, float]:
    """P(root | fault, clues) of each linked root."""
    prior = {item.id: item.prior for item in assessment.suspects}
    own = prior.get(fault, 0.0)
    model, weights = assessment.model, assessment.weights
    if own <= 0.0 or model is None or weights is None or fault not in model.faults:
        return {name: _alone(prior.get(name, 0.0), chance, max(own, 1e-6)) for name, chance in links.items()}
    holds = {name: model.holding(name) for name in (fault, *links) if name in model.faults}
    caused = weights * holds[fault]
    total = float(caused.sum())
    return {
        name: float(caused[holds[name]].sum()) / total if name in holds else _alone(prior.get(name, 0.0), chance, own)
        for name, chance in links.items()
    }


def _alone(root: float, chance: float, own: float) -> float:
    """The same for a root that no set was made with: Bayes over that root alone."""
    caused = root * (1.0 - (1.0 - own) * (1.0 - chance))
    return caused / (caused + (1.0 - root) * own)
