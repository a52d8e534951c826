"""What a car's own codes say that it has, and its description left out: the control unit watches what is fitted.

Only equipment is believed so. A code of another kind of engine (a turbocharger's, a spark coil's on a diesel) says that
the car is described wrongly or the code misread, which nobody but a person can tell.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import replace
from functools import cache, lru_cache

from gumshoe.core.knowledge.code_index import CodeIndex
from gumshoe.core.knowledge.parts import Fitted, components_file
from gumshoe.core.knowledge.rows import CodeRow
from gumshoe.core.knowledge.shipped import tables
from gumshoe.core.knowledge.told_rows import told_row
from gumshoe.core.powertrain.description import Aftertreatment, Evap, Fuel, Gearbox, Phasers, Powertrain

NAMED = 0.9
"""How surely a code is about the part that it names."""
SURE = 0.5
"""What sets a code so often stands behind it; where nothing does, what sets it most often."""
MOST_KEPT = 256
OF_DIESELS = (Aftertreatment.NOX_TRAP, Aftertreatment.REDUCTANT)


def equipped(powertrain: Powertrain, codes: Iterable[str], index: CodeIndex) -> tuple[Powertrain, tuple[Fitted, ...]]:
    """The powertrain with the equipment that these codes tell of, and what was added for which code."""
    found: list[Fitted] = []
    for code in sorted(set(codes) & index.rows.keys()):
        row = index.rows[code]
        more = _lacking(powertrain, row.component, row.kind, code)
        if more is not None:
            powertrain, words = more
            found.append(Fitted(code, words))
    return powertrain, tuple(found)


def claims(row: CodeRow) -> list[tuple[float, frozenset[str]]]:
    """How surely each class of parts and each written suspect stands behind a code, and what a powertrain must have for
    them."""
    return _claims(row.component, row.kind, row.number)


# -- inside -----------------------------------------------------------------------------------------------


@lru_cache(maxsize=MOST_KEPT)
def _lacking(powertrain: Powertrain, component: str, kind: str, number: str) -> tuple[Powertrain, str] | None:
    """The powertrain with what stands behind a code first of all, where that is equipment it lacks; and its words."""
    told = _claims(component, kind, number) or [(NAMED, frozenset(told_row(component).needs))]
    most = max((chance for chance, _ in told), default=0.0)
    lacking = [needs for chance, needs in told if chance >= min(SURE, most) and not needs <= powertrain.features]

    def met(option: tuple[str, Powertrain]) -> int:
        return sum(needs <= option[1].features for needs in lacking)

    fitting = max(_options(powertrain), key=met) if lacking else None
    return (fitting[1], fitting[0]) if fitting and met(fitting) else None


def _options(powertrain: Powertrain) -> Iterator[tuple[str, Powertrain]]:
    """What a car of that kind may be fitted with as well."""
    yield "exhaust gas recirculation", replace(powertrain, egr=True)
    if powertrain.fuel is not Fuel.DIESEL:
        yield "secondary air", replace(powertrain, secondary_air=True)
        one = powertrain.phasers is Phasers.NONE
        for cam in (Phasers.INTAKE, Phasers.EXHAUST):
            yield f"a phaser of the {cam} cam", replace(powertrain, phasers=cam if one else Phasers.BOTH)
        for evap in (Evap.PURGE_ONLY, Evap.VACUUM, Evap.PUMP):
            yield f"an evaporative system ({evap})", replace(powertrain, evap=evap)
    for item in Aftertreatment:
        if item not in powertrain.aftertreatment and (powertrain.fuel is Fuel.DIESEL or item not in OF_DIESELS):
            yield str(item), replace(powertrain, aftertreatment=(*powertrain.aftertreatment, item))
    if powertrain.gearbox is Gearbox.MANUAL:
        for box in (Gearbox.AUTOMATIC, Gearbox.DUAL_CLUTCH, Gearbox.CVT):
            yield f"a gearbox that shifts itself ({box})", replace(powertrain, gearbox=box)


@lru_cache(maxsize=MOST_KEPT)
def _claims(component: str, kind: str, number: str) -> list[tuple[float, frozenset[str]]]:
    return [
        (chance, needs)
        for wanted, of, chance, needs in _claimants()
        if (of == number if wanted == "" else of in ("", kind) and fits(wanted).fullmatch(component))
    ]


@cache
def _claimants() -> tuple[tuple[str, str, float, frozenset[str]], ...]:
    """Pattern of a component, kind of code (any where empty; the number where no component is named), chance, needs."""
    found = [(name, "", NAMED, frozenset(part.needs)) for part in components_file().part for name in part.codes]
    for fault in tables().faults:
        for reference, chance in fault.codes.items():
            component, _, kind = reference.rpartition(": ")
            if component != "*":
                found.append((component, kind, chance, frozenset(fault.needs)))
    return tuple(found)


@cache
def fits(name: str) -> re.Pattern[str]:
    """A name of the tables as a pattern, its places left open. Parts with a number of their own are two at most."""
    written = re.escape(name).replace(r"\{s\}", "[12]").replace(r"\*", r"\w+")
    return re.compile(re.sub(r"\\\{\w+\\\}", r"\\w+", written))
