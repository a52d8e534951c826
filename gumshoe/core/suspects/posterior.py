"""The posterior over fault sets, each suspect's probability, and why.

P(S | clues) ∝ Π π/(1−π) · Π P(clue | S), enumerated exactly over all sets of up to three suspects. Clues of one family
count once: the family's most telling member in full, the others tempered (FAMILY_REST); exact copies not at all.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np

from gumshoe.core.clues.model import Clue, ClueKind
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.rows import FaultRow
from gumshoe.core.suspects.likelihood import MAX_SIZE, Floats, Model

FAMILY_REST = 0.25
TYPICAL_KM = 80_000.0
EXPECTED_FAULTS = 0.7
"""How many of the faults of the tables a car brought in has on average, before anything is known of it: a second,
independent fault is rare, and some have a fault that no table knows (common practice)."""
LIVE = 40
"""Suspects over which sets of three are enumerated; always filled up with the likeliest."""
PAIRED = 110
"""Suspects over which sets of two are enumerated. What lies beyond is judged one by one."""
LINKS = 1.2
"""A suspect is linked to a clue that it makes likelier by this factor at least."""
PER_CLUE = 3
"""Every clue keeps its best so many claimants among the live ones."""
SPEAKS = math.log(1.5)
STRONG = math.log(10.0)


class Ruling(StrEnum):
    """What the technician decided about a suspect."""

    OUT = "ruled out"
    OWN = "own suspect"


class Stance(StrEnum):
    """What a clue says about a suspect."""

    SUPPORTS = "supports"
    AGAINST = "speaks against"
    SILENT = "silent"


@dataclass(frozen=True)
class Entry:
    """One cell of the evidence matrix: the clue's natural log-likelihood ratio for the suspect against its absence."""

    clue: Clue
    llr: float

    @property
    def stance(self) -> Stance:
        if self.llr > SPEAKS:
            return Stance.SUPPORTS
        return Stance.AGAINST if self.llr < -SPEAKS else Stance.SILENT

    @property
    def strong(self) -> bool:
        return abs(self.llr) > STRONG

    @property
    def odds(self) -> str:
        """The ratio as technicians read it: ``12 : 1``."""
        ratio = float(np.exp(min(abs(self.llr), 12.0)))
        text = f"{ratio:.0f}" if ratio >= 10 else f"{ratio:.1f}"
        return f"{text} : 1" if self.llr >= 0 else f"1 : {text}"

    @property
    def words(self) -> str:
        """One sentence for this clue and suspect."""
        if self.stance is Stance.SILENT:
            return f"“{self.clue.words}” says little either way."
        much = "strongly " if self.strong else ""
        verb = "supports it" if self.stance is Stance.SUPPORTS else "speaks against it"
        return f"“{self.clue.words}” {much}{verb} ({self.odds})."


@dataclass(frozen=True)
class Suspect:
    """One possible fault with its probability and the evidence for and against it."""

    id: str
    row: FaultRow
    probability: float
    prior: float
    entries: tuple[Entry, ...]
    proven_by: tuple[Clue, ...] = ()

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
    model: Model | None = field(default=None, repr=False, compare=False)
    weights: Floats | None = field(default=None, repr=False, compare=False)

    def suspect(self, name: str) -> Suspect | None:
        """The suspect of that id, or None."""
        return next((item for item in self.suspects if item.id == name), None)


_models: dict[tuple[int, tuple[str, ...], int], Model] = {}
_KEPT_MODELS = 32


def model_for(knowledge: Knowledge, faults: tuple[str, ...], max_size: int) -> Model:
    """The model over these faults, the likeliest first; kept, since a case is assessed many times with the same ones.

    The kept model holds its knowledge, so that the identity it is filed under stays its own.
    """
    key = (id(knowledge), faults, max_size)
    found = _models.get(key)
    if found is None:
        if len(_models) >= _KEPT_MODELS:
            _models.clear()
        found = _models[key] = Model(knowledge, faults, max_size, LIVE)
    return found


def priors(knowledge: Knowledge, faults: Iterable[str], odometer_km: float | None, own: Iterable[str] = ()) -> Floats:
    """π for each fault: its rate, grown with distance to its power of wear, scaled to EXPECTED_FAULTS in all.

    A technician's own suspect is lifted to at least one in ten.
    """
    names = list(faults)
    reach = min(max((odometer_km or TYPICAL_KM) / TYPICAL_KM, 0.2), 4.0)
    rates = np.array([knowledge.faults[name].rate * reach ** knowledge.faults[name].wear for name in names])
    prior = np.minimum(rates / max(rates.sum(), 1e-12) * EXPECTED_FAULTS, 0.5)
    lifted = set(own)
    return np.array([max(p, 0.10) if name in lifted else p for name, p in zip(names, prior, strict=True)])


def family_log_likelihood(model: Model, clues: Iterable[Clue]) -> dict[Clue, Floats]:
    """Each clue's share of the log-likelihood per set, after families are tempered. Order of clues is of no account."""
    families: dict[str, dict[tuple[str, str], Clue]] = {}
    for clue in clues:
        # An exact copy (same variable, same value) adds nothing; the heavier one is kept.
        kept = families.setdefault(clue.family, {})
        key = (clue.variable, clue.value)
        if key not in kept or clue.weight > kept[key].weight:
            kept[key] = clue
    shares: dict[Clue, Floats] = {}
    for members in families.values():
        rows = [(clue, clue.weight * model.log_likelihood(clue)) for clue in members.values()]
        rows.sort(key=lambda row: (-float(np.ptp(row[1])), row[0].variable, row[0].value))
        for rank, (clue, values) in enumerate(rows):
            shares[clue] = values if rank == 0 else values * FAMILY_REST / (len(rows) - 1)
    return shares


