"""The misfire counters, read: pattern, per cent, catalyst danger, and whether a hand test agrees.

Counters of service 06, monitors A2–AD by cylinder, test 0B average of the last ten drive cycles, 0C the last or current
one (SAE J1979 [S]); they survive key-off, so all of this can be read with the engine stopped. Per cent = counts /
(revolutions · cylinders / 2); the catalyst window is 200 revolutions, the emission window 1000 [S].
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from gumshoe.core.clues.misfire_seen import MisfireSeen
from gumshoe.core.codes import CodeState, misfiring_cylinder
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.values import MISFIRE
from gumshoe.core.obd.snapshot import ModuleSnapshot
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.powertrain.misfires import Lack
from gumshoe.core.powertrain.positions import (
    NO_MISFIRE,
    UNNAMED,
    Pattern,
    PatternKind,
    bank_members,
    bank_of,
    pattern_of,
)

ENOUGH_COUNTS = 100
"""Counts of one drive cycle from which the counters name cylinders (common practice)."""
FEW_COUNTS = 20
"""… and where a misfire code stands beside them, which says itself that there were enough, or ONE_STANDS_OUT."""
ONE_STANDS_OUT = 0.8
"""A cylinder with this part of all counts is named by few of them."""
STANDS_OUT = 0.35
"""A cylinder is called misfiring from this part of the worst one's count on (common practice)."""
SEVERAL = "P0300"
FIRST_CYLINDER = 0xA1
LAST_TEST, AVERAGE_TEST = 0x0C, 0x0B
CATALYST_DANGER_PCT = 10.0
"""Per cent in 200 revolutions from which a catalyst is commonly held to be in danger; the maker's figure depends on
speed and load (common practice)."""
EMISSION_PCT = 2.0
"""Per cent in 1000 revolutions at which the emission threshold is commonly set (common practice)."""


@dataclass(frozen=True)
class MisfireReading:
    """What counters and codes say together. ``last`` and ``average``: counts by cylinder."""

    last: dict[int, int]
    average: dict[int, int]
    codes: tuple[str, ...]
    pattern: Pattern
    from_counters: bool

    @property
    def cylinders(self) -> tuple[int, ...]:
        """Cylinders that the counters blame."""
        return blamed(self.last, FEW_COUNTS if self.codes else ENOUGH_COUNTS)

    @property
    def misfiring(self) -> tuple[int, ...]:
        """Cylinders that counters or, where those are silent, codes name."""
        return self.cylinders or tuple(cylinders_named(self.codes))

    @property
    def total(self) -> int:
        return sum(self.last.values())

    def seen(self, powertrain: Powertrain) -> MisfireSeen:
        """All that was seen, for the suspects."""
        return MisfireSeen(
            powertrain.cylinders,
            powertrain.firing_order,
            counts=tuple(self.last.get(n, 0) for n in range(1, powertrain.cylinders + 1)) if self.total else None,
            named=tuple(sorted(cylinders_named(self.codes))),
            several=SEVERAL in self.codes,
            unnamed=bool(self.codes),
        )


def cylinders_named(codes: Iterable[str]) -> list[int]:
    """The cylinders that misfire codes name: P0301 to P0312."""
    return [cylinder for code in codes if (cylinder := misfiring_cylinder(code)) is not None]


def misfire_counts(module: ModuleSnapshot, test: int = LAST_TEST) -> dict[int, int]:
    """Counts by cylinder of one test id."""
    return {
        result.mid - FIRST_CYLINDER: round(result.value)
        for result in module.results
        if 0xA2 <= result.mid <= 0xAD and result.tid == test
    }


def blamed(counts: dict[int, int], least: int = ENOUGH_COUNTS) -> tuple[int, ...]:
    """Cylinders whose count stands out; none while there are no more than ``least`` counts in all, but for one cylinder
    that has nearly all of them."""
    total, worst = sum(counts.values()), max(counts.values(), default=0)
    if total <= (FEW_COUNTS if worst >= ONE_STANDS_OUT * total else least):
        return ()
    return tuple(sorted(n for n, count in counts.items() if count >= STANDS_OUT * worst))


def read_misfire(module: ModuleSnapshot, knowledge: Knowledge) -> MisfireReading:
    """Read one module's misfire counters and codes. Counters speak before codes: they name cylinders by themselves."""
    powertrain = knowledge.powertrain
    last, average = misfire_counts(module), misfire_counts(module, AVERAGE_TEST)
    held = {item.code for item in module.codes if item.state not in (CodeState.PERMANENT, CodeState.HISTORY)}
    codes = tuple(
        sorted(code for code in held if code in knowledge.codes and knowledge.codes[code].evidence == MISFIRE)
    )
    cylinders = blamed(last, FEW_COUNTS if codes else ENOUGH_COUNTS)
    named = cylinders_named(codes)
    if cylinders:
        pattern = pattern_of(powertrain, cylinders)
    elif len(named) == 1 or (named and SEVERAL not in codes):
        pattern = pattern_of(powertrain, named)
    else:
        pattern = UNNAMED if codes else NO_MISFIRE
    return MisfireReading(last, average, codes, pattern, bool(cylinders))


