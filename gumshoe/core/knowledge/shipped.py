"""The tables as shipped, read once. That they fit together is checked by ``gumshoe.core.validation``."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path

from gumshoe.core.knowledge.climates import ClimateRow, ClimatesFile
from gumshoe.core.knowledge.rows import (
    BandRow,
    CautionsFile,
    CluesFile,
    CodeRow,
    CodesFile,
    EffectRow,
    EffectsFile,
    FaultRow,
    FaultsFile,
    MonitorsFile,
    RepairRow,
    RepairsFile,
    SignalsFile,
    SymptomRow,
    TestRow,
    TestsFile,
    VariableRow,
)
from gumshoe.core.knowledge.tables import load_table

FOLDER = Path(__file__).parent


@dataclass(frozen=True)
class Tables:
    """All tables of suspects, clues, tests and repairs."""

    codes: tuple[CodeRow, ...]
    variables: tuple[VariableRow, ...]
    symptoms: tuple[SymptomRow, ...]
    faults: tuple[FaultRow, ...]
    tests: tuple[TestRow, ...]
    repairs: tuple[RepairRow, ...]
    cautions: dict[str, str]
    bands: tuple[BandRow, ...]
    effects: tuple[EffectRow, ...] = ()
    climates: tuple[ClimateRow, ...] = ()


def fault_files() -> list[Path]:
    """The files of suspects, in order."""
    return sorted((FOLDER / "faults").glob("*.toml"))


def _faults(path: Path) -> Iterator[FaultRow]:
    file = load_table(path, FaultsFile)
    yield from (replace(row, standing=file.standing) for row in file.fault)


@cache
def tables() -> Tables:
    """The shipped tables. Raises DataError with file and line."""
    clues = load_table(FOLDER / "clues.toml", CluesFile)
    return Tables(
        codes=load_table(FOLDER / "codes.toml", CodesFile).code,
        variables=clues.variable,
        symptoms=clues.symptom,
        faults=tuple(row for path in fault_files() for row in _faults(path)),
        climates=load_table(FOLDER / "climates.toml", ClimatesFile).climate,
        effects=load_table(FOLDER / "effects.toml", EffectsFile).effect,
        tests=load_table(FOLDER / "tests.toml", TestsFile).test,
        repairs=load_table(FOLDER / "repairs.toml", RepairsFile).repair,
        cautions=load_table(FOLDER / "cautions.toml", CautionsFile).cautions,
        bands=load_table(FOLDER / "signals.toml", SignalsFile).band,
    )


@cache
def monitor_needs() -> dict[str, str]:
    """What each readiness monitor needs to run, by its name."""
    return load_table(FOLDER / "monitors.toml", MonitorsFile).monitors


@cache
def plain_monitors() -> dict[str, str]:
    """What each readiness monitor is about, for the customer."""
    return load_table(FOLDER / "monitors.toml", MonitorsFile).plain
