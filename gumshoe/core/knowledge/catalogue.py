"""Load all tables, check that they fit together, and expand them for one powertrain.

A row with ``per = "cylinder"`` becomes one row for each cylinder, ``{n}`` standing for its number.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path
from typing import Any, TypeVar

from gumshoe.core.errors import DataError
from gumshoe.core.knowledge.code_catalogue import composed_codes, kinds
from gumshoe.core.knowledge.outcomes import condition
from gumshoe.core.knowledge.rows import (
    BandRow,
    BinRow,
    CautionsFile,
    CluesFile,
    CodeRow,
    CodesFile,
    Distribution,
    FaultRow,
    FaultsFile,
    MonitorsFile,
    Platform,
    RepairRow,
    RepairsFile,
    SignalsFile,
    SymptomRow,
    TestRow,
    TestsFile,
    VariableRow,
)
from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.powertrain.description import Powertrain

FOLDER = Path(__file__).parent
FLOOR = 0.001
"""No bin is impossible: smallest probability in any table (before it is made to sum to one)."""

Row = TypeVar("Row", CodeRow, FaultRow, RepairRow)


@dataclass(frozen=True)
class Tables:
    """All tables as shipped, checked against each other."""

    codes: tuple[CodeRow, ...]
    variables: tuple[VariableRow, ...]
    symptoms: tuple[SymptomRow, ...]
    faults: tuple[FaultRow, ...]
    tests: tuple[TestRow, ...]
    repairs: tuple[RepairRow, ...]
    cautions: dict[str, str]
    bands: tuple[BandRow, ...]


@dataclass(frozen=True)
class Knowledge:
    """The tables expanded for one powertrain, by id. ``templates`` maps each suspect to the row it came from."""

    powertrain: Powertrain
    codes: dict[str, CodeRow]
    variables: dict[str, VariableRow]
    symptoms: dict[str, SymptomRow]
    faults: dict[str, FaultRow]
    tests: dict[str, TestRow]
    repairs: dict[str, RepairRow]
    cautions: dict[str, str]
    bands: tuple[BandRow, ...]
    templates: dict[str, str]

    def proven_by(self, outcome_proves: Iterable[str]) -> frozenset[str]:
        """Suspects an outcome shows directly; a template name stands for all of its cylinders."""
        wanted = set(outcome_proves)
        return frozenset(fault for fault, template in self.templates.items() if {fault, template} & wanted)


@cache
def tables() -> Tables:
    """The shipped tables. Raises DataError naming file and row when they do not fit together."""
    clues = load_table(FOLDER / "clues.toml", CluesFile)
    loaded = Tables(
        codes=load_table(FOLDER / "codes.toml", CodesFile).code,
        variables=clues.variable,
        symptoms=clues.symptom,
        faults=load_table(FOLDER / "faults.toml", FaultsFile).fault,
        tests=load_table(FOLDER / "tests.toml", TestsFile).test,
        repairs=load_table(FOLDER / "repairs.toml", RepairsFile).repair,
        cautions=load_table(FOLDER / "cautions.toml", CautionsFile).cautions,
        bands=load_table(FOLDER / "signals.toml", SignalsFile).band,
    )
    check(loaded)
    return loaded


def check(loaded: Tables) -> None:
    """Cross-references and sums. Raises DataError with file, line and row."""
    codes = {row.number for row in loaded.codes}
    variables = {row.id: row for row in loaded.variables}
    symptoms = {row.id for row in loaded.symptoms}
    repairs = {row.id for row in loaded.repairs}
    faults = {row.id for row in loaded.faults}
    for variable in loaded.variables:
        _sums("clues.toml", variable.id, variable.normal, {item.id for item in variable.bins})
    for code in loaded.codes:
        _known("codes.toml", code.number, "kind", [code.kind], kinds())
    for fault in loaded.faults:
        place = ("faults.toml", fault.id)
        _known(*place, "code", fault.codes, codes)
        _known(*place, "symptom", fault.symptoms, symptoms)
        _known(*place, "repair", [fault.repair], repairs)
        _known(*place, "variable", fault.graded, variables)
        for name, table in fault.graded.items():
            _sums("faults.toml", fault.id, table, {item.id for item in variables[name].bins})
    for test in loaded.tests:
        _known("tests.toml", test.id, "caution", test.cautions, loaded.cautions)
        if test.measures:
            _known("tests.toml", test.id, "variable", [test.measures], variables)
            continue
        outcomes = {item.id for item in test.outcomes}
        _sums("tests.toml", test.id, test.otherwise, outcomes)
        _known("tests.toml", test.id, "suspect", test.given, faults)
        for table in test.given.values():
            _sums("tests.toml", test.id, table, outcomes)
        keys = {item.key for item in test.readings}
        for outcome in test.outcomes:
            _known("tests.toml", test.id, "suspect", outcome.proves, faults)
            _known("tests.toml", test.id, "reading", [condition(outcome.when)[0]], keys)
    for repair in loaded.repairs:
        _known("repairs.toml", repair.id, "caution", repair.cautions, loaded.cautions)


@cache
def expand(powertrain: Powertrain) -> Knowledge:
    """The tables for one powertrain: rows it lacks the parts for are left out, cylinders are numbered."""
    shipped = tables()
    cylinders = range(1, powertrain.cylinders + 1)
    features = powertrain.features
    variables = {row.id: _variable(row, powertrain.cylinders) for row in shipped.variables}
    faults: dict[str, FaultRow] = {}
    templates: dict[str, str] = {}
    for fault in shipped.faults:
        if not set(fault.needs) <= features:
            continue
        for number in cylinders if fault.per else (0,):
            row = _numbered(fault, number)
            graded = {
                name: _distribution(table, variables[name], powertrain.cylinders, number)
                for name, table in fault.graded.items()
            }
            row = replace(row, graded=graded)
            faults[row.id] = row
            templates[row.id] = fault.id
    used = {fault.repair for fault in faults.values()}
    repairs = [_numbered(row, n) for row in shipped.repairs for n in (cylinders if row.per else (0,))]
    codes = [_numbered(row, n) for row in shipped.codes for n in (cylinders if row.per else (0,))]
    tests = {}
    for test in shipped.tests:
        given = {fault: test.given[template] for fault, template in templates.items() if template in test.given}
        if test.measures or given:
            tests[test.id] = replace(test, given=given)
    return Knowledge(
        powertrain=powertrain,
        codes=composed_codes() | {row.number: row for row in codes},
        variables=variables,
        symptoms={row.id: row for row in shipped.symptoms},
        faults=faults,
        tests=tests,
        repairs={row.id: row for row in repairs if row.id in used},
        cautions=shipped.cautions,
        bands=shipped.bands,
        templates=templates,
    )


@cache
def monitor_needs() -> dict[str, str]:
    """What each readiness monitor needs to run, by its name."""
    return load_table(FOLDER / "monitors.toml", MonitorsFile).monitors


@cache
def platforms() -> dict[str, Platform]:
    """Every shipped platform file, by id."""
    found = (load_table(path, Platform) for path in sorted((FOLDER / "platforms").glob("*.toml")))
    return {item.platform.id: item for item in found}


def platform_for_vin(vin: str) -> Platform | None:
    """The platform whose prefix the VIN begins with."""
    return next((item for item in platforms().values() if vin.startswith(item.platform.vin_prefix)), None)


# -- inside -----------------------------------------------------------------------------------------------


def _numbered(row: Row, number: int) -> Row:
    """Put a cylinder's number in the place of ``{n}``, everywhere in the row."""
    if not row.per:
        return row
    return type(row)(**{name: _fill(value, number) for name, value in vars(row).items()})


