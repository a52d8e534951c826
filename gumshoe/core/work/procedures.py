"""After-work procedures: which repairs ask for which, and whether the car is in the condition to begin."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.procedures import ProcedureRow, procedures
from gumshoe.core.obd.pids import fields_by_key
from gumshoe.core.powertrain.component import ComponentRef
from gumshoe.core.proof.provoked import Did, Happening

STOPPED_RPM, RUNS_RPM = 50.0, 400.0


@dataclass(frozen=True)
class Needed:
    """A procedure that the work asks for, and because of what."""

    row: ProcedureRow
    because: str


@dataclass(frozen=True)
class Precondition:
    """One condition: what is asked, what is seen, whether it holds. ``seen`` empty: the car does not tell."""

    words: str
    asked: str
    seen: str
    holds: bool


def needed_after(knowledge: Knowledge, repairs: Iterable[str], happenings: Iterable[Happening]) -> tuple[Needed, ...]:
    """What the repairs done and what happened on the way ask for, in the table's order, each once."""
    reasons: dict[str, str] = {}
    for name in repairs:
        repair = knowledge.repairs.get(name)
        if repair is None:
            continue
        keys = {name, ComponentRef.parse(name).kind}
        if repair.renews:
            keys |= {f"{part}:{Did.RENEWED}" for part in _names(knowledge, repair.component)}
        for key in keys:
            reasons.setdefault(key, repair.words)
    for item in happenings:
        did = Did.OFF if item.did is Did.REMOVED else item.did
        for part in _names(knowledge, item.component):
            reasons.setdefault(f"{part}:{did}", item.words)
    found = []
    for row in procedures().values():
        because = next((reasons[key] for key in row.after if key in reasons), None)
        if because is not None and set(row.needs) <= knowledge.powertrain.features:
            found.append(Needed(row, because))
    return tuple(found)


def _names(knowledge: Knowledge, component: str) -> set[str]:
    part = knowledge.components.get(component)
    return {component, part.row.id} if part else {component}


def readiness(row: ProcedureRow, values: Mapping[str, float]) -> tuple[Precondition, ...]:
    """Every condition against what the car tells now. One that it does not tell does not hold."""
    rpm = values.get("rpm")
    runs = rpm is not None and rpm > RUNS_RPM
    stands = rpm is not None and rpm < STOPPED_RPM
    asked = "key on, engine off" if row.engine == "off" else "engine running"
    seen = "" if rpm is None else f"{rpm:.0f} rpm"
    found = [Precondition("Key and engine", asked, seen, stands if row.engine == "off" else runs)]
    for item in row.conditions:
        value = values.get(item.key)
        unit = fields_by_key()[item.key].unit
        holds = value is not None and not (
            (item.low is not None and value < item.low) or (item.high is not None and value > item.high)
        )
        found.append(Precondition(item.words, item.asked, "" if value is None else f"{value:.4g} {unit}", holds))
    return tuple(found)
