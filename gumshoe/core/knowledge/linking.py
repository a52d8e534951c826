"""Rows of one powertrain tied to each other: what drags what behind it, what can be behind what, which suspects a test
speaks about, and how its parts are reached."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import TypeVar

from gumshoe.core.knowledge.access import MINUTES, Access, access_of, hardest
from gumshoe.core.knowledge.by_place import by_place
from gumshoe.core.knowledge.code_catalogue import rank_of
from gumshoe.core.knowledge.code_index import CodeIndex
from gumshoe.core.knowledge.hazards import with_usual_cautions
from gumshoe.core.knowledge.parts import Component
from gumshoe.core.knowledge.rows import FaultRow, RepairRow, TestRow
from gumshoe.core.knowledge.values import MISFIRE, Distribution, FailureMode, Origin
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.powertrain.misfires import Spread
from gumshoe.core.powertrain.positions import bank_of

Word = TypeVar("Word", bound=str)
OWN_CYLINDERS, OFTEN = (Spread.CYLINDER, Spread.PAIR), 0.4
"""How a misfire of some cylinders of the suspect's own is called, and how often it must show it to count as theirs."""


def with_roots(faults: Mapping[str, FaultRow], powertrain: Powertrain) -> dict[str, FaultRow]:
    """The suspects, each with the root causes that this powertrain has."""
    return {
        name: replace(row, roots=roots_of(row, faults, powertrain)) if row.roots else row
        for name, row in faults.items()
    }


def roots_of(row: FaultRow, faults: Mapping[str, FaultRow], powertrain: Powertrain) -> dict[str, float]:
    """The root causes of a suspect that this powertrain has; a template of every cylinder, for those of its bank."""
    found: dict[str, float] = {}
    for root, chance in row.roots.items():
        if root in faults:
            found[root] = chance
            continue
        for name, other in faults.items():
            own_bank = not other.cylinders or bank_of(powertrain, other.cylinders[0]) == (row.bank or 1)
            if other.template == root and own_bank:
                found[name] = chance
    return found


def like_their_circuits(faults: Mapping[str, FaultRow], index: CodeIndex) -> dict[str, FaultRow]:
    """Suspects of an output stage, each with what the part shows whose own circuit does the same: an output that never
    drives is an open circuit, one that always does a wire to ground (where it switches the ground side)."""
    found = {}
    for name, twin in _twins(faults).items():
        row, shows = faults[name], faults[twin]
        more = {number: chance for number, chance in shows.codes.items() if rank_of(index.rows[number].kind) != 0}
        codes, symptoms = more | row.codes, row.symptoms | shows.symptoms
        found[name] = replace(row, codes=codes, symptoms=symptoms, graded=shows.graded, misfire=shows.misfire)
    return dict(faults) | found


def placed_tests(
    shipped: Iterable[TestRow], faults: Mapping[str, FaultRow], parts: Mapping[str, Component], powertrain: Powertrain
) -> dict[str, TestRow]:
    """The written tests that this powertrain can have, with the table of every suspect they speak about."""
    about = {name: parts[row.component] for name, row in faults.items() if row.component in parts}
    kinds = {name: kind_of(faults[name], part) for name, part in about.items() if faults[name].origin is Origin.PART}
    by_template = _grouped((name, row.template) for name, row in faults.items())
    by_kind = _grouped(kinds.items())
    by_mode = _grouped((name, row.mode) for name, row in faults.items() if row.mode and not row.members)
    twins = _twins(faults)
    found = {}
    for test in shipped:
        given = _of_groups(by_mode, test.modes) | _of_groups(by_template, test.given) | _of_groups(by_kind, test.given)
        if not any(item.proves_modes for item in test.outcomes):  # who looks at plugs and wires sees which it is
            given |= {name: given[twin] for name, twin in twins.items() if twin in given and name not in given}
        if test.shared:
            given = {name: test.shared for name, row in faults.items() if row.members} | given
        if test.elsewhere:
            given = {name: test.elsewhere for name, row in faults.items() if _of_some_cylinders(row)} | given
        if (test.measures or given) and set(test.on) <= powertrain.features:
            found[test.id] = by_place(replace(test, given=given), powertrain, faults, about)
    return found


def _twins(faults: Mapping[str, FaultRow]) -> dict[str, str]:
    """The suspects of output stages, and that of the part's own circuit by which it does the same."""
    same = {FailureMode.OPEN: FailureMode.UNDRIVEN, FailureMode.SHORT_GROUND: FailureMode.STAYS_ON}
    twins = {f"{same[row.mode]}_{row.component}": n for n, row in faults.items() if row.mode and row.mode in same}
    return {name: twin for name, twin in twins.items() if name in faults}


def _grouped(named: Iterable[tuple[str, str]]) -> dict[str, list[str]]:
    """The suspects under each word that the tests know them by."""
    groups: dict[str, list[str]] = {}
    for name, group in named:
        groups.setdefault(group, []).append(name)
    return groups


def _of_groups(groups: Mapping[str, list[str]], tables: Mapping[Word, Distribution]) -> dict[str, Distribution]:
    """The tables written for groups, suspect by suspect."""
    return {name: table for group, table in tables.items() for name in groups.get(group, ())}


def kind_of(row: FaultRow, part: Component) -> str:
    """How a written test names a generated suspect: its mode and class, and of a sensor its place."""
    return f"{row.mode}_{part.row.id}" + (f"_s{part.sensor}" if part.sensor else "")


def reached(
    tests: Mapping[str, TestRow],
    parts: Mapping[str, Component],
    powertrain: Powertrain,
    given: Mapping[str, Access],
) -> dict[str, TestRow]:
    """The tests with the minutes that reaching their parts takes on this vehicle, and with the usual cautions."""
    found = {}
    for name, row in tests.items():
        named = [part.id for part in parts.values() if part.row.id in row.at or part.id == row.checks]
        how = hardest(named, powertrain, given)
        row = replace(row, minutes=row.minutes + MINUTES[how], access="" if how is Access.OPEN else how.value)
        found[name] = with_usual_cautions(row, parts, powertrain)
    return found


def in_reach(
    repairs: Mapping[str, RepairRow], powertrain: Powertrain, given: Mapping[str, Access]
) -> dict[str, RepairRow]:
    """The repairs with the minutes that reaching their part takes on this vehicle."""
    return {
        name: replace(row, minutes=row.minutes + MINUTES[access_of(row.component, powertrain, given)])
        for name, row in repairs.items()
    }


def _of_some_cylinders(row: FaultRow) -> bool:
    """Whether a fault makes some cylinders misfire and not the others."""
    table = row.graded.get(MISFIRE, {})
    return sum(table.get(name, 0.0) for name in OWN_CYLINDERS) >= OFTEN
