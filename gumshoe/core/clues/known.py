"""Causes that are on record: the codes they set are expected and accuse nobody.

A sensor unplugged with the key on sets its circuit code, a dead or disconnected battery sets power-loss codes in many
modules (common practice, trade.md 2). The strengths are those of the same cause as a suspect.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

from gumshoe.core.knowledge.catalogue import Knowledge


@dataclass(frozen=True)
class KnownCause:
    """Something known to have happened: words with its time, and the chance with which it sets each code."""

    words: str
    codes: dict[str, float] = field(default_factory=dict)


def unplugged(knowledge: Knowledge, component: str, when: str = "") -> KnownCause:
    """The component was unplugged with the key on. A component nobody knows sets nothing."""
    part = knowledge.components.get(component)
    codes: dict[str, float] = {}
    for row in knowledge.faults.values():
        point = knowledge.points_by_fault.get(row.id)
        on_plug = point is not None and point.field == "plug" and any(item.id == component for item in point.members)
        if on_plug or (row.component == component and row.mode == "open"):
            codes |= {code: max(chance, codes.get(code, 0.0)) for code, chance in row.codes.items()}
    name = part.words if part else component.replace("_", " ")
    return KnownCause(f"The plug of {name} was off{f' ({when})' if when else ''}", codes)


def explained_by(causes: Iterable[KnownCause], code: str) -> tuple[float, str]:
    """The chance that a cause on record sets a code, and the words of the likeliest; 0 and nothing where none does."""
    found = [(cause.codes[code], cause.words) for cause in causes if cause.codes.get(code, 0.0) > 0.0]
    return max(found, key=lambda row: row[0], default=(0.0, ""))
