"""Whether the tables fit together: every name resolved, every row's own rules held. An error names file and line.

Each file's shape, ranges and lists of words are checked when it is read (``knowledge/tables.py``); here one checker
follows every name into the table it belongs to. Run at start, by ``python3 run.py check`` and by the tests.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Container, Iterable, Iterator, Mapping
from dataclasses import dataclass, fields, is_dataclass
from fnmatch import fnmatchcase
from functools import cache
from itertools import chain
from pathlib import Path
from typing import Any

from gumshoe.core import rules
from gumshoe.core.circuits.templates import FILE as CIRCUITS
from gumshoe.core.circuits.templates import CircuitsFile
from gumshoe.core.errors import DataError
from gumshoe.core.handtests import catalogue as hand_tests
from gumshoe.core.handtests.rows import HandTestsFile
from gumshoe.core.knowledge import (
    climates,
    platform,
    presets,
    procedures,
    renamed,
    rows,
    shipped,
    systems,
    told_rows,
)
from gumshoe.core.knowledge.code_index import standard_index
from gumshoe.core.knowledge.component_rows import WIRING_FIELDS, ComponentsFile
from gumshoe.core.knowledge.places import fill
from gumshoe.core.knowledge.proof_rows import CircumstancesFile, SegmentsFile
from gumshoe.core.knowledge.references import Location, named
from gumshoe.core.knowledge.tables import line_of, load_table, read_table
from gumshoe.core.obd import actuators, pids, status
from gumshoe.core.powertrain.component import ComponentRef
from gumshoe.core.powertrain.description import every_feature
from gumshoe.core.proof import circumstances, drive_plan, provoked
from gumshoe.core.signals import strips
from gumshoe.core.signals.derived import derived_channels
from gumshoe.core.signals.regions import Region
from gumshoe.core.suspects import driving
from gumshoe.core.work import worksheet

Known = Callable[[str], bool]
TELLS_APART = ("field", "on", "needs")
"""One id may stand twice where the rows are of different fields or powertrains."""
NUMBER = r"[PCBU][0-3][0-9A-F]{3}"


@dataclass(frozen=True)
class Book:
    """One file: where it is, its text, what was read from it."""

    path: Path
    shape: type
    text: str
    told: Any


def shelf() -> dict[Path, type]:
    """Every file of knowledge and the shape it has."""
    knowledge = shipped.FOLDER
    return {
        knowledge / "codes.toml": rows.CodesFile,
        knowledge / "clues.toml": rows.CluesFile,
        **dict.fromkeys(shipped.fault_files(), rows.FaultsFile),
        knowledge / "climates.toml": climates.ClimatesFile,
        knowledge / "effects.toml": rows.EffectsFile,
        knowledge / "tests.toml": rows.TestsFile,
        knowledge / "repairs.toml": rows.RepairsFile,
        knowledge / "cautions.toml": rows.CautionsFile,
        knowledge / "signals.toml": rows.SignalsFile,
        knowledge / "monitors.toml": rows.MonitorsFile,
        knowledge / "code_kinds.toml": rows.KindsFile,
        knowledge / "code_families.toml": rows.FamiliesFile,
        knowledge / "code_families_more.toml": rows.FamiliesFile,
        knowledge / "code_apart.toml": rows.ApartFile,
        knowledge / "failure_types.toml": rows.FailureTypesFile,
        knowledge / "components.toml": ComponentsFile,
        knowledge / "systems.toml": systems.SystemsFile,
        knowledge / "presets.toml": presets.PresetsFile,
        renamed.FILE: renamed.RenamedFile,
        told_rows.FILE: told_rows.ToldFile,
        **dict.fromkeys(sorted(platform.FOLDER.glob("*.toml")), platform.Platform),
        drive_plan.FOLDER / "segments.toml": SegmentsFile,
        procedures.FILE: procedures.ProceduresFile,
        circumstances.FILE: CircumstancesFile,
        provoked.FILE: provoked.ProvokedFile,
        driving.FILE: rows.DangersFile,
        worksheet.FILE: rows.SheetsFile,
        strips.FILE: strips.StripsFile,
        hand_tests.FILE: HandTestsFile,
        CIRCUITS: CircuitsFile,
        actuators.FILE: actuators.ActuatorsFile,
        pids.FILE: pids.PidsFile,
    }


def validate(changed: Mapping[Path, str] | None = None) -> None:
    """Check every file, those of ``changed`` with the text given. Raises DataError with file and line."""
    books = {path: _book(path, shape, (changed or {}).get(path)) for path, shape in shelf().items()}
    known = names(books)
    for book in books.values():
        check_book(book, known)


def check_file(path: Path, text: str) -> None:
    """Check one file, shipped or of one's own (a platform), with that text, all others as shipped. Raises DataError
    with file and line."""
    shapes = {path: platform.Platform, **shelf()}
    books = {other: _book(other, shape, text if other == path else None) for other, shape in shapes.items()}
    check_book(books[path], names(books))


def check_book(book: Book, known: Mapping[str, Known]) -> None:
    """Every name of a file, and the rules of its rows. Raises DataError with file and line."""
    for item in named(book.told, book.shape):
        if not known[item.kind](item.name):
            raise _refused(book, item.location, f"there is no {item.kind} “{item.name}”")
    for location, what in chain(_repeated(book.told), _broken(book.told, ())):
        raise _refused(book, location, what)


def names(books: Mapping[Path, Book]) -> dict[str, Known]:
    """For each kind of name, what tells whether there is such a thing."""
    told: dict[type, list[Any]] = {}
    for book in books.values():
        told.setdefault(book.shape, []).append(book.told)

    def one(shape: type) -> Any:
        return told[shape][0]

    faults = {row.id for file in told[rows.FaultsFile] for row in file.fault}
    repairs = {row.id for row in one(rows.RepairsFile).repair}
    tests = {row.id: row for row in one(rows.TestsFile).test}
    clues, components = one(rows.CluesFile), one(ComponentsFile)
    classes = {row.id for row in components.part}
    made = {f"{mode.id}_{name}" for mode in components.mode for name in classes}
    made |= {f"{name}_s{sensor}" for name in made for sensor in (1, 2)}
    worked = {f"{does}_{name}" for does in ("mend", "renew") for name in classes}
    worked |= {f"mend_{row.field}_{row.id}" for row in components.point}
    bare = {_bare(name) for name in repairs} | worked
    classes |= {row.id for file in told[platform.Platform] for row in file.part}
    parts_known = classes | set(components.without_circuit)
    shared = {f"shared_{row.field}_{row.id}" for row in components.point if not row.fault}
    shown = faults | shared | {name.replace("{bb}", tail) for name in faults for tail in ("", "_b2")}
    placed = {_first(name) for name in faults} | made | shared
    done = {f"{part}:{did}" for part in parts_known for did in procedures.DID}
    channels = {*pids.fields_by_key(), *_derived()}
    channels |= {row.key for file in told[platform.Platform] for row in file.identifier}
    sensors = classes | {f"{row.id}/{s}" for row in components.part if "sensor" in row.per for s in (1, 2)}

    def part(name: str) -> bool:
        return ComponentRef.of_template(name).kind in parts_known

    def pattern(of: Iterable[str]) -> Known:
        every = tuple(of)
        return lambda wanted: any(fnmatchcase(name, wanted) for name in every)

    found: dict[str, Known] = {
        "code": _is_code,
        "code or misfire": lambda name: name == "misfire" or _is_code(name),
        "code or number": lambda name: _is_code(name) or bool(re.fullmatch(NUMBER, name)),
        "code at its place": lambda name: name.replace("{n}", "1") in standard_index().rows,
        "code component pattern": pattern(row.component for row in standard_index().rows.values()),
        "code component": _code_component({row.component for file in told[platform.Platform] for row in file.code}),
        "component": part,
        "channel": lambda name: name.replace("{b}", "1").replace("{c}", "1") in channels,
        "component or repair": lambda name: part(name) or name in bare,
        "suspect pattern": pattern(placed),
        "repair pattern": pattern(bare),
    }
    listed: dict[str, Container[str]] = {
        "feature": every_feature(),
        "code group": {row.group for row in one(rows.CodesFile).code},
        "code kind": {row.id for row in one(rows.KindsFile).kind},
        "monitor": {*status.CONTINUOUS_MONITORS, *status.SPARK_MONITORS, *status.COMPRESSION_MONITORS},
        "component class": parts_known,
        "component class, or its sensor": sensors,
        "suspect": faults,
        "suspect at its place": shown,
        "suspect or kind of suspect": faults | made | shared,
        "repair": repairs,
        "repair or happening": bare | done,
        "test": set(tests),
        "test outcome": {f"{test.id}: {outcome.id}" for test in tests.values() for outcome in test.outcomes},
        "symptom": {row.id for row in clues.symptom},
        "variable": {row.id for row in clues.variable},
        "caution": one(rows.CautionsFile).cautions,
        "specified value": {item.name for item in fields(rows.Specification)},
        "operating region": {region.slug for region in Region},
        "segment": {row.id for row in one(SegmentsFile).segment},
        "procedure": {row.id for row in one(procedures.ProceduresFile).procedure},
        "actuator": {row.id for row in one(actuators.ActuatorsFile).actuator},
        "strip": {row.id for row in one(strips.StripsFile).strip},
        "circuit type": components.circuit,
        "circuit": {row.id for row in one(CircuitsFile).circuit},
        "block of a circuit": {row.id for row in one(CircuitsFile).block},
        "joint": {name for row in one(rows.SheetsFile).sheet for name in row.joints},
    }
    points = {field: {row.id for row in components.point if row.field == field} for field in WIRING_FIELDS}
    found |= {field: _at_a_place(known) for field, known in points.items()}
    return found | {kind: known.__contains__ for kind, known in listed.items()}


# -- inside -----------------------------------------------------------------------------------------------


def _book(path: Path, shape: type, text: str | None = None) -> Book:
    if text is None:
        return _as_shipped(path, shape)
    return Book(path, shape, text, read_table(text, path.name, shape))


@cache
def _as_shipped(path: Path, shape: type) -> Book:
    return Book(path, shape, path.read_text(encoding="utf-8"), load_table(path, shape))


def _refused(book: Book, location: Location, what: str) -> DataError:
    place = ".".join(map(str, location))
    return DataError(f"{book.path.name}, line {line_of(book.text, location)}: {place}: {what}.")


def _repeated(told: Any) -> Iterator[tuple[Location, str]]:
    """Rows of one list that have the same id."""
    for item in fields(told):
        ids: set[str] = set()
        value = getattr(told, item.name)
        for index, row in enumerate(value if isinstance(value, tuple) else ()):
            if not hasattr(row, "id"):
                continue
            own = " ".join(map(str, (row.id, *(getattr(row, key, "") for key in TELLS_APART))))
            if own in ids:
                yield (item.name, index, "id"), f"“{row.id}” is there twice"
            ids.add(own)


def _broken(value: Any, at: Location) -> Iterator[tuple[Location, str]]:
    """What breaks the rules of a row, or of a row inside it."""
    if is_dataclass(value):
        rule = rules.RULES.get(type(value))
        for key, what in rule(value) if rule else ():
            yield (*at, *key), what
        for item in fields(value):
            yield from _broken(getattr(value, item.name), (*at, item.name))
    elif isinstance(value, tuple):
        for index, item in enumerate(value):
            yield from _broken(item, (*at, index))
    elif isinstance(value, dict):
        for key, item in value.items():
            yield from _broken(item, (*at, key))


def _is_code(reference: str) -> bool:
    filled = [reference]
    if "{" in reference:
        filled = [fill(reference, {"b": n, "n": n, "m": n, "L": "AB"[n - 1], "P": "AB"[n - 1]}) for n in (1, 2)]
    try:
        return all(standard_index().numbers(name, 2) or name.startswith("*: ") for name in filled)
    except DataError:
        return False


def _code_component(own: set[str]) -> Known:
    every = own | {row.component for row in standard_index().rows.values()}

    def known(name: str) -> bool:
        written = re.sub(r"\\\{\w+\\\}", r"\\w+", re.escape(name))
        return any(re.fullmatch(written, other) for other in every)

    return known


def _at_a_place(points: Container[str]) -> Known:
    """A point's name may hold the bank or the sensor; the first of them must be there."""

    def known(name: str) -> bool:
        return name.replace("{bb}", "").replace("{b}", "1").replace("{s}", "1") in points

    return known


def _derived() -> set[str]:
    return {item.key for _words, powertrain in presets.presets().values() for item in derived_channels(powertrain)}


def _bare(name: str) -> str:
    """A name of the tables without the placeholders at its end."""
    return re.sub(r"(_?\{\w+\}|_b\{b\}s\d)+$", "", name)


def _first(name: str) -> str:
    """The first suspect that a name of the tables stands for."""
    return name.replace("{bb}", "").replace("_{n}", "_1").replace("_{m}", "_2").replace("{b}", "1")
