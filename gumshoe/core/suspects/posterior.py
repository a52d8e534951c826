"""The posterior over fault sets, each suspect's probability, and why.

P(S | clues) ∝ Π π/(1−π) · Π P(clue | S), enumerated exactly over all sets of up to three suspects. How the clues of
a family are weighed stands in ``weighing.py``.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property
from hashlib import sha256

import numpy as np

from gumshoe.core.clues.model import Clue
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.rows import FaultRow
from gumshoe.core.knowledge.values import Climate
from gumshoe.core.suspects.left_out import LeftOut, left_out
from gumshoe.core.suspects.likelihood import MAX_SIZE, Floats, Ints, LikelihoodModel, fault_sets, with_any_third
from gumshoe.core.suspects.rates import priors
from gumshoe.core.suspects.weighing import Entry, Shares, Stance, Weighing, softmax

PAIRED = 110
"""Suspects over which sets of two are enumerated, the likeliest. What lies beyond is judged one by one."""
FIRST = 20
"""So many of these are the best claimants of each clue."""
CARRIED_ON = 110
"""The likeliest pairs: each is tried with every third."""
LINKS = 1.2
"""A suspect is linked to a clue that it makes likelier by this factor at least."""
LEAST_SHOWN = 0.05
"""A result that would show any of several (a swapped coil, of whichever cylinder) shows nobody below this."""
RATHER = 0.5
"""From this probability on a root cause is rather there than not."""
PER_CLUE = 3
"""Every clue keeps its best so many claimants among the live ones."""


class Ruling(StrEnum):
    """What the technician decided about a suspect."""

    OUT = "ruled out"
    OWN = "own suspect"


@dataclass(frozen=True)
class Suspect:
    """One possible fault with its probability and the evidence for and against it (weighed when first asked for)."""

    id: str
    row: FaultRow
    probability: float
    prior: float
    proven_by: tuple[Clue, ...] = ()
    weighing: Weighing | None = field(default=None, repr=False, compare=False)

    @property
    def entries(self) -> tuple[Entry, ...]:
        """This suspect's line of the evidence matrix: one entry a clue."""
        return self.weighing.entries(self.id) if self.weighing else ()

    @property
    def support(self) -> tuple[Entry, ...]:
        found = [entry for entry in self.entries if entry.stance is Stance.SUPPORTS]
        return tuple(sorted(found, key=lambda entry: -entry.llr))

    @property
    def against(self) -> tuple[Entry, ...]:
        found = [entry for entry in self.entries if entry.stance is Stance.AGAINST]
        return tuple(sorted(found, key=lambda entry: entry.llr))


@dataclass(frozen=True)
class Assessment:
    """The whole result. ``suspects`` fall by probability; ``best`` is the likeliest set as a whole."""

    suspects: tuple[Suspect, ...]
    clues: tuple[Clue, ...]
    best: tuple[str, ...]
    best_probability: float
    nothing: float
    ruled_out: tuple[str, ...] = ()
    model: LikelihoodModel | None = field(default=None, repr=False, compare=False)
    weights: Floats | None = field(default=None, repr=False, compare=False)
    alone: Alone | None = field(default=None, repr=False, compare=False)

    @cached_property
    def left_out(self) -> LeftOut:
        """What the sets that were not enumerated weigh; takes some tens of milliseconds when first asked for."""
        if self.alone is None or self.model is None:
            return LeftOut(0.0, 0.0)
        return self.alone.left_out(self.model)

    def suspect(self, name: str) -> Suspect | None:
        """The suspect of that id, or None."""
        return next((item for item in self.suspects if item.id == name), None)


_models: dict[tuple[int, tuple[str, ...], bytes], LikelihoodModel] = {}
_KEPT_MODELS = 48


def model_for(
    knowledge: Knowledge, faults: tuple[str, ...], sets: Ints, within: LikelihoodModel | None = None
) -> LikelihoodModel:
    """The model over these sets of faults; kept, since a case is assessed many times with the same ones.

    The kept model holds its knowledge, so that the identity it is filed under stays its own.
    """
    key = (id(knowledge), faults, sha256(sets.astype(np.int16).tobytes()).digest())
    found = _models.get(key)
    if found is None:
        if len(_models) >= _KEPT_MODELS:
            _models.clear()
        found = _models[key] = LikelihoodModel(knowledge, faults, sets, within)
    return found


