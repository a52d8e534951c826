"""What can be offered for a fault: mend or replace, original or aftermarket, one or the set, each with its risk.

Prices are the tables'; the shop overwrites them on the line. The share that a repair cures comes from the posterior:
the probability of all suspects of that part that this repair puts right, over that of all its suspects.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum

from gumshoe.core.clues import TestOutcome
from gumshoe.core.history.parts import PartLife
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.rows import RepairRow
from gumshoe.core.knowledge.values import CheckOutcome, FailureMode
from gumshoe.core.suspects.posterior import Assessment
from gumshoe.core.words import share as shown

AFTERMARKET_PRICE = Decimal("0.55")
"""What an aftermarket part costs beside the original (invented; the shop types the real price)."""
SET_TIME = 0.6
"""Minutes of each further member of a set, beside the first: access is paid once (common practice)."""
CENT = Decimal("0.01")
PART_OR_WIRE = (FailureMode.OPEN,)
"""Failure modes that may be the part's as well as its wiring's."""
CURES_ALL = 0.98


class Quality(StrEnum):
    """Where a part comes from."""

    ORIGINAL = "original"
    AFTERMARKET = "aftermarket"
    NONE = "no part"


class Scope(StrEnum):
    """How much is renewed."""

    ONE = "the failed one"
    SET = "the set"


@dataclass(frozen=True)
class Offer:
    """One way to put it right: minutes, parts in the shop's currency, what it cures and what to think of."""

    repair: RepairRow
    quality: Quality
    scope: Scope
    minutes: int
    parts: Decimal
    words: str
    notes: tuple[str, ...] = ()
    default: bool = False

    @property
    def key(self) -> str:
        """How a form names it."""
        return f"{self.repair.id}:{self.quality.name.lower()}:{self.scope.name.lower()}"


@dataclass(frozen=True)
class Located:
    """Suspects "plug, wire or part open" of which bench or circuit check has shown where they are open."""

    part: frozenset[str] = frozenset()
    """It is the part itself: a new part cures them, no wire does, whatever their usual repair is."""
    wire: frozenset[str] = frozenset()
    """It is plug or wire: no part cures them."""


NOWHERE = Located()


def offers(
    knowledge: Knowledge,
    assessment: Assessment,
    repair: str,
    lives: Mapping[str, Iterable[PartLife]],
    where: Located = NOWHERE,
) -> tuple[Offer, ...]:
    """Every way to offer a repair: itself first, then its alternatives. ``lives``: the shop's part life by class;
    ``where``: what was shown of where its suspects are open."""
    own = knowledge.repairs.get(repair)
    if own is None:
        return ()
    found: list[Offer] = []
    for row in (own, *others(knowledge, own)):
        found += _of(knowledge, assessment, row, lives, where)
    return tuple(
        Offer(o.repair, o.quality, o.scope, o.minutes, o.parts, o.words, o.notes, index == 0)
        for index, o in enumerate(found)
    )


def others(knowledge: Knowledge, own: RepairRow) -> tuple[RepairRow, ...]:
    """The other repairs of the same component: mend where this one renews, and the other way round."""
    return tuple(row for row in knowledge.repairs.values() if row.component == own.component and row.id != own.id)


def members(knowledge: Knowledge, own: RepairRow) -> tuple[RepairRow, ...]:
    """The same repair at every cylinder, where it is one of a set; else only itself."""
    if own.per != "cylinder":
        return (own,)
    return tuple(row for row in knowledge.repairs.values() if row.template == own.template)


def put_in_new(repair: RepairRow | None, *, part_named: bool, on_the_way: bool) -> bool:
    """Whether a work put a new part in: by its repair; because a part is named, which no wiring repair takes; or as
    maintenance found on the way. ``repair`` None: a line of somebody's own."""
    if repair is not None and repair.mends:
        return on_the_way
    return (repair is not None and repair.renews) or part_named or on_the_way


def check_outcomes(knowledge: Knowledge, tests: Iterable[TestOutcome]) -> dict[str, str]:
    """What the newest circuit check of each component came to."""
    newest = {row.test: row.outcome for row in tests}
    checks = {name: knowledge.tests[name].checks for name in newest if name in knowledge.tests}
    return {part: newest[name] for name, part in checks.items() if part}


def located(knowledge: Knowledge, outcomes: Mapping[str, str]) -> Located:
    """Where the suspects of these components (what their circuit came to, by component) are open."""

    def of(wanted: CheckOutcome) -> frozenset[str]:
        parts = {name for name, outcome in outcomes.items() if outcome == wanted}
        rows = knowledge.faults.values()
        return frozenset(row.id for row in rows if row.component in parts and row.mode in PART_OR_WIRE)

    return Located(of(CheckOutcome.PART), of(CheckOutcome.OPEN))


def repair_of(knowledge: Knowledge, suspect: str, where: Located = NOWHERE) -> str:
    """The repair a suspect asks for: its own, or the other one where it was shown that it is the part itself, or its
    plug or wire; empty for one that is not known."""
    fault = knowledge.faults.get(suspect)
    if fault is None:
        return ""
    own = [row for row in knowledge.repairs.values() if row.component == fault.component]
    if suspect in where.part:
        return next((row.id for row in own if row.renews), fault.repair)
    if suspect in where.wire and not knowledge.repairs[fault.repair].wiring:
        return next((row.id for row in own if row.wiring), fault.repair)
    return fault.repair


def cures(knowledge: Knowledge, assessment: Assessment, repair: RepairRow, where: Located = NOWHERE) -> float:
    """The share of what may be wrong with this part that the repair puts right; 1 where nothing else is suspected."""

    def cured(name: str) -> bool:
        if name in where.part:
            return repair.renews
        return repair_of(knowledge, name, where) == repair.id

    of_part = {
        item.id: item.probability
        for item in assessment.suspects
        if item.row.component == repair.component and item.probability > 0.0
    }
    whole = sum(of_part.values())
    if whole <= 0.0:
        return 1.0
    return sum(p for name, p in of_part.items() if cured(name)) / whole


def _of(
    knowledge: Knowledge,
    assessment: Assessment,
    row: RepairRow,
    lives: Mapping[str, Iterable[PartLife]],
    where: Located,
) -> list[Offer]:
    share = cures(knowledge, assessment, row, where)
    notes = () if share >= CURES_ALL else (f"cures {shown(share)} of what may be wrong with this part",)
    if not row.buys:
        more = ("the part itself stays as it is",) if row.mends else ()
        return [Offer(row, Quality.NONE, Scope.ONE, row.minutes, row.parts, row.words, (*notes, *more))]
    part = knowledge.components.get(row.component)
    told = tuple(life.words for life in lives.get(part.row.id if part else row.component, ()))
    cheap = (row.parts * AFTERMARKET_PRICE).quantize(CENT)
    found = [
        Offer(row, Quality.ORIGINAL, Scope.ONE, row.minutes, row.parts, f"{row.words}, original part", notes),
        Offer(row, Quality.AFTERMARKET, Scope.ONE, row.minutes, cheap, f"{row.words}, aftermarket part",
              (*notes, *(told or ("no part of the kind on the shop's record yet",)))),
    ]  # fmt: skip
    several = members(knowledge, row)
    if len(several) > 1:
        minutes = round(row.minutes * (1.0 + SET_TIME * (len(several) - 1)))
        note = "measure the others first: worn alike, the set saves the second visit; good, they stay"
        words = f"{row.words.rstrip('0123456789 ')}: all {len(several)}, original parts"
        found.append(Offer(row, Quality.ORIGINAL, Scope.SET, minutes, row.parts * len(several), words, (*notes, note)))
    return found
