"""What only a code names: parts, and causes that are none, made from the codes of a case.

The catalogue gives a title to thousands of codes; the tables describe the parts that most powertrains have. A code of
any other part leads to that part's own circuit all the same, and a code that names no part leads to the maker's plan
for it. What the tables describe for another powertrain is not made here: a code of it says that this one is described
wrongly, or that the code is.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import replace
from functools import lru_cache

from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.code_catalogue import kinds
from gumshoe.core.knowledge.code_index import CodeIndex
from gumshoe.core.knowledge.component_rows import ClassRow
from gumshoe.core.knowledge.equipped import claims, equipped, fits
from gumshoe.core.knowledge.one_place import with_one_place
from gumshoe.core.knowledge.parts import Cause, Fitted, Local, components_file
from gumshoe.core.knowledge.rows import CodeRow
from gumshoe.core.knowledge.told_rows import told_row
from gumshoe.core.knowledge.values import FailureMode
from gumshoe.core.powertrain.description import Powertrain

OF_ANY_KIND = "named by a code"
"""The electrical type of a circuit that nobody has described."""
CIRCUITS = frozenset({"circuit", "circuit open", "circuit low", "circuit high", "intermittent"})
"""The kinds of code that only a thing with wires has."""
MOST_KEPT = 64


def by_codes(powertrain: Powertrain, local: Local, codes: Iterable[str]) -> tuple[Powertrain, Local]:
    """A powertrain and what is known of the vehicle, with what the codes of a case tell of it: equipment, parts and
    causes that only they name, and the place that their circuits share."""
    every = frozenset(codes)
    powertrain, fitted = equipped(powertrain, every, local.index)
    known = expand(powertrain, local)
    strangers = frozenset(
        code
        for code in every - known.weighed
        if code in known.codes
        and not known.codes[code].echo_of
        and (known.components_of(code) or is_stranger(code, local.index))
    )
    return powertrain, with_one_place(powertrain, _with(local, strangers, fitted), every)


def is_stranger(code: str, index: CodeIndex) -> bool:
    """Whether the tables describe for no powertrain the part that a code names, nor what sets it."""
    row = index.rows[code]
    return not claims(row) or _fitted_too(row.component) is not None


# -- inside -----------------------------------------------------------------------------------------------


@lru_cache(maxsize=MOST_KEPT)
def _with(local: Local, strangers: frozenset[str], fitted: tuple[Fitted, ...]) -> Local:
    """The same with a part for each component with wires that these codes name, and a cause for each other code."""
    if not strangers and not fitted:
        return local
    named: dict[str, list[CodeRow]] = {}
    for code in sorted(strangers):
        named.setdefault(local.index.rows[code].component, []).append(local.index.rows[code])
    parts, causes = [], []
    for component, rows in named.items():
        wired = any(kind in CIRCUITS for _, kind in local.index.of_component(component))
        usual = _fitted_too(component)
        if usual:
            parts.append(replace(usual, needs=()))
        elif wired and not told_row(component).by_plan and not _is_class(component):
            parts.append(_part(component, {row.kind for row in rows}))
        else:
            causes += [_cause(row) for row in rows]
    return replace(local, parts=(*local.parts, *parts), causes=tuple(causes), fitted=fitted, strangers=strangers)


def _part(component: str, told: set[str]) -> ClassRow:
    row = told_row(component)
    circuit = components_file().circuit[row.circuit]
    raised = {kind for mode in FailureMode for kind in circuit.kinds(mode)}
    known = told <= raised
    return ClassRow(
        id=_named(component),
        words=component,
        codes=(component,),
        needs=(),
        place=row.place,
        rate=row.rate,
        price=row.price,
        minutes=row.minutes,
        circuit=row.circuit if known else OF_ANY_KIND,
        netlist=row.netlist if known else "",
        feed=row.feed,
        plug=row.plug,
    )


def _cause(row: CodeRow) -> Cause:
    """What a code stands for; where nobody but the qualified may measure, without steps of ours."""
    told = told_row(row.component)
    first = () if told.by_plan else kinds()[row.kind].first_tests
    steps = tuple(f"{text[:1].upper()}{text[1:]}.".replace("{c}", row.component) for text in first)
    name = _named(row.component)
    return Cause(row.number, name, row.title, told.rate, told.price, told.minutes, steps, told.cautions)


def _named(component: str) -> str:
    """The id of what a code names, by its name in the catalogue."""
    return "told_" + re.sub(r"[^a-z0-9]+", "_", component.lower()).strip("_")


def _fitted_too(component: str) -> ClassRow | None:
    """The class of parts of that name which other powertrains than it says have now and then."""
    return next((row for row in components_file().part if row.told and component in row.codes), None)


@lru_cache(maxsize=MOST_KEPT)
def _is_class(component: str) -> bool:
    """Whether a class of parts has this name in the catalogue."""
    return any(fits(name).fullmatch(component) for part in components_file().part for name in part.codes)