def over_sets(
    knowledge: Knowledge,
    faults: tuple[str, ...],
    clues: tuple[Clue, ...],
    prior: Floats,
    within: LikelihoodModel,
    max_size: int,
) -> Shares:
    """What the clues say of every set of up to two of these faults, and of the likeliest pairs with every third; of
    all sets where that is so many."""
    count = len(faults)
    if max_size != MAX_SIZE or count <= CARRIED_ON // 2:
        return Shares(model_for(knowledge, faults, fault_sets(count, max_size), within), clues)
    small = fault_sets(count, 2)
    pairs = model_for(knowledge, faults, small, within)
    begun = Shares(pairs, clues)
    weight = pairs.log_prior(prior) + begun.total
    two = np.flatnonzero(small[:, 1] < count)
    best = two[np.argsort(-weight[two], kind="stable")[:CARRIED_ON]]
    threes = with_any_third(small[best, :2], count)
    everything = model_for(knowledge, faults, np.vstack([small, threes]), within)
    return Shares(everything, clues, begun, model_for(knowledge, faults, threes, within))


def assess(
    knowledge: Knowledge,
    clues: Iterable[Clue],
    *,
    odometer_km: float | None = None,
    age_years: float | None = None,
    climate: Climate = Climate.TEMPERATE,
    ruled_out: Iterable[str] = (),
    own: Iterable[str] = (),
    learned: Mapping[str, float] | None = None,
    max_size: int = MAX_SIZE,
) -> Assessment:
    """Rank the suspects of a powertrain by the clues; suspects ruled out by the technician take no part, nor do rulings
    about what this powertrain has no suspect for."""
    out, own = knowledge.faults.keys() & set(ruled_out), tuple(own)
    everyone = tuple(name for name in knowledge.faults if name not in out)
    held = tuple(clues)
    alone = Alone(knowledge, everyone, priors(knowledge, everyone, odometer_km, own, learned, age_years, climate), held)
    faults = alone.live(own)
    prior = np.array([alone.prior[name] for name in faults])
    shares = over_sets(knowledge, faults, held, prior, alone.shares.model, max_size)
    model = shares.model
    log_prior = model.log_prior(prior)
    log_posterior = log_prior + shares.total
    weights = softmax(log_posterior)
    marginal, prior_marginal = model.marginals(weights), model.marginals(softmax(log_prior))
    weighing = Weighing(log_prior, shares, alone.shares, everyone)
    proofs = _proofs(knowledge, shares.clues)
    suspects = [
        Suspect(
            name,
            knowledge.faults[name],
            float(marginal[index]),
            float(prior_marginal[index]),
            proofs.get(name, ()) if marginal[index] >= LEAST_SHOWN else (),
            weighing,
        )
        for index, name in enumerate(faults)
    ]
    suspects += alone.others(faults, weighing)
    suspects = _apart_from_rivals(suspects, knowledge)
    suspects = _roots_first(sorted(suspects, key=lambda item: (-item.probability, item.id)), knowledge)
    top = int(np.argmax(weights))
    best = tuple(faults[index] for index in model.sets[top] if index < len(faults))
    return Assessment(
        tuple(suspects),
        shares.clues,
        best,
        float(weights[top]),
        float(weights[0]),
        tuple(sorted(out)),
        model,
        weights,
        alone,
    )


