"""The tables for one powertrain: placed at its positions, joined by what its parts and wiring bring, and linked.

A row with ``per = "cylinder"`` becomes one row for each cylinder, ``{n}`` standing for its number.
"""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

from gumshoe.core.knowledge.checks import generated_tests
from gumshoe.core.knowledge.code_index import CodeIndex, of_other_bank
from gumshoe.core.knowledge.effects import echoed, with_effects
from gumshoe.core.knowledge.expanded import Knowledge
from gumshoe.core.knowledge.generate import generated, raised_by
from gumshoe.core.knowledge.linking import in_reach, like_their_circuits, placed_tests, reached, with_roots
from gumshoe.core.knowledge.parts import GENERIC, Component, Local, components, shared_points
from gumshoe.core.knowledge.places import Place, Places, distribution_at, filled_row, graded_at, rows_at, variable_at
from gumshoe.core.knowledge.rows import CodeRow, FaultRow, RepairRow, VariableRow
from gumshoe.core.knowledge.shipped import FOLDER, Tables, monitor_needs, plain_monitors, tables
from gumshoe.core.knowledge.values import MISFIRE
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.powertrain.misfires import law_of

__all__ = ["FOLDER", "Knowledge", "Tables", "expand", "monitor_needs", "plain_monitors", "tables"]
MOST_EXPANDED = 64
"""So many powertrains are kept expanded; some megabytes each."""


@lru_cache(maxsize=MOST_EXPANDED)
def expand(powertrain: Powertrain, local: Local = GENERIC) -> Knowledge:
    """The tables for one powertrain, and what is known of the vehicle beyond them.

    Rows the powertrain lacks the parts for are left out; cylinders, banks and pairs are numbered; suspects, repairs
    and checks of parts and wiring are generated.
    """
    shipped, places, features = tables(), Places(powertrain), powertrain.features
    parts = {item.id: item for item in components(powertrain, local)}
    access = dict(local.access)
    variables = {row.id: variable_at(row, places) for row in shipped.variables if set(row.needs) <= features}
    repairs = {row.id: row for told in shipped.repairs if set(told.on) <= features for row in rows_at(told, places)}
    faults = _placed(shipped, places, variables, parts, local.index)
    _generate(faults, repairs, variables, powertrain, local)
    faults = with_effects(like_their_circuits(faults, local.index), shipped.effects, local.index, powertrain)
    faults = with_roots(faults, powertrain)
    tests = placed_tests(shipped.tests, faults, parts, powertrain)
    tests |= {test.id: test for test in generated_tests(powertrain, local, faults)}
    used = {fault.repair for fault in faults.values()}
    return Knowledge(
        powertrain=powertrain,
        codes=_codes(shipped, places, local.index),
        variables=variables,
        symptoms={row.id: row for row in shipped.symptoms},
        faults=faults,
        tests=reached(tests, parts, powertrain, access),
        repairs=in_reach({name: row for name, row in repairs.items() if name in used}, powertrain, access),
        cautions=shipped.cautions,
        bands=tuple(row for row in shipped.bands if set(row.needs) <= features),
        components=parts,
        points={item.id: item for item in shared_points(powertrain, local)},
        effects=shipped.effects,
        pins=local.pins,
        index=local.index,
        climates=shipped.climates,
        fitted=local.fitted,
        strangers=local.strangers,
    )


# -- inside -----------------------------------------------------------------------------------------------


def _codes(shipped: Tables, places: Places, index: CodeIndex) -> dict[str, CodeRow]:
    """The catalogue, what is written of some codes in place of the composed rows, said of either bank."""
    written = [row for told in shipped.codes for row in rows_at(told, places)]
    if places.powertrain.banks > 1:
        written = [*(other for row in written if (other := of_other_bank(row, index))), *written]
    return index.rows | {row.number: row for row in written}


def _placed(
    shipped: Tables,
    places: Places,
    variables: dict[str, VariableRow],
    parts: dict[str, Component],
    index: CodeIndex,
) -> dict[str, FaultRow]:
    """The written suspects at every position that this powertrain has for them."""
    return {
        row.id: row
        for template in shipped.faults
        if set(template.needs) <= places.powertrain.features
        for place in places.of(template.per)
        for row in [_suspect(template, place, places, variables, parts, index)]
    }


def _suspect(
    template: FaultRow,
    place: Place,
    places: Places,
    variables: dict[str, VariableRow],
    parts: dict[str, Component],
    index: CodeIndex,
) -> FaultRow:
    """One suspect at one position: codes by number, its clues' tables over the bins of this engine."""
    row, banks = filled_row(template, place), places.powertrain.banks
    codes = index.strengths(row.codes, banks)
    if row.mode and row.component in parts:
        codes = raised_by(parts[row.component], row.mode) | codes
    echoes = {number: why for name, why in row.echo.items() for number in echoed(name, index, banks)}
    law = law_of(template.graded.get(MISFIRE, {}), places.powertrain, row.cylinders, row.bank)
    graded = graded_at(template, variables, place, places)
    return replace(row, graded=graded, codes=codes, echoes=echoes, misfire=law)


def _generate(
    faults: dict[str, FaultRow],
    repairs: dict[str, RepairRow],
    variables: dict[str, VariableRow],
    powertrain: Powertrain,
    local: Local,
) -> None:
    """Add the suspects and repairs that follow from parts and wiring; what is described by hand stands."""
    for made in generated(powertrain, local):
        if made.repair:
            repairs.setdefault(made.repair.id, made.repair)
        if made.fault.id not in faults:
            graded = {name: distribution_at(table, variables[name], {}) for name, table in made.fault.graded.items()}
            faults[made.fault.id] = replace(made.fault, graded=graded)