def misfire_percent(counts: int, revolutions: float, cylinders: int) -> float:
    """Misfires per hundred firings of a four-stroke engine. Zero revolutions give zero."""
    return 100.0 * counts / (revolutions * cylinders / 2.0) if revolutions > 0.0 else 0.0


@dataclass(frozen=True)
class MisfireShare:
    """Per cent of the firings that misfired, over the revolutions the counts cover: whole engine and by cylinder."""

    whole: float
    by_cylinder: dict[int, float]

    @property
    def possible(self) -> bool:
        """False where more misfires were counted than the engine, or one cylinder, fires in those revolutions."""
        return max(self.whole, *self.by_cylinder.values()) <= 100.0

    @property
    def endangers_catalyst(self) -> bool:
        return self.possible and self.whole >= CATALYST_DANGER_PCT


def misfire_share(reading: MisfireReading, revolutions: float, cylinders: int) -> MisfireShare:
    """Per cent of the last drive cycle's counts. A cylinder of a four-stroke engine fires every second revolution."""
    by_cylinder = {n: misfire_percent(reading.last.get(n, 0), revolutions, 1) for n in range(1, cylinders + 1)}
    return MisfireShare(misfire_percent(reading.total, revolutions, cylinders), by_cylinder)


_ADVICE = {
    PatternKind.ONE: (
        "Cheap and reversible first: a spark tester, or coil and then plug swapped with a good neighbour to see "
        "whether the count follows; then injector and compression of that cylinder."
    ),
    PatternKind.COMPANIONS: "They share one coil, or half a cycle: that coil first, then what both have in common.",
    PatternKind.NEIGHBOURS: (
        "Two neighbours: the head gasket between them, or each for itself. Compression and leak-down of both before "
        "anything is bought."
    ),
    PatternKind.BANK: (
        "That bank's coil feed and ground, its cam timing, its exhaust. Counters may blame only some of a bank's "
        "cylinders: verify spark by hand on the neighbours."
    ),
    PatternKind.SEVERAL: (
        "What these cylinders share: coil feed or ground, leads, plugs of one age; where all do: fuel pressure, air "
        "leak, timing, crank signal, bad fuel."
    ),
    PatternKind.NONE: (
        "The counters blame nobody. If it shakes all the same, look at mounts, mixture and a hand balance."
    ),
}


def pattern_advice(pattern: Pattern) -> str:
    """What the pattern points to (common practice, trade.md 3)."""
    return _ADVICE[pattern.kind]


def shared_bank_warning(reading: MisfireReading, powertrain: Powertrain) -> str:
    """Two or more, but not all, of one bank blamed: the others of that bank have to be checked by hand."""
    found = reading.cylinders
    banks = {bank_of(powertrain, n) for n in found}
    if len(found) < 2 or len(banks) != 1:
        return ""
    rest = [n for n in bank_members(powertrain, banks.pop()) if n not in found]
    if not rest:
        return ""
    return (
        f"Cylinder {', '.join(map(str, rest))} of the same bank counts little, but counters are evidence, not "
        "proof: verify spark by hand there too before the shared coil feed or ground is acquitted."
    )


_FOUND = {
    Lack.POWER: ("does not work", "every cylinder works"),
    Lack.SPARK: ("has no spark", "every cylinder has its spark"),
    Lack.INJECTION: ("gets no pulse at its injector", "every injector gets its pulse"),
    Lack.COMPRESSION: ("has lost compression", "every cylinder has its compression"),
}
"""What is said of a cylinder that lacks it, and where none does."""


def found_words(lacks: Lack, pattern: Pattern) -> str:
    """What was found by hand, in words."""
    without, none = _FOUND[lacks]
    return f"{pattern.words}: {without}" if pattern.kind is not PatternKind.NONE else none


def disagreement(reading: MisfireReading, dead_by_hand: Iterable[int], lacks: Lack = Lack.POWER) -> str:
    """The warning when what was found by hand contradicts the counters. A cylinder that misfires may lack one thing and
    have the others, so only one that works in every way speaks against its count."""
    hand, counted = set(dead_by_hand), set(reading.misfiring)
    without = _FOUND[lacks][0]
    only_hand, only_counted = sorted(hand - counted), sorted(counted - hand) if lacks is Lack.POWER else []
    if not (only_hand or only_counted):
        return ""
    parts = []
    if only_hand:
        parts.append(f"by hand cylinder {', '.join(map(str, only_hand))} {without}, counters and codes do not say so")
    if only_counted:
        parts.append(f"counters or codes blame cylinder {', '.join(map(str, only_counted))}, by hand it works")
    return (
        "Counters and hand test disagree: "
        + "; ".join(parts)
        + ". Believe the hand test for what it shows, and look for what these cylinders share."
    )