class Alone:
    """Every suspect judged by itself, as if it were the only fault: to choose which are worth enumerating in sets.

    For suspects that no clue speaks for this is exact: absent codes factorise over the faults of a set.
    """

    def __init__(self, knowledge: Knowledge, faults: tuple[str, ...], prior: Floats, clues: tuple[Clue, ...]) -> None:
        self.knowledge, self.faults = knowledge, faults
        self.prior = dict(zip(faults, map(float, prior), strict=True))
        self.shares = Shares(model_for(knowledge, faults, fault_sets(len(faults), 1)), clues)
        self.prior_odds = np.log(prior) - np.log1p(-prior)
        self.log_odds = self.prior_odds + self.shares.total[1:] - self.shares.total[0]

    def live(self, own: Iterable[str]) -> tuple[str, ...]:
        """The suspects to enumerate: each clue's best claimants and the technician's own first, then the likeliest."""
        order = np.argsort(-self.log_odds, kind="stable")
        first = [self.faults.index(name) for name in own if name in self.prior]
        reach = np.zeros(len(self.faults), dtype=bool)
        for clue, values in self.shares.telling:
            ratio = values[1:] - values[0]
            claims = np.flatnonzero(ratio > clue.weight * math.log(LINKS))
            best = claims[np.argsort(-(self.prior_odds + ratio)[claims], kind="stable")]
            first += best[:PER_CLUE].tolist()
            reach[claims] = True
        wanted = [*first[:FIRST], *order[reach[order]].tolist(), *order[: 2 * FIRST].tolist()]
        chosen = list(dict.fromkeys(wanted))[:PAIRED]
        return tuple(self.faults[index] for index in chosen)

    def left_out(self, enumerated: LikelihoodModel) -> LeftOut:
        """What the enumeration of these sets left out."""
        prior = np.array([self.prior[name] for name in enumerated.faults])
        return left_out(enumerated, prior, self.shares, self.prior_odds)

    def others(self, live: Iterable[str], weighing: Weighing) -> list[Suspect]:
        """The suspects that are not enumerated, each judged alone."""
        taken = set(live)
        chances = (1.0 / (1.0 + np.exp(-np.clip(self.log_odds, -700.0, 700.0)))).tolist()
        return [
            Suspect(name, self.knowledge.faults[name], min(self.prior[name], chance), self.prior[name], (), weighing)
            for name, chance in zip(self.faults, chances, strict=True)
            if name not in taken
        ]


def _roots_first(ranked: list[Suspect], knowledge: Knowledge) -> list[Suspect]:
    """The ranking with every root cause that is rather there than not, and cheaper to put right, before what it brings
    about: it is put right first, and then one sees (common practice). What a test has shown stands where it stands."""
    place = {item.id: index for index, item in enumerate(ranked)}
    found = list(ranked)
    for effect in ranked:
        for name in effect.row.roots:
            root = ranked[place[name]] if name in place else None
            if root is None or root.probability < RATHER or found.index(root) < found.index(effect):
                continue
            if effect.proven_by:
                continue
            if knowledge.repairs[root.row.repair].parts < knowledge.repairs[effect.row.repair].parts:
                found.remove(root)
                found.insert(found.index(effect), root)
    return found


RIVAL, APART = 0.1, 2.0
"""Who is at least so many times as likely as a suspect could be it instead; a finding that is not so many times as
frequent with the suspect as with such a rival tells the two not apart, and shows neither."""


def _apart_from_rivals(suspects: list[Suspect], knowledge: Knowledge) -> list[Suspect]:
    """The suspects, each with those tests that show it and not just as well another that is still likely and would need
    another repair: no spark may be the coil, or the wire to it."""

    def shows(suspect: Suspect, clue: Clue) -> bool:
        assert clue.result
        test, value = knowledge.tests[clue.result[0]], clue.result[1]
        own = test.given.get(suspect.id, test.otherwise)[value]
        outcome = next(item for item in test.outcomes if item.id == value)
        named = knowledge.proven_by(outcome.proves)
        return all(
            item.id in named
            or item.row.repair == suspect.row.repair
            or own >= APART * test.given.get(item.id, test.otherwise)[value]
            for item in suspects
            if item.id != suspect.id and item.probability >= RIVAL * suspect.probability
        )

    return [
        replace(item, proven_by=tuple(clue for clue in item.proven_by if shows(item, clue))) if item.proven_by else item
        for item in suspects
    ]


def _proofs(knowledge: Knowledge, clues: Iterable[Clue]) -> dict[str, tuple[Clue, ...]]:
    """Clues that show a suspect directly, by suspect: what a test or hands found, at cylinders only those of theirs."""
    found: dict[str, tuple[Clue, ...]] = {}
    for clue in clues:
        if clue.result and not clue.doubtful:
            test, value = knowledge.tests[clue.result[0]], clue.result[1]
            outcome = next(item for item in test.outcomes if item.id == value)
            for fault in knowledge.proven_by(outcome.proves) if outcome.proves else ():
                if clue.seen and not set(knowledge.faults[fault].cylinders) <= set(clue.seen.by_hand or ()):
                    continue
                found[fault] = (*found.get(fault, ()), clue)
    return found
