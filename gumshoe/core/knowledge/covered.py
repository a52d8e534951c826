"""How much of what a powertrain can show is covered: every code of its parts by a suspect, every suspect by a test."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from gumshoe.core.codes import TroubleCode, structure
from gumshoe.core.knowledge.catalogue import Knowledge


@dataclass(frozen=True)
class Share:
    """So many of so many, and the names of those that are missing."""

    covered: int
    whole: int
    missing: tuple[str, ...]

    @property
    def share(self) -> float:
        return self.covered / self.whole if self.whole else 1.0


def codes_of_parts(knowledge: Knowledge) -> frozenset[str]:
    """The codes that the parts of this powertrain can set: of each part by its names in the catalogue."""
    return frozenset(number for part in knowledge.components.values() for number, _ in part.codes)


def codes_covered(all_knowledge: Iterable[Knowledge]) -> dict[str, Share]:
    """Of the codes that parts can set, those that a suspect raises or that are read as a clue, by area of the code."""
    seen: dict[str, list[tuple[str, bool]]] = {}
    for knowledge in all_knowledge:
        weighed = knowledge.weighed
        for number in sorted(codes_of_parts(knowledge)):
            seen.setdefault(structure(TroubleCode(number)).words, []).append((number, number in weighed))
    return {area: _share(rows) for area, rows in sorted(seen.items())}


def suspects_covered(all_knowledge: Iterable[Knowledge]) -> Share:
    """Of the suspects, those that some test shows directly."""
    rows = [
        (knowledge.templates[name], bool(knowledge.shown_by(name)))
        for knowledge in all_knowledge
        for name in knowledge.faults
    ]
    return _share(rows)


def _share(rows: Iterable[tuple[str, bool]]) -> Share:
    told = list(rows)
    missing = dict.fromkeys(name for name, covered in told if not covered)
    return Share(sum(covered for _, covered in told), len(told), tuple(missing))
