"""Where cars live (``climates.toml``), and how many times as often what fails there."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from gumshoe.core.knowledge.rows import FaultRow
from gumshoe.core.knowledge.values import Climate, Factor, FailureMode, Row, Standing, Suspect, Words

Oftener = tuple[float, str]
"""How many times as often, and why."""


@dataclass(frozen=True)
class OftenerRow(Row):
    """What fails so many times as often in a climate, and why: suspects, or every part whose circuit fails in a way."""

    factor: Factor
    why: Words
    suspects: tuple[Suspect, ...] = ()
    modes: tuple[FailureMode, ...] = ()


@dataclass(frozen=True)
class ClimateRow(Row):
    """Where cars live, and what that does to the base rates."""

    id: Climate
    words: Words
    oftener: tuple[OftenerRow, ...] = ()


@dataclass(frozen=True)
class ClimatesFile(Row):
    standing: Standing
    climate: tuple[ClimateRow, ...]


def oftener(climate: ClimateRow, faults: Mapping[str, FaultRow]) -> dict[str, Oftener]:
    """By suspect; what the climate leaves as it is has no entry. A row by name is more particular than one by mode."""
    by_name: dict[str, Oftener] = {}
    by_mode: dict[str, Oftener] = {}
    for row in climate.oftener:
        by_name |= dict.fromkeys(row.suspects, (row.factor, row.why))
        by_mode |= dict.fromkeys(row.modes, (row.factor, row.why))
    found = {name: by_name.get(fault.template) or by_mode.get(fault.mode) for name, fault in faults.items()}
    return {name: told for name, told in found.items() if told}