def _fill(value: Any, number: int) -> Any:
    if isinstance(value, str):
        return value.replace("{n}", str(number))
    if isinstance(value, tuple):
        return tuple(_fill(item, number) for item in value)
    if isinstance(value, dict) and not any(isinstance(item, dict) for item in value.values()):
        return {_fill(key, number): item for key, item in value.items()}
    return value  # tables of graded clues are numbered by _distribution


def _variable(row: VariableRow, cylinders: int) -> VariableRow:
    bins: list[BinRow] = []
    for item in row.bins:
        numbers = range(1, cylinders + 1) if item.per else (0,)
        bins += [
            replace(item, id=item.id.replace("{n}", str(n)), words=item.words.replace("{n}", str(n)), per="")
            for n in numbers
        ]
    wide = replace(row, bins=tuple(bins))
    return replace(wide, normal=_distribution(row.normal, wide, cylinders, 0))


def _distribution(table: Mapping[str, float], variable: VariableRow, cylinders: int, own: int) -> Distribution:
    """A table over concrete bins: the share written for ``{n}`` goes to the suspect's own cylinder, or is spread."""
    shares: Distribution = {}
    for item in variable.bins:
        if item.id in table:
            shares[item.id] = table[item.id]
            continue
        stem, _, tail = item.id.rpartition("_")
        mass = table.get(f"{stem}_{{n}}", 0.0)
        shares[item.id] = (mass if int(tail) == own else 0.0) if own else mass / cylinders
    return floored(shares)


def floored(shares: Mapping[str, float]) -> Distribution:
    """The same distribution with no bin below the floor, summing to one."""
    lifted = {name: max(value, FLOOR) for name, value in shares.items()}
    total = sum(lifted.values())
    return {name: value / total for name, value in lifted.items()}


def _line(file: str, row: str) -> str:
    """The line on which a row's id stands."""
    for number, line in enumerate((FOLDER / file).read_text(encoding="utf-8").splitlines(), 1):
        if line.strip() in (f'id = "{row}"', f'number = "{row}"'):
            return f"{file}, line {number}"
    return file


def _known(file: str, row: str, what: str, names: Iterable[str], known: Iterable[str]) -> None:
    for name in names:
        if name not in set(known):
            raise DataError(f"{_line(file, row)}: {row}: there is no {what} “{name}”.")


def _sums(file: str, row: str, table: Mapping[str, float], bins: set[str]) -> None:
    if set(table) != bins:
        raise DataError(f"{_line(file, row)}: {row}: bins {sorted(table)} where {sorted(bins)} are asked for.")
    if abs(sum(table.values()) - 1.0) > 1e-6:
        raise DataError(f"{_line(file, row)}: {row}: a distribution sums to {sum(table.values()):.4f}, not to 1.")
