"""Suspects and repairs generated from the components and the points they share.

Each electrical component yields its failure modes (``components.toml``), each shared point the loss of all on it.
A shared cause is a suspect like any other: that alone makes it win when five circuit codes arrive together.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from gumshoe.core.knowledge.code_index import CodeIndex
from gumshoe.core.knowledge.component_rows import CircuitRow, ModeRow
from gumshoe.core.knowledge.parts import (
    Cause,
    Component,
    Local,
    SharedPoint,
    circuit_of,
    components,
    components_file,
    shared_points,
)
from gumshoe.core.knowledge.rows import FaultRow, RepairRow
from gumshoe.core.knowledge.values import MISFIRE, Distribution, FailureMode, Origin
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.powertrain.misfires import WANDERS, Spread, law_of, mask_of, some_of
from gumshoe.core.powertrain.positions import bank_members

DEAD = (FailureMode.OPEN, FailureMode.SHORT_GROUND, FailureMode.SHORT_FEED, FailureMode.UNDRIVEN, FailureMode.STAYS_ON)
LOOSE_SHARE = 0.6
"""How much of a dead circuit's misfire a loose contact still causes (common practice)."""
MIN_MENDING_MINUTES = 18
BY_UNIT, ENGINE_DRIVES = "unit", ("engine_module", "renew_control_unit")
DRIVEN_BY = {
    "gearbox": ("gearbox_module", "renew_gearbox_module"),
    "glow_plug": ("glow_module", "renew_glow_module"),
}
"""Whose output stages drive what sits there or is of that class, and what renews them: the engine's control unit all
else."""
STAGE_RATE = 0.5
"""An output stage does not fail oftener because what it drives wears: of no more than this rate its modes take their
share (common practice)."""
TOLD = 0.7
"""How often what a code stands for sets that code (common practice)."""
REFERENCE, OTHER_LETTER = "reference", 0.7
DEAD_UNSEEN, DEAD_WANDERS = 0.06, 0.10
ALL_OF_POINT, BANK_OF_POINT, SOME_OF_POINT, ONE_OF_POINT = 0.43, 0.25, 0.20, 0.12
"""How a shared feed or ground of cylinders shows itself: not at all, wandering; and how the rest divides (common
practice)."""
STANDS = ("no_start", "stalls")
"""What an engine does of whose cylinders none works: before a start, and on the road."""


@dataclass(frozen=True)
class Generated:
    """One generated suspect with the repair that cures it, where no table has that. Codes are already numbers."""

    fault: FaultRow
    repair: RepairRow | None


def generated(powertrain: Powertrain, local: Local) -> Iterator[Generated]:
    """Every suspect that follows from parts and wiring."""
    for component in components(powertrain, local):
        circuit = circuit_of(component)
        for mode in components_file().mode if circuit else ():
            if circuit and mode.id not in component.row.written and circuit.kinds(mode.id):
                yield _of_mode(component, circuit, mode, powertrain)
    for point in shared_points(powertrain, local):
        if point.row is None or not point.row.fault:
            yield _of_point(point, powertrain, local)
    for cause in local.causes:
        yield _of_cause(cause)


# -- inside -----------------------------------------------------------------------------------------------


def raised_by(component: Component, mode: str) -> dict[str, float]:
    """The codes that a failure of a part's circuit raises, with their chances; none for a part without one."""
    circuit = circuit_of(component)
    return _raised(component, circuit.kinds(mode)) if circuit else {}


def _raised(component: Component, kinds: dict[str, float]) -> dict[str, float]:
    return {number: kinds[kind] for number, kind in component.codes if kind in kinds}


def _of_mode(component: Component, circuit: CircuitRow, mode: ModeRow, powertrain: Powertrain) -> Generated:
    row = component.row
    graded: dict[str, Distribution] = dict(row.graded.get(mode.id, {}))
    if row.misfire and component.cylinders and mode.id is not FailureMode.WORN:
        share = row.misfire * (1.0 if mode.id in DEAD else LOOSE_SHARE)
        spread = Spread.PAIR if len(component.cylinders) == 2 else Spread.CYLINDER
        graded[MISFIRE] = {Spread.NONE: 1.0 - share, spread: share}
    repair = None if mode.repair == BY_UNIT else _repair(component, mode)
    unit, renewed = DRIVEN_BY.get(row.id) or DRIVEN_BY.get(row.place, ENGINE_DRIVES)
    fault = FaultRow(
        id=f"{mode.id}_{component.id}",
        words=mode.words.replace("{c}", component.words),
        component=component.id if repair else unit,
        rate=(min(row.rate, STAGE_RATE) if mode.repair == BY_UNIT else row.rate) * mode.share,
        standing=components_file().standing,
        wear=row.wear if mode.id in (FailureMode.WORN, FailureMode.LOOSE) else 0.5,
        needs=(),
        repair=repair.id if repair else renewed,
        why=mode.why,
        codes=_raised(component, circuit.kinds(mode.id)),
        symptoms=dict(row.symptoms),
        graded=graded,
        origin=Origin.PART,
        mode=mode.id,
        ageing=mode.ageing,
        template=f"{mode.id}_{component.id}",
        bank=component.bank,
        cylinders=component.cylinders,
        misfire=law_of(graded.get(MISFIRE, {}), powertrain, component.cylinders),
    )
    return Generated(fault, repair)


