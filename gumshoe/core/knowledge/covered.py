"""How much of what a powertrain can show is covered: every code of its parts by a suspect, every suspect by a test."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from gumshoe.core.codes import TroubleCode, structure
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.code_index import CodeIndex
from gumshoe.core.knowledge.told_parts import is_stranger


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


def codes_led_somewhere(all_knowledge: Iterable[Knowledge], index: CodeIndex) -> Share:
    """Of the codes of the standard, those that lead to what they name: by a suspect of the tables on some powertrain,
    or by what is made from the code itself where none describes it (``told_parts.py``)."""
    known = list(all_knowledge)
    weighed = frozenset[str]().union(*(knowledge.weighed for knowledge in known))
    parts = frozenset[str]().union(*(codes_of_parts(knowledge) for knowledge in known))
    return _share((code, code in weighed or code in parts or is_stranger(code, index)) for code in sorted(index.rows))


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
