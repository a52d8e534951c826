"""Tests that find one cylinder out: which one is asked, and there is an outcome for each.

Without it a finding at one cylinder would convict whichever cylinder is suspected.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from gumshoe.core.knowledge.outcomes import AND
from gumshoe.core.knowledge.rows import Distribution, OutcomeRow, ReadingRow, TestRow
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.powertrain.positions import neighbours

KEY, ALIKE = "cylinder", "all alike"
OWN, UNSAID = 0.82, 0.12
"""Of the mass of the finding: at the suspect's own cylinder; told without saying which. The rest is a mix-up."""


def by_cylinder(test: TestRow, powertrain: Powertrain, templates: Mapping[str, str]) -> TestRow:
    """The test with its finding told cylinder by cylinder. ``templates``: of each suspect the row it was made from."""
    base = next(item for item in test.outcomes if item.id == test.each)
    every = range(1, powertrain.cylinders + 1)
    proves = {n: _of_cylinder(base.proves, templates, n) for n in every}
    told = tuple(
        OutcomeRow(f"{base.id}_{n}", f"{base.words}: cylinder {n}", f"{base.when}{AND}{KEY} is {n}", proves[n])
        for n in every
    )
    place = test.outcomes.index(base)
    asked = ReadingRow(
        KEY, "Which cylinder", "choice", test.readings[0].point, options=(ALIKE, *(str(n) for n in every))
    )
    return replace(
        test,
        readings=(*test.readings, asked),
        outcomes=(*test.outcomes[:place], *told, *test.outcomes[place:]),
        otherwise=_spread(test.otherwise, test.each, dict.fromkeys(every, 1.0)),
        given={
            fault: _spread(table, test.each, _places(fault, templates, powertrain))
            for fault, table in test.given.items()
        },
    )


def _of_cylinder(proves: tuple[str, ...], templates: Mapping[str, str], n: int) -> tuple[str, ...]:
    """The suspects of that cylinder which the finding shows."""
    return tuple(fault for fault, template in templates.items() if template in proves and _number(fault, template) == n)


def _number(fault: str, template: str) -> int | None:
    """The cylinder a suspect is numbered by."""
    tail = fault.rpartition("_")[2]
    return int(tail) if template.endswith("_{n}") and tail.isdigit() else None


def _places(fault: str, templates: Mapping[str, str], powertrain: Powertrain) -> dict[int, float]:
    """Where a suspect shows itself, by cylinder: its own, of a gasket both it lies between, else anywhere."""
    every = range(1, powertrain.cylinders + 1)
    own = _number(fault, templates.get(fault, ""))
    if own is None:
        return dict.fromkeys(every, 1.0)
    others = [n for n in every if n != own]
    if "gasket" in fault:
        beside = [n for n in neighbours(powertrain, own) if n > own][:1]
        places = [own, *beside]
        return {n: 1.0 / len(places) if n in places else 0.0 for n in every}
    astray = (1.0 - OWN - UNSAID) / OWN / max(len(others), 1)
    return {n: 1.0 if n == own else astray for n in every}


def _spread(table: Distribution, each: str, places: Mapping[int, float]) -> Distribution:
    """A table with the mass of one outcome told cylinder by cylinder."""
    mass, whole = table.get(each, 0.0), sum(places.values())
    shares = {f"{each}_{n}": mass * (1.0 - UNSAID) * share / whole for n, share in places.items()}
    return {**{name: value for name, value in table.items() if name != each}, **shares, each: mass * UNSAID}
