"""Load all tables, check that they fit together, and expand them for one powertrain.

A row with ``per = "cylinder"`` becomes one row for each cylinder, ``{n}`` standing for its number.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, fields, replace
from functools import cache, cached_property, lru_cache
from pathlib import Path

from gumshoe.core.errors import DataError
from gumshoe.core.knowledge.access import MINUTES, Access, access_of, hardest
from gumshoe.core.knowledge.by_place import ASKED, by_place
from gumshoe.core.knowledge.code_catalogue import kinds
from gumshoe.core.knowledge.code_index import CodeIndex, of_other_bank, standard_index
from gumshoe.core.knowledge.effects import EFFECT_SOURCES, echoed, with_effects
from gumshoe.core.knowledge.generate import generated, generated_tests, raised_by
from gumshoe.core.knowledge.hazards import with_usual_cautions
from gumshoe.core.knowledge.outcomes import condition
from gumshoe.core.knowledge.parts import (
    GENERIC,
    Component,
    Local,
    PinRow,
    SharedPoint,
    components,
    components_file,
    shared_points,
)
from gumshoe.core.knowledge.places import (
    Places,
    distribution_at,
    fill,
    filled_row,
    graded_at,
    rows_at,
    variable_at,
)
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
    Specification,
    SymptomRow,
    TestRow,
    TestsFile,
    VariableRow,
)
from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.powertrain.positions import bank_of

FOLDER = Path(__file__).parent
MOST_EXPANDED = 64
"""So many powertrains are kept expanded; some megabytes each."""
SOME_CYLINDERS, OFTEN = ("cylinder_", "companions_", "neighbours_"), 0.4
"""How a misfire of some cylinders begins among the bins, and how often a fault must show it to count as theirs."""


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
    effects: tuple[EffectRow, ...] = ()


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
    components: dict[str, Component] = field(default_factory=dict)
    points: dict[str, SharedPoint] = field(default_factory=dict)
    effects: tuple[EffectRow, ...] = ()
    pins: tuple[PinRow, ...] = ()
    index: CodeIndex = field(default_factory=standard_index, repr=False)

    @cached_property
    def linked(self) -> frozenset[str]:
        """Every code that at least one suspect can raise."""
        return frozenset(self.by_code)

    @cached_property
    def weighed(self) -> frozenset[str]:
        """Every code that bears on a suspect: raised by one, or read as a graded clue (the misfire codes)."""
        graded = {name for row in self.faults.values() for name in row.graded}
        return self.linked | {number for number, row in self.codes.items() if row.evidence in graded}

    @cached_property
    def by_code(self) -> dict[str, dict[str, float]]:
        """For each code, the suspects that raise it and their chance."""
        return _turned({name: row.codes for name, row in self.faults.items()})

    @cached_property
    def by_symptom(self) -> dict[str, dict[str, float]]:
        """For each symptom, the suspects that show it and their chance."""
        return _turned({name: row.symptoms for name, row in self.faults.items()})

    @cached_property
    def _parts_by_code(self) -> dict[str, tuple[str, ...]]:
        found: dict[str, tuple[str, ...]] = {}
        for name, component in self.components.items():
            for number, _ in component.codes:
                found[number] = (*found.get(number, ()), name)
        return found

    def components_of(self, code: str) -> tuple[str, ...]:
        """The components a code is about; none for a code of the machine as a whole."""
        return self._parts_by_code.get(code, ())

    @cached_property
    def points_by_fault(self) -> dict[str, SharedPoint]:
        """The shared point behind each suspect that is one."""
        by_row = {point.row.fault: point for point in self.points.values() if point.row and point.row.fault}
        generated = {f"shared_{name}": point for name, point in self.points.items()}
        return {fault: point for fault, point in (by_row | generated).items() if fault in self.faults}

    def reached_by(self, repair: str) -> frozenset[str]:
        """The components a repair puts right: its own, and those that hang on the shared point it mends."""
        members = (fault.members for fault in self.faults.values() if fault.repair == repair)
        return frozenset({self.repairs[repair].component}.union(*members))

    @cached_property
    def _shown(self) -> dict[str, tuple[TestRow, ...]]:
        found: dict[str, dict[str, TestRow]] = {}
        for test in sorted(self.tests.values(), key=lambda test: (test.minutes, test.id)):
            for outcome in test.outcomes:
                for fault in self.proven_by(outcome.proves) if outcome.proves else ():
                    found.setdefault(fault, {})[test.id] = test
        return {fault: tuple(tests.values()) for fault, tests in found.items()}

    def shown_by(self, fault: str) -> tuple[TestRow, ...]:
        """The tests one of whose outcomes shows the suspect directly, the shortest first."""
        return self._shown.get(fault, ())

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
        faults=tuple(
            row for path in sorted((FOLDER / "faults").glob("*.toml")) for row in load_table(path, FaultsFile).fault
        ),
        effects=load_table(FOLDER / "effects.toml", EffectsFile).effect,
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
    banked = range(1, 3)
    for variable in loaded.variables:
        _sums("clues.toml", variable.id, variable.normal, {item.id for item in variable.bins})
    for effect in loaded.effects:
        _references("effects.toml", effect.id, effect.raises)
        if effect.source not in EFFECT_SOURCES:
            raise DataError(f"effects.toml: {effect.id}: there is no source “{effect.source}”.")
    for code in loaded.codes:
        _known("codes.toml", code.number, "kind", [code.kind], kinds())
    for fault in loaded.faults:
        place = (_fault_file(fault.id), fault.id)
        for bank in banked:
            filled = [fill(name, {"b": bank, "n": bank, "L": "AB"[bank - 1]}) for name in fault.codes]
            _references(*place, [name for name in filled if name not in codes])
        _known(*place, "symptom", fault.symptoms, symptoms)
        _known(*place, "repair", [fault.repair], repairs)
        _known(*place, "root cause", fault.roots, faults)
        _known(*place, "variable", fault.graded, variables)
        for name, table in fault.graded.items():
            _sums(*place, table, {item.id for item in variables[name].bins})
    for test in loaded.tests:
        _known("tests.toml", test.id, "caution", test.cautions, loaded.cautions)
        if test.measures:
            _known("tests.toml", test.id, "variable", [test.measures], variables)
            continue
        outcomes = {item.id for item in test.outcomes}
        _sums("tests.toml", test.id, test.otherwise, outcomes)
        _known("tests.toml", test.id, "suspect", test.given, {*faults, *_generated_kinds()})
        for table in (*test.given.values(), *([test.elsewhere] if test.elsewhere else [])):
            _sums("tests.toml", test.id, table, outcomes)
        keys = {item.key for item in test.readings}
        _known("tests.toml", test.id, "component class", test.at, {part.id for part in components_file().part})
        told = {item.name for item in fields(Specification)}
        _known("tests.toml", test.id, "specified value", [item.of for item in test.readings if item.of], told)
        for outcome in test.outcomes:
            _known("tests.toml", test.id, "suspect", outcome.proves, faults)
            _known("tests.toml", test.id, "reading", [condition(outcome.when)[0]], keys)
            _known("tests.toml", test.id, "axis", [outcome.each] if outcome.each else [], ASKED)
    for repair in loaded.repairs:
        _known("repairs.toml", repair.id, "caution", repair.cautions, loaded.cautions)


@lru_cache(maxsize=MOST_EXPANDED)
def expand(powertrain: Powertrain, local: Local = GENERIC) -> Knowledge:
    """The tables for one powertrain, and what is known of the vehicle beyond them.

    Rows the powertrain lacks the parts for are left out; cylinders, banks and pairs are numbered; suspects, repairs
    and checks of parts and wiring are generated.
    """
    shipped = tables()
    places = Places(powertrain)
    variables = {row.id: variable_at(row, places) for row in shipped.variables if set(row.needs) <= powertrain.features}
    written = [row for shipped_row in shipped.codes for row in rows_at(shipped_row, places)]
    if powertrain.banks > 1:
        written = [*(other for row in written if (other := of_other_bank(row, local.index))), *written]
    codes = local.index.rows | {row.number: row for row in written}
    parts = {item.id: item for item in components(powertrain, local)}
    faults: dict[str, FaultRow] = {}
    templates: dict[str, str] = {}
    repairs = {
        row.id: row
        for shipped_row in shipped.repairs
        if set(shipped_row.on) <= powertrain.features
        for row in rows_at(shipped_row, places)
    }
    for template in shipped.faults:
        if not set(template.needs) <= powertrain.features:
            continue
        for place in places.of(template.per):
            row = filled_row(template, place)
            echo = {n: why for name, why in row.echo.items() for n in echoed(name, local.index, powertrain.banks)}
            strengths = local.index.strengths(row.codes, powertrain.banks)
            if row.mode and row.component in parts:
                strengths = raised_by(parts[row.component], row.mode) | strengths
            row = replace(row, graded=graded_at(template, variables, place, places), codes=strengths, echoes=echo)
            faults[row.id] = row
            templates[row.id] = template.id
    for made in generated(powertrain, local):
        repairs.setdefault(made.repair.id, made.repair)
        if made.fault.id in faults:
            continue  # described by hand for this powertrain
        graded = {name: distribution_at(table, variables[name], {}) for name, table in made.fault.graded.items()}
        faults[made.fault.id] = replace(made.fault, graded=graded)
        templates[made.fault.id] = made.fault.id
    faults = {name: with_effects(row, shipped.effects, local.index, powertrain) for name, row in faults.items()}
    faults = {name: replace(row, roots=roots_of(row, templates, powertrain)) for name, row in faults.items()}
    used = {fault.repair for fault in faults.values()}
    tests = {}
    about = {name: parts[row.component] for name, row in faults.items() if row.component in parts}
    kinds = {
        name: f"{row.mode}_{about[name].row.id}" + (f"_s{about[name].sensor}" if about[name].sensor else "")
        for name, row in faults.items()
        if row.origin == "part" and name in about
    }
    for test in shipped.tests:
        given = {fault: test.given[template] for fault, template in templates.items() if template in test.given}
        given |= {fault: test.given[kind] for fault, kind in kinds.items() if kind in test.given}
        if test.elsewhere:
            given = {name: test.elsewhere for name, row in faults.items() if _of_some_cylinders(row)} | given
        if (test.measures or given) and set(test.on) <= powertrain.features:
            placed = replace(test, given=given)
            tests[test.id] = by_place(placed, powertrain, templates, about)
    tests |= {test.id: test for test in generated_tests(powertrain, local, faults)}
    given_access = dict(local.access)
    tests = {name: _reached(row, parts, powertrain, given_access) for name, row in tests.items()}
    tests = {name: with_usual_cautions(row, parts, powertrain) for name, row in tests.items()}
    repairs = {
        name: replace(row, minutes=row.minutes + MINUTES[access_of(row.component, powertrain, given_access)])
        for name, row in repairs.items()
    }
    return Knowledge(
        powertrain=powertrain,
        codes=codes,
        variables=variables,
        symptoms={row.id: row for row in shipped.symptoms},
        faults=faults,
        tests=tests,
        repairs={name: row for name, row in repairs.items() if name in used},
        cautions=shipped.cautions,
        bands=tuple(row for row in shipped.bands if set(row.needs) <= powertrain.features),
        templates=templates,
        components=parts,
        points={item.id: item for item in shared_points(powertrain, local)},
        effects=shipped.effects,
        pins=local.pins,
        index=local.index,
    )


def _of_some_cylinders(row: FaultRow) -> bool:
    """Whether a fault makes some cylinders misfire and not the others."""
    table = row.graded.get("misfire", {})
    return sum(share for name, share in table.items() if name.startswith(SOME_CYLINDERS)) >= OFTEN


def roots_of(row: FaultRow, templates: Mapping[str, str], powertrain: Powertrain) -> dict[str, float]:
    """The root causes of a suspect that this powertrain has; a template of every cylinder, for those of its bank."""
    found: dict[str, float] = {}
    for root, chance in row.roots.items():
        if root in templates:
            found[root] = chance
            continue
        for name, template in templates.items():
            number = name.rpartition("_")[2]
            own_bank = not number.isdigit() or bank_of(powertrain, int(number)) == (2 if row.id.endswith("_b2") else 1)
            if template == root and own_bank:
                found[name] = chance
    return found


def _reached(
    row: TestRow, parts: Mapping[str, Component], powertrain: Powertrain, given: Mapping[str, Access]
) -> TestRow:
    """The test with the minutes that reaching its parts takes on this vehicle."""
    named = [name for name, item in parts.items() if item.row.id in row.at or f"check_{name}" == row.id]
    how = hardest(named, powertrain, given)
    return replace(row, minutes=row.minutes + MINUTES[how], access="" if how is Access.OPEN else how.value)


@cache
def monitor_needs() -> dict[str, str]:
    """What each readiness monitor needs to run, by its name."""
    return load_table(FOLDER / "monitors.toml", MonitorsFile).monitors


@cache
def plain_monitors() -> dict[str, str]:
    """What each readiness monitor is about, for the customer."""
    return load_table(FOLDER / "monitors.toml", MonitorsFile).plain


# -- inside -----------------------------------------------------------------------------------------------


def _generated_kinds() -> set[str]:
    """How a test names suspects that are generated: the mode and the class, and of a sensor its place."""
    found = set()
    for part in components_file().part:
        tails = ("_s1", "_s2") if "sensor" in part.per else ("",)
        found |= {f"{mode.id}_{part.id}{tail}" for mode in components_file().mode for tail in tails}
    return found


def _turned(table: Mapping[str, Mapping[str, float]]) -> dict[str, dict[str, float]]:
    """Rows to columns."""
    found: dict[str, dict[str, float]] = {}
    for row, cells in table.items():
        for column, value in cells.items():
            found.setdefault(column, {})[row] = value
    return found


def _fault_file(fault: str) -> str:
    """Which of the fault tables a row stands in."""
    for path in sorted((FOLDER / "faults").glob("*.toml")):
        if f'id = "{fault}"' in path.read_text(encoding="utf-8"):
            return f"faults/{path.name}"
    return "faults"


def _references(file: str, row: str, references: Iterable[str]) -> None:
    """Every reference must name a code of the standard catalogue."""
    for reference in references:
        try:
            standard_index().numbers(reference, 2)
        except DataError as error:
            raise DataError(f"{_line(file, row)}: {row}: {error.what}") from error


def _line(file: str, row: str) -> str:
    """The line on which a row's id stands."""
    if not (FOLDER / file).is_file():
        return file
    for number, line in enumerate((FOLDER / file).read_text(encoding="utf-8").splitlines(), 1):
        if line.strip() in (f'id = "{row}"', f'number = "{row}"'):
            return f"{file}, line {number}"
    return file


def _known(file: str, row: str, what: str, names: Iterable[str], known: Iterable[str]) -> None:
    for name in names:
        if name not in set(known):
            raise DataError(f"{_line(file, row)}: {row}: there is no {what} “{name}”.")


def _sums(file: str, row: str, table: Mapping[str, float], bins: set[str]) -> None:
    if not set(table) <= bins:
        raise DataError(f"{_line(file, row)}: {row}: bins {sorted(table)} where {sorted(bins)} are asked for.")
    if abs(sum(table.values()) - 1.0) > 1e-6:
        raise DataError(f"{_line(file, row)}: {row}: a distribution sums to {sum(table.values()):.4f}, not to 1.")
