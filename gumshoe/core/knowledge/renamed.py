"""Names that were given up (``renamed.toml``), found again under those of today."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache
from pathlib import Path

from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.knowledge.values import FailureMode, Part, Row

FILE = Path(__file__).with_name("renamed.toml")
MADE_OF_COMPONENTS = (*(f"{mode}_" for mode in FailureMode), "check_", "mend_", "renew_", "")
"""What stands before a component in a generated name."""


@dataclass(frozen=True)
class RenamedFile(Row):
    """Old names and new ones; of components, with everything that is generated from them."""

    component: dict[str, Part] = field(default_factory=dict)
    name: dict[str, str] = field(default_factory=dict)


@cache
def renamed() -> dict[str, str]:
    """The present name of each that was given up."""
    file = load_table(FILE, RenamedFile)
    made = {f"{head}{old}": f"{head}{new}" for old, new in file.component.items() for head in MADE_OF_COMPONENTS}
    return made | file.name


def present(name: str) -> str:
    """The name of today; the same where it was never changed."""
    found, seen = name, {name}
    while found in renamed() and renamed()[found] not in seen:
        found = renamed()[found]
        seen.add(found)
    return found


def names_of(name: str) -> tuple[str, ...]:
    """A name of today with every one it had before, to look for what is on record."""
    return (name, *(old for old in renamed() if present(old) == name))