def assess(
    knowledge: Knowledge,
    clues: Iterable[Clue],
    *,
    odometer_km: float | None = None,
    ruled_out: Iterable[str] = (),
    own: Iterable[str] = (),
    max_size: int = MAX_SIZE,
) -> Assessment:
    """Rank the suspects of a powertrain by the clues; suspects ruled out by the technician take no part."""
    out, own = frozenset(ruled_out), tuple(own)
    everyone = tuple(name for name in knowledge.faults if name not in out)
    held = tuple(clues)
    alone = Alone(knowledge, everyone, priors(knowledge, everyone, odometer_km, own), held)
    faults = alone.live(own)
    model = model_for(knowledge, faults, max_size)
    prior = np.array([alone.prior[name] for name in faults])
    shares = family_log_likelihood(model, held)
    log_prior = model.log_prior(prior)
    log_posterior = log_prior + sum(shares.values(), np.zeros(len(model.sets)))
    weights = _softmax(log_posterior)
    members = model.members()
    marginal = weights @ members
    prior_marginal = _softmax(log_prior) @ members
    ratios = _ratios(members, log_posterior, shares)
    suspects = []
    for index, name in enumerate(faults):
        entries = tuple(Entry(clue, float(ratios[clue][index])) for clue in shares)
        suspects.append(
            Suspect(
                name,
                knowledge.faults[name],
                float(marginal[index]),
                float(prior_marginal[index]),
                entries,
                _proofs(knowledge, shares, name),
            )
        )
    suspects += alone.others(faults)
    suspects.sort(key=lambda item: (-item.probability, item.id))
    top = int(np.argmax(weights))
    best = tuple(faults[index] for index in model.sets[top] if index < len(faults))
    return Assessment(
        tuple(suspects), tuple(shares), best, float(weights[top]), float(weights[0]), tuple(sorted(out)), model, weights
    )


class Alone:
    """Every suspect judged by itself, as if it were the only fault: to choose which are worth enumerating in sets.

    For suspects that no clue speaks for this is exact: absent codes factorise over the faults of a set.
    """

    def __init__(self, knowledge: Knowledge, faults: tuple[str, ...], prior: Floats, clues: tuple[Clue, ...]) -> None:
        self.knowledge, self.faults = knowledge, faults
        self.prior = dict(zip(faults, map(float, prior), strict=True))
        self.shares = family_log_likelihood(model_for(knowledge, faults, 1), clues)
        self.ratios = {clue: values[1:] - values[0] for clue, values in self.shares.items()}
        self.prior_odds = np.log(prior) - np.log1p(-prior)
        self.log_odds = self.prior_odds + sum(self.ratios.values(), np.zeros(len(faults)))

    def live(self, own: Iterable[str]) -> tuple[str, ...]:
        """The suspects to enumerate: each clue's best claimants and the technician's own first, then the likeliest."""
        order = np.argsort(-self.log_odds, kind="stable")
        linked: list[int] = []
        first = [self.faults.index(name) for name in own if name in self.prior]
        for clue, ratio in self.ratios.items():
            claims = np.flatnonzero(ratio > clue.weight * math.log(LINKS))
            best = claims[np.argsort(-(self.prior_odds + ratio)[claims], kind="stable")]
            first += [int(index) for index in best[:PER_CLUE]]
            linked += [int(index) for index in best]
        likeliest = [int(index) for index in order]
        reach = set(linked)
        wanted = [*first[: LIVE // 2], *[i for i in likeliest if i in reach], *likeliest[:LIVE]]
        chosen = list(dict.fromkeys(wanted))[:PAIRED]
        return tuple(self.faults[index] for index in chosen)

    def others(self, live: Iterable[str]) -> list[Suspect]:
        """The suspects that are not enumerated, each judged alone."""
        taken = set(live)
        found = []
        for index, name in enumerate(self.faults):
            if name in taken:
                continue
            entries = tuple(Entry(clue, float(ratio[index])) for clue, ratio in self.ratios.items())
            prior = self.prior[name]
            chance = min(prior, _chance(float(self.log_odds[index])))
            found.append(Suspect(name, self.knowledge.faults[name], chance, prior, entries))
        return found


def _chance(log_odds: float) -> float:
    return 1.0 / (1.0 + math.exp(-max(min(log_odds, 700.0), -700.0)))


def _proofs(knowledge: Knowledge, clues: Iterable[Clue], fault: str) -> tuple[Clue, ...]:
    """Test clues that show this fault directly."""
    found = []
    for clue in clues:
        if clue.kind is ClueKind.TEST and not clue.doubtful:
            outcome = next(item for item in knowledge.tests[clue.variable].outcomes if item.id == clue.value)
            if fault in knowledge.proven_by(outcome.proves):
                found.append(clue)
    return tuple(found)


def _ratios(members: np.ndarray, log_posterior: Floats, shares: dict[Clue, Floats]) -> dict[Clue, Floats]:
    """For each clue, log P(clue | fault in S) − log P(clue | fault not in S), the other clues taken as given."""
    inside = members.astype(np.float64)
    ratios: dict[Clue, Floats] = {}
    for clue, values in shares.items():
        rest = _softmax(log_posterior - values)
        likelihood = np.exp(values - values.max())
        with_fault = rest @ inside
        both = (rest * likelihood) @ inside
        total = float(rest @ likelihood)
        numerator = both / np.maximum(with_fault, 1e-300)
        denominator = (total - both) / np.maximum(1.0 - with_fault, 1e-300)
        ratios[clue] = np.log(np.maximum(numerator, 1e-300)) - np.log(np.maximum(denominator, 1e-300))
    return ratios


def _softmax(values: Floats) -> Floats:
    raised = np.exp(values - values.max())
    total: Floats = raised / raised.sum()
    return total
