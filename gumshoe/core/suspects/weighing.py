"""What every clue says: its share of the log-likelihood, and the evidence matrix with its words.

The words *supports*, *speaks against*, *silent* come from the log-likelihood ratios and nowhere else. They are computed
when they are first asked for: a ranking needs none of them.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property

import numpy as np

from gumshoe.core.clues.model import Clue, ClueKind, Presence
from gumshoe.core.suspects.likelihood import Counting, Floats, LikelihoodModel

FAMILY_REST = 0.25
"""How much all the further clues of a family count together, beside the most telling one."""
SPEAKS = math.log(1.5)
STRONG = math.log(10.0)


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


class Shares:
    """Each clue's share of the log-likelihood over the sets of a model. The order of the clues is of no account.

    Clues of one family count once: the most telling member in full, the rest tempered by FAMILY_REST; exact copies not
    at all. Absent codes that stand alone in their family are summed at once (``absent``), since they factorise.
    ``begun``: the shares over the first of these sets, ``rest`` the model of the others: nothing is worked out twice.
    """

    def __init__(
        self,
        model: LikelihoodModel,
        clues: Iterable[Clue],
        begun: Shares | None = None,
        rest: LikelihoodModel | None = None,
    ) -> None:
        self.model, self._begun, self._rest = model, begun, rest
        self._raw: dict[Clue, Floats] = {}
        families: dict[str, dict[tuple[str, str], Clue]] = {}
        for clue in clues:
            # An exact copy (same variable, same value) adds nothing; the heavier one is kept.
            kept = families.setdefault(clue.family, {})
            key = (clue.variable, clue.value)
            if key not in kept or clue.weight > kept[key].weight:
                kept[key] = clue
        self.telling: list[tuple[Clue, Floats]] = []
        self.absent: list[Clue] = []
        codes = [row for rows in families.values() for row in rows.values() if row.kind is ClueKind.CODE]
        self.counting: Counting = (
            begun.counting
            if begun is not None
            else model.counting(
                (clue.variable for clue in codes if clue.value == Presence.PRESENT),
                (clue for clue in codes if clue.value == Presence.ABSENT),
            )
        )
        for members in families.values():
            if len(members) == 1 and next(iter(members.values())).value == Presence.ABSENT:
                self.absent += members.values()
                continue
            rows = [(clue, clue.weight * self._of(clue)) for clue in members.values()]
            rows.sort(key=lambda row: (-float(np.ptp(row[1])), row[0].variable, row[0].value))
            self.telling += [
                (clue, values if rank == 0 else values * FAMILY_REST / (len(rows) - 1))
                for rank, (clue, values) in enumerate(rows)
            ]
        self._absence = self._of_absent()
        self.total = self._absence.copy()
        for _, values in self.telling:
            self.total += values

    def _of(self, clue: Clue) -> Floats:
        """log P(clue | S) of every set."""
        if self._begun is None or self._rest is None:
            found = self.model.log_likelihood(clue, self.counting)
        else:
            found = np.concatenate([self._begun._raw[clue], self._rest.log_likelihood(clue, self.counting)])
        self._raw[clue] = found
        return found

    def _of_absent(self) -> Floats:
        if self._begun is None or self._rest is None:
            return self.model.absence(self.absent, self.counting)
        return np.concatenate([self._begun._absence, self._rest.absence(self.absent, self.counting)])

    @property
    def clues(self) -> tuple[Clue, ...]:
        """All clues that count."""
        return (*(clue for clue, _ in self.telling), *self.absent)

    def of(self, index: int) -> Floats:
        """The share of the clue at that place of ``clues``."""
        if index < len(self.telling):
            return self.telling[index][1]
        clue = self.absent[index - len(self.telling)]
        return clue.weight * self.model.log_likelihood(clue, self.counting)


class Weighing:
    """The evidence matrix, worked out when first asked for.

    What a clue says is told given the clues before it, in the order they are on record (complaint, codes, live, tests):
    the ratios of a suspect then lead step by step from its chance before any clue to its chance now, and of two clues
    that carry each other the first speaks and the second adds what it adds.
    """

    def __init__(
        self,
        log_prior: Floats,
        shares: Shares,
        alone: Shares,
        everyone: tuple[str, ...],
    ) -> None:
        self._log_prior, self._shares, self._alone = log_prior, shares, alone
        self._place = {name: index for index, name in enumerate(shares.model.faults)}
        self._everyone = {name: index for index, name in enumerate(everyone)}
        self._columns: list[Floats] = []
        self._lines: dict[str, tuple[Entry, ...]] = {}

    def entries(self, fault: str) -> tuple[Entry, ...]:
        """One entry a clue, in the order of the clues."""
        if fault not in self._lines:
            if fault in self._place:
                ratios = [float(column[self._place[fault]]) for column in self._every_column()]
            else:
                at = self._everyone[fault] + 1
                ratios = [float(values[at] - values[0]) for values in self._each_alone]
            told = zip(self._shares.clues, ratios, strict=True)
            self._lines[fault] = tuple(Entry(clue, ratio) for clue, ratio in told)
        return self._lines[fault]

    @cached_property
    def _each_alone(self) -> list[Floats]:
        """The share of each clue over the suspects one by one (the first: none of them)."""
        return [self._alone.of(index) for index in range(len(self._shares.clues))]

    def _every_column(self) -> list[Floats]:
        """log P(clue | fault in S) − log P(clue | fault not in S) given the clues before it, by clue and fault."""
        if self._columns:
            return self._columns
        before, columns = self._log_prior, list[Floats]()
        for index in range(len(self._shares.clues)):
            values = self._shares.of(index)
            rest = softmax(before)
            likelihood = np.exp(values - values.max())
            with_fault = self._shares.model.marginals(rest)
            both = self._shares.model.marginals(rest * likelihood)
            total = float(rest @ likelihood)
            numerator = both / np.maximum(with_fault, 1e-300)
            denominator = (total - both) / np.maximum(1.0 - with_fault, 1e-300)
            columns.append(np.log(np.maximum(numerator, 1e-300)) - np.log(np.maximum(denominator, 1e-300)))
            before = before + values
        self._columns = columns  # at once: another thread may look at the same judgement
        return columns


def softmax(values: Floats) -> Floats:
    """Weights that sum to one from their logarithms."""
    raised = np.exp(values - values.max())
    total: Floats = raised / raised.sum()
    return total
