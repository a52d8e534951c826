"""What is known of one powertrain, by id, with the indexes that everything asks it through."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property

from gumshoe.core.knowledge.climates import ClimateRow, Oftener, oftener
from gumshoe.core.knowledge.code_index import CodeIndex, standard_index
from gumshoe.core.knowledge.parts import Component, Fitted, PinRow, SharedPoint
from gumshoe.core.knowledge.rows import (
    BandRow,
    CodeRow,
    EffectRow,
    FaultRow,
    RepairRow,
    SymptomRow,
    TestRow,
    VariableRow,
)
from gumshoe.core.knowledge.values import MISFIRE, Climate
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.powertrain.misfires import Lack, Law, law_of

MORE_OFTEN_THAN_NOT = 0.5
EXPECTED_FAULTS = 0.5
"""How many of the faults of the tables a car brought in has on average, before anything is known of it: a second,
independent fault is rare, and some have a fault that no table knows (common practice)."""
UNLISTED = 0.15
"""Of the cars that come with a code, so many have it for no reason that the tables know, at most: parts that are sent
back and found sound are a fifth and more, but most of those were guesses, not codes (common practice)."""
IMAGINED = {"starting": 0.2, "warning": 0.2, "running": 0.35, "noise": 0.6}
"""The same of a complaint that a car is brought in for, by what it is about: an engine that does not start has a
reason, a smell may be next door's (common practice)."""


@dataclass(frozen=True)
class Knowledge:
    """The tables expanded for one powertrain, by id."""

    powertrain: Powertrain
    codes: dict[str, CodeRow]
    variables: dict[str, VariableRow]
    symptoms: dict[str, SymptomRow]
    faults: dict[str, FaultRow]
    tests: dict[str, TestRow]
    repairs: dict[str, RepairRow]
    cautions: dict[str, str]
    bands: tuple[BandRow, ...]
    components: dict[str, Component] = field(default_factory=dict)
    points: dict[str, SharedPoint] = field(default_factory=dict)
    effects: tuple[EffectRow, ...] = ()
    pins: tuple[PinRow, ...] = ()
    index: CodeIndex = field(default_factory=standard_index, repr=False)
    climates: tuple[ClimateRow, ...] = ()
    fitted: tuple[Fitted, ...] = ()
    strangers: frozenset[str] = frozenset()

    @cached_property
    def templates(self) -> dict[str, str]:
        """For each suspect the row of the tables it came from; itself for a generated one."""
        return {name: row.template or name for name, row in self.faults.items()}

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
    def leaks(self) -> dict[str, float]:
        """How often each code is there without a suspect that raises it: what its row says, and no more than a share of
        how often it is there with one. A rare code is as seldom wrong as it is seldom right."""
        known = self._explained(self.by_code)
        return {
            number: min(row.leak, UNLISTED * known[number]) if number in known else row.leak
            for number, row in self.codes.items()
        }

    @cached_property
    def complaints(self) -> dict[str, float]:
        """How often each symptom is told without a suspect that shows it, likewise."""
        known = self._explained(self.by_symptom)
        return {
            name: min(row.leak, IMAGINED[row.about] * known[name])
            if name in known and row.about in IMAGINED
            else row.leak
            for name, row in self.symptoms.items()
        }

    def _explained(self, links: Mapping[str, Mapping[str, float]]) -> dict[str, float]:
        """How often each thing is there with a suspect that brings it about."""
        scale = EXPECTED_FAULTS / max(sum(row.rate for row in self.faults.values()), 1e-12)
        return {
            thing: scale * sum(self.faults[name].rate * chance for name, chance in chances.items())
            for thing, chances in links.items()
        }

    @cached_property
    def by_symptom(self) -> dict[str, dict[str, float]]:
        """For each symptom, the suspects that show it and their chance."""
        return _turned({name: row.symptoms for name, row in self.faults.items()})

    @cached_property
    def misfires_unclaimed(self) -> Law:
        """How often which cylinders misfire for a reason that no suspect stands for."""
        return law_of(self.variables[MISFIRE].normal, self.powertrain)

    @cached_property
    def oftener(self) -> dict[Climate, dict[str, Oftener]]:
        """For each climate, what it does to the base rates."""
        return {climate.id: oftener(climate, self.faults) for climate in self.climates}

    @cached_property
    def takers(self) -> dict[Lack, frozenset[str]]:
        """The suspects that take a thing from the cylinders that misfire for them: those under which a test that looks
        for it finds it lacking more often than not."""
        found: dict[Lack, set[str]] = {lack: set() for lack in Lack}
        for test in self.tests.values():
            for lack in {item.lacks for item in test.outcomes if item.lacks}:
                without = [item.id for item in test.outcomes if item.lacks is lack]
                for name, told in test.given.items():
                    if sum(told[outcome] for outcome in without) > MORE_OFTEN_THAN_NOT:
                        found[lack].add(name)
        found[Lack.POWER] = {name for name, row in self.faults.items() if row.misfire}
        return {lack: frozenset(names) for lack, names in found.items()}

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
                for fault in sorted(self.proven_by(outcome.proves)):
                    found.setdefault(fault, {})[test.id] = test
        return {fault: tuple(tests.values()) for fault, tests in found.items()}

    def shown_by(self, fault: str) -> tuple[TestRow, ...]:
        """The tests one of whose outcomes shows the suspect directly, the shortest first."""
        return self._shown.get(fault, ())

    def proven_by(self, outcome_proves: Iterable[str]) -> frozenset[str]:
        """Suspects an outcome shows directly; a template name stands for all of its cylinders."""
        return frozenset[str]().union(*(self._called.get(name, ()) for name in outcome_proves))

    @cached_property
    def _called(self) -> dict[str, frozenset[str]]:
        """The suspects that a name stands for: its own, and those of a template."""
        found: dict[str, set[str]] = {}
        for fault, template in self.templates.items():
            for name in (fault, template):
                found.setdefault(name, set()).add(fault)
        return {name: frozenset(faults) for name, faults in found.items()}


def _turned(table: Mapping[str, Mapping[str, float]]) -> dict[str, dict[str, float]]:
    """Rows to columns."""
    found: dict[str, dict[str, float]] = {}
    for row, cells in table.items():
        for column, value in cells.items():
            found.setdefault(column, {})[row] = value
    return found
