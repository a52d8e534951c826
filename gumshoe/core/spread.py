"""Whether the tables hold together on real powertrains: every platform, every preset, and both banks of each.

What a file alone cannot show: a row that no powertrain has, two rows of one id that meet on one, a suspect whose repair
is missing there.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from typing import Any

from gumshoe.core.errors import DataError
from gumshoe.core.knowledge.catalogue import Knowledge, expand
from gumshoe.core.knowledge.parts import GENERIC, Local, components_file
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.knowledge.presets import describe, presets
from gumshoe.core.knowledge.shipped import tables
from gumshoe.core.powertrain.component import ComponentRef
from gumshoe.core.powertrain.description import Powertrain, every_feature

SELDOM: tuple[dict[str, Any], ...] = (
    {"ignition": "coil pack", "fuel": "flex", "secondary_air": True, "phasers": "exhaust"},
    {"layout": "V", "cylinders": 6, "evap": "leak detection pump", "secondary_air": True, "induction": "supercharger"},
    {"layout": "flat", "cylinders": 4, "numbering": "alternating", "evap": "none", "gearbox": "dual clutch"},
    {"fuel": "diesel", "throttle": "none", "aftertreatment": ["catalyst", "NOx trap", "particulate filter"]},
)
"""What no platform and no preset has."""


def powertrains() -> Iterator[tuple[str, Powertrain, Local]]:
    """Every platform, every preset, and what neither has, with a name."""
    for name, platform in platforms().items():
        yield name, platform.powertrain, platform.local
    for name, (_words, powertrain) in presets().items():
        yield name, powertrain, GENERIC
    for facts in SELDOM:
        yield str(facts), describe(facts), GENERIC


def validate_spread() -> None:
    """Raises DataError naming powertrain and row where something does not hold."""
    used: set[str] = set()
    seen: set[str] = set()
    for name, powertrain, local in powertrains():
        knowledge = expand(powertrain, local)
        for what in (*_met(powertrain), *_dangling(knowledge)):
            raise DataError(f"{name}: {what}.")
        seen |= powertrain.features
        used |= {f"suspect {row}" for row in knowledge.templates.values()}
        used |= {f"test {row}" for row in knowledge.tests}
        used |= {f"component class {row.row.id}" for row in knowledge.components.values()}
    if missing := every_feature() - seen:
        raise DataError(f"No powertrain that is tried has: {', '.join(sorted(missing))}.")
    written = {f"suspect {row.id}" for row in tables().faults} | {f"test {row.id}" for row in tables().tests}
    written |= {f"component class {row.id}" for row in components_file().part}
    if never := sorted(written - used):
        raise DataError(f"No platform and no preset has: {', '.join(never)}.")


def _met(powertrain: Powertrain) -> Iterator[str]:
    """Rows of one id that are meant for different powertrains, and both hold on this one."""
    for kind, rows in (("suspect", tables().faults), ("test", tables().tests), ("repair", tables().repairs)):
        needs = [(row.id, getattr(row, "needs" if kind == "suspect" else "on")) for row in rows]
        there = Counter(name for name, needed in needs if set(needed) <= powertrain.features)
        yield from (f"two rows of the {kind} “{name}” hold at once" for name, times in there.items() if times > 1)


def _dangling(knowledge: Knowledge) -> Iterator[str]:
    named = set(components_file().without_circuit)
    for fault in knowledge.faults.values():
        if fault.repair not in knowledge.repairs:
            yield f"{fault.id}: there is no repair “{fault.repair}”"
        if not _about(fault.component, knowledge, named):
            yield f"{fault.id}: there is no component “{fault.component}”"
        yield from _missing(fault.id, "root cause", fault.roots, knowledge.faults)
        yield from _missing(fault.id, "code", fault.codes, knowledge.codes)
        yield from _missing(fault.id, "symptom", fault.symptoms, knowledge.symptoms)
    for test in knowledge.tests.values():
        yield from _missing(test.id, "suspect", test.given, knowledge.faults)
        outcomes = {item.id for item in test.outcomes}
        for name, table in test.given.items() if outcomes else ():
            yield from _missing(f"{test.id}, {name}", "outcome", table, outcomes)
            if abs(sum(table.values()) - 1.0) > 1e-6:
                yield f"{test.id}, {name}: a distribution sums to {sum(table.values()):.4f}, not to 1"
        if outcomes and all(_same(table, test.otherwise) for table in test.given.values()):
            yield f"{test.id}: no suspect makes another outcome likelier: the test tells nothing"


def _about(component: str, knowledge: Knowledge, named: set[str]) -> bool:
    """Whether it is a component or shared point of this powertrain, or a kind of part that is drawn nowhere."""
    known = component in knowledge.components or component in knowledge.points
    return known or ComponentRef.parse(component).kind in named


def _missing(of: str, what: str, names: Iterable[str], known: Iterable[str]) -> Iterator[str]:
    there = set(known)
    yield from (f"{of}: there is no {what} “{name}”" for name in names if name not in there)


def _same(table: dict[str, float], other: dict[str, float]) -> bool:
    return all(abs(table.get(name, 0.0) - other.get(name, 0.0)) < 1e-9 for name in {*table, *other})
