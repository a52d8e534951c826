"""Under what circumstances a repair has to be tried: what the customer said, and what the fault's own nature asks for.

The rules stand in ``circumstances.toml`` (common practice). What a monitor wants by itself is not among them.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, field
from fnmatch import fnmatchcase
from functools import cache
from pathlib import Path

from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.proof_rows import AsksRow, CircumstanceRow, CircumstancesFile
from gumshoe.core.knowledge.tables import load_table

FILE = Path(__file__).parent.parent / "knowledge" / "circumstances.toml"


@dataclass(frozen=True)
class Repaired:
    """What bears on how a repair is proven: the customer's words and symptoms, the suspects it was aimed at, the
    repairs made, the codes of the scan before clearing. ``framed``: a frame of running conditions was stored;
    ``moving``: one of the frames was stored while the car moved."""

    symptoms: frozenset[str] = frozenset()
    said: str = ""
    suspects: tuple[str, ...] = ()
    repairs: tuple[str, ...] = ()
    codes: tuple[str, ...] = ()
    framed: bool = False
    moving: bool = False


@dataclass(frozen=True)
class _Seen:
    """The same with what the knowledge says of it."""

    repaired: Repaired
    monitors: frozenset[str] = field(default_factory=frozenset)
    kinds: frozenset[str] = field(default_factory=frozenset)
    modes: frozenset[str] = field(default_factory=frozenset)
    features: frozenset[str] = field(default_factory=frozenset)
    wiring: bool = False


@cache
def circumstances() -> tuple[CircumstanceRow, ...]:
    """The shipped rules. Raises DataError with file and line."""
    return load_table(FILE, CircumstancesFile).circumstance


def asked_of(repaired: Repaired, knowledge: Knowledge) -> tuple[CircumstanceRow, ...]:
    """The circumstances that belong to this proof, in the order of the table."""
    codes = [knowledge.codes[code] for code in repaired.codes if code in knowledge.codes]
    faults = [knowledge.faults[name] for name in repaired.suspects if name in knowledge.faults]
    works = [knowledge.repairs[name] for name in repaired.repairs if name in knowledge.repairs]
    seen = _Seen(
        repaired,
        frozenset(row.monitor for row in codes),
        frozenset(row.kind for row in codes),
        frozenset(row.mode for row in faults),
        knowledge.powertrain.features,
        any(row.wiring for row in works),
    )
    return tuple(row for row in circumstances() if any(_holds(asks, seen) for asks in row.when))


def _holds(asks: AsksRow, seen: _Seen) -> bool:
    done = seen.repaired
    return (
        (not asks.symptoms or bool(done.symptoms.intersection(asks.symptoms)))
        and (not asks.said or _said(asks.said, done.said))
        and (not asks.suspects or _any(asks.suspects, done.suspects))
        and (not asks.repairs or _any(asks.repairs, done.repairs))
        and (not asks.codes or _any(asks.codes, done.codes))
        and (not asks.monitors or bool(seen.monitors.intersection(asks.monitors)))
        and (not asks.kinds or bool(seen.kinds.intersection(asks.kinds)))
        and (not asks.modes or bool(seen.modes.intersection(asks.modes)))
        and (not asks.features or bool(seen.features.intersection(asks.features)))
        and (not asks.wiring or seen.wiring)
        and (not asks.no_frame or not done.framed)
        and (not asks.moving or done.moving)
    )


def _any(patterns: Iterable[str], names: Iterable[str]) -> bool:
    rows = tuple(patterns)
    return any(fnmatchcase(name, pattern) for name in names for pattern in rows)


def _said(beginnings: Iterable[str], text: str) -> bool:
    """Whether the text has a word (or words) that begin so, and not with a "not" or "no" right before."""
    told = text.casefold()
    return any(
        not re.search(r"\b(not|no|never|nor)\s+(when\s+|in\s+|the\s+)?$", told[: found.start()])
        for beginning in beginnings
        for found in re.finditer(rf"\b{re.escape(beginning)}", told)
    )
