"""Hand tests that are arithmetic: worked out on the page, stored, and recorded as the guided test they belong to."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from gumshoe.core.errors import BadInput
from gumshoe.core.handtests import HandTestRow, Worked, hand_tests_for, values_of, work_out
from gumshoe.core.handtests.catalogue import field_names, usual_of
from gumshoe.core.handtests.rows import InputRow
from gumshoe.core.knowledge.by_place import ALIKE, CYLINDER
from gumshoe.web.accounts.models import User
from gumshoe.web.bench import services as bench
from gumshoe.web.bench.models import HandMeasurement, TestRecord
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.ui.readers import said_in_shop, shop_scale, typed_in_shop


def listed(case: Case) -> list[HandTestRow]:
    """The hand tests that make sense for this vehicle."""
    return hand_tests_for(cases.knowledge_of(case))


def row_of(case: Case, name: str) -> HandTestRow:
    """The hand test of that name. Raises BadInput when this vehicle has none."""
    found = next((row for row in listed(case) if row.id == name), None)
    if found is None:
        raise BadInput("There is no such hand test for this vehicle.", remedies=("choose one from the list",))
    return found


@dataclass(frozen=True)
class Field:
    """A field of a hand test with what stands in it."""

    name: str
    label: str
    row: InputRow
    value: str
    unit: str


def fields_of(case: Case, row: HandTestRow, typed: Mapping[str, str]) -> list[Field]:
    """The fields with what stands in them."""
    specification, cylinders = cases.specification_of(case), cases.powertrain_of(case).cylinders
    found = []
    for item in row.inputs:
        usual, scale = usual_of(item, specification), shop_scale(item.unit)
        if usual and scale.digits is not None and not item.many:
            usual = f"{scale.of(float(usual)):.{scale.digits}f}"
        for name, label in field_names(item, cylinders):
            unit = item.unit if item.many else scale.unit
            found.append(Field(name, label, item, typed.get(name, usual), unit))
    return found


def worked(case: Case, row: HandTestRow, typed: Mapping[str, str]) -> Worked:
    """What the typed values come to. Raises BadInput naming the field."""
    with said_in_shop():
        values = values_of(row, _in_units(case, row, typed), cases.powertrain_of(case).cylinders)
    return work_out(row, values)


def _in_units(case: Case, row: HandTestRow, typed: Mapping[str, str]) -> dict[str, str]:
    """What was typed, bare numbers with the shop's unit behind them."""
    units = {
        name: item.unit
        for item in row.inputs
        for name, _ in field_names(item, cases.powertrain_of(case).cylinders)
        if not item.many and not item.options
    }
    return {name: typed_in_shop(text, units.get(name, "")) for name, text in typed.items()}


@in_turn()
def store(case: Case, user: User, row: HandTestRow, typed: Mapping[str, str]) -> HandMeasurement:
    """Store a hand test, and record it as its guided test where it has one. Raises BadInput; then nothing is stored."""
    found = worked(case, row, typed)
    names, typed = [field.name for field in fields_of(case, row, typed)], _in_units(case, row, typed)
    told: TestRecord | None = None
    if row.test and found.reading is not None:
        guided = bench.test_of(case, row.test)
        unit = next((item.unit for item in guided.readings if item.key == row.reads), "")
        value = found.reading if isinstance(found.reading, str) else f"{found.reading:.3f} {unit}".strip()
        words = f"worked out: {found.words}"
        typed_there = {row.reads: value, CYLINDER: str(found.cylinder) if found.cylinder else ALIKE}
        told = bench.record(case, user, guided, typed_there, words, found.outcome)
    return HandMeasurement.objects.create(
        case=case,
        by=user,
        test=row.id,
        typed={name: typed.get(name, "") for name in names},
        figures=[f"{figure.name}: {figure.words}" for figure in found.figures],
        verdict=str(found.verdict),
        words=found.words[:400],
        record=told,
    )