def _repair(component: Component, mode: ModeRow) -> RepairRow:
    row, work = component.row, components_file().work[mode.repair]
    new_part = mode.repair == "renew"
    return RepairRow(
        f"{mode.repair}_{component.id}",
        work.words.replace("{c}", component.words),
        component.id,
        row.minutes if new_part else max(MIN_MENDING_MINUTES, row.minutes // 2),
        row.price if new_part else work.price,
        work.steps,
        ("ignition_voltage",) if row.circuit == "smart coil" else (),
        ("its plug", "the harness near it"),
        "renew" if new_part else "mend",
        "cylinder" if row.per == ("cylinder",) else "",
        wiring=not new_part,
        template=f"{mode.repair}_{row.id}",
    )


def _of_point(point: SharedPoint, powertrain: Powertrain, local: Local) -> Generated:
    codes: dict[str, float] = {}
    symptoms: dict[str, float] = {}
    for member in point.members:
        circuit = circuit_of(member)
        codes |= _raised(member, circuit.kinds(point.field)) if circuit else {}
        for name, chance in member.row.symptoms.items():
            symptoms[name] = max(symptoms.get(name, 0.0), chance)
    codes |= own_codes(point, local.index, powertrain.banks)
    work = components_file().work[point.field]
    repair = RepairRow(
        f"mend_{point.id}",
        work.words.replace("{w}", point.words),
        point.id,
        work.minutes,
        work.price,
        work.steps,
        (),
        ("what else hangs on it",),
        "mend",
        wiring=True,
        template=f"mend_{point.id}",
    )
    law = _point_misfire(point, powertrain)
    every = law.get(mask_of(range(1, powertrain.cylinders + 1)), 0.0)
    for name in STANDS if every else ():  # where no cylinder works, nothing runs
        symptoms[name] = max(symptoms.get(name, 0.0), every)
    shown: Distribution = {Spread.NONE: DEAD_UNSEEN, Spread.SOME: 1.0 - DEAD_UNSEEN}
    graded: dict[str, Distribution] = {MISFIRE: shown} if law else {}
    fault = FaultRow(
        id=f"shared_{point.id}",
        words=point.words,
        component=point.id,
        rate=point.rate,
        standing=components_file().standing,
        wear=0.6,
        needs=(),
        repair=repair.id,
        why=work.why,
        codes=codes,
        symptoms=symptoms,
        graded=graded,
        misfire=law,
        members=tuple(member.id for member in point.members),
        origin=Origin.POINT,
        ageing=work.ageing,
        template=f"shared_{point.id}",
    )
    return Generated(fault, repair)


def _of_cause(cause: Cause) -> Generated:
    """What a code stands for that no part does, and that it is put right when it is found."""
    work = components_file().work["cause"]
    repair = RepairRow(
        f"mend_{cause.component}_{cause.number}",
        work.words.replace("{c}", cause.number),
        cause.component,
        cause.minutes,
        cause.price,
        work.steps,
        cause.cautions,
        (),
        "mend",
        template="mend_told",
    )
    fault = FaultRow(
        id=f"{cause.component}_{cause.number}",
        words=f"cause of {cause.number} ({cause.title[:1].lower()}{cause.title[1:]})",
        component=cause.component,
        rate=cause.rate,
        standing=components_file().standing,
        wear=0.8,
        needs=(),
        repair=repair.id,
        why=work.why,
        codes={cause.number: TOLD},
        symptoms={},
        graded={},
        origin=Origin.CODE,
        template=f"{cause.component}_{cause.number}",
    )
    return Generated(fault, repair)


def own_codes(point: SharedPoint, index: CodeIndex, banks: int) -> dict[str, float]:
    """The codes a shared point has of its own. Where no diagram is known, which reference carries which letter is a
    guess: the other letters' codes stand for it too, less often."""
    if point.row is None:
        return {}
    found: dict[str, float] = {}
    if point.field == REFERENCE and not point.from_platform:
        for row in components_file().point:
            if row.field == REFERENCE:
                found |= {code: OTHER_LETTER * chance for code, chance in index.strengths(row.codes, banks).items()}
    return found | index.strengths(point.row.codes, banks)


def _point_misfire(point: SharedPoint, powertrain: Powertrain) -> dict[int, float]:
    """How a dead or weak feed or ground makes its cylinders misfire: all of them, or those it starves first. On engines
    with two banks often those of one bank: a splice or a terminal lies between (common practice)."""
    cylinders = sorted({n for member in point.members if member.row.misfire for n in member.cylinders})
    if not cylinders or point.field == "plug":
        return {}
    found = {0: DEAD_UNSEEN, WANDERS: DEAD_WANDERS}
    sets: dict[int, float] = {mask_of(cylinders): ALL_OF_POINT}
    banks = [[n for n in bank_members(powertrain, b) if n in cylinders] for b in range(1, powertrain.banks + 1)]
    for row in (item for item in banks if item):
        sets[mask_of(row)] = sets.get(mask_of(row), 0.0) + BANK_OF_POINT / len(banks)
    parts = some_of(cylinders)
    for part in parts:
        sets[mask_of(part)] = sets.get(mask_of(part), 0.0) + SOME_OF_POINT / len(parts)
    for n in cylinders:
        sets[mask_of([n])] = sets.get(mask_of([n]), 0.0) + ONE_OF_POINT / len(cylinders)
    whole = sum(sets.values()) / (1.0 - DEAD_UNSEEN - DEAD_WANDERS)
    return found | {mask: share / whole for mask, share in sets.items()}
