"""Findings at one cylinder, cam, bank or plug: which one is asked, and there is an outcome for each.

Without it a finding at one place would convict whichever place is suspected.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace

from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.outcomes import AND, Reading, decide
from gumshoe.core.knowledge.parts import Component
from gumshoe.core.knowledge.rows import FaultRow, OutcomeRow, ReadingRow, Specification, TestRow
from gumshoe.core.knowledge.values import Distribution, FailureMode
from gumshoe.core.powertrain.description import Powertrain

UNSAID = 0.12
"""Of the mass of the finding: told without saying which."""
CYLINDER, CAM, BANK, PLUG = "cylinder", "cam", "bank", "plug"
ASKED = {
    CYLINDER: ("Which cylinder", "all alike"),
    CAM: ("Which cam", "none by itself"),
    BANK: ("Which bank", "neither by itself"),
    PLUG: ("Which plug", "not one alone"),
}
"""Each axis: its question, and the answer where the finding is not at one place."""
ASTRAY = {CYLINDER: 0.06, CAM: 0.06, BANK: 0.06, PLUG: 0.01}
"""Of the mass of the finding: told of another place than the suspect's own. Cylinders are counted from the wrong end;
who moves a plug sees which (common practice)."""
ALIKE = ASKED[CYLINDER][1]
CAM_OF = {"intake_phaser_valve": "intake", "exhaust_phaser_valve": "exhaust"}
"""The classes of components that belong to one cam."""
MODES = (FailureMode.OPEN, FailureMode.LOOSE)
"""What is wrong with a circuit whose plug is off, or parts when it is moved."""


@dataclass(frozen=True)
class Spot:
    """One place of an axis: the tail of its outcome's id, and its words."""

    id: str
    words: str


def spots(axis: str, powertrain: Powertrain, parts: Iterable[Component] = ()) -> tuple[Spot, ...]:
    """The places of an axis on this engine. Where there is but one, nothing is asked. ``parts``: whose plugs they are,
    where it is a plug that is asked for; several may have one."""
    if axis == PLUG:
        words: dict[str, str] = {}
        for part in parts:
            words.setdefault(plug_of(part), part.words)
        return tuple(Spot(name, text) for name, text in sorted(words.items(), key=lambda item: item[1]))
    if axis == CYLINDER:
        return tuple(Spot(str(n), str(n)) for n in range(1, powertrain.cylinders + 1))
    banks = range(1, powertrain.banks + 1)
    if axis == BANK:
        return tuple(Spot(str(bank), str(bank)) for bank in banks)
    tail = " of bank {}" if powertrain.banks > 1 else ""
    return tuple(Spot(cam_at(cam, bank), f"{cam}{tail.format(bank)}") for bank in banks for cam in powertrain.cams)


def plug_of(part: Component) -> str:
    """The plug of a component: its own, or the one it shares."""
    return next((f"{PLUG}_{point}" for field, point in part.points if field == PLUG), part.id)


def cam_at(cam: str, bank: int) -> str:
    """A cam as the place of a finding."""
    return f"{cam}_{bank}"


def outcome_at(base: str, axis: str, spot: str, powertrain: Powertrain) -> str:
    """The outcome of a finding at one place; the finding itself where the engine has but one such place."""
    found = spots(axis, powertrain)
    return f"{base}_{spot}" if len(found) > 1 and any(item.id == spot for item in found) else base


def decided(
    test: TestRow, readings: Mapping[str, Reading], specification: Specification | None = None
) -> tuple[dict[str, Reading], OutcomeRow]:
    """The outcome of what was found, and the readings made whole: which place is asked only of what is found at one.

    Raises BadInput where a finding at one place does not say which, or decides nothing.
    """
    unasked = [row for row in test.readings if row.key in ASKED and row.key not in readings]
    whole = {**readings, **{row.key: row.options[0] for row in unasked}}
    outcome = decide(test, whole, specification)
    for row in unasked:
        if outcome.each == row.key:
            raise BadInput(f"{row.label}? It is not said.", remedies=(f"choose it, or “{row.options[0]}”",))
    return whole, outcome


def by_place(
    test: TestRow, powertrain: Powertrain, faults: Mapping[str, FaultRow], parts: Mapping[str, Component]
) -> TestRow:
    """The test with each finding that is at one place told place by place. ``parts``: the component each suspect is
    about, where it is one."""
    plugged = [part for name, part in parts.items() if faults[name].mode in MODES]
    for base in [item for item in test.outcomes if item.each]:
        found = spots(base.each, powertrain, plugged)
        if len(found) > 1:
            test = _told(test, base, found, powertrain, faults, parts)
    return test


def _told(
    test: TestRow,
    base: OutcomeRow,
    found: tuple[Spot, ...],
    powertrain: Powertrain,
    faults: Mapping[str, FaultRow],
    parts: Mapping[str, Component],
) -> TestRow:
    """The test with one finding told place by place."""
    own = {name: frozenset(_own(base.each, row, powertrain, parts.get(name))) for name, row in faults.items()}
    told = tuple(
        OutcomeRow(
            f"{base.id}_{spot.id}",
            f"{base.words}: {spot.words}" if base.each in (CAM, PLUG) else f"{base.words}: {base.each} {spot.words}",
            f"{base.when}{AND}{base.each} is {spot.words}",
            tuple(
                f
                for f, row in faults.items()
                if own[f] == {spot.id} and (row.template in base.proves or row.mode in base.proves_modes)
            ),
            lacks=base.lacks,
            place=spot.id,
        )
        for spot in found
    )
    place = test.outcomes.index(base)
    question, none = ASKED[base.each]
    asked = ReadingRow(
        base.each, question, "choice", test.readings[0].point, options=(none, *(spot.words for spot in found))
    )
    everywhere = dict.fromkeys((spot.id for spot in found), 1.0)
    return replace(
        test,
        readings=(*test.readings, asked),
        outcomes=(*test.outcomes[:place], *told, *test.outcomes[place:]),
        otherwise=_spread(test.otherwise, base.id, everywhere),
        given={
            fault: _spread(table, base.id, _places(base.each, own[fault], found) if own.get(fault) else everywhere)
            for fault, table in test.given.items()
        },
    )


def _own(axis: str, row: FaultRow, powertrain: Powertrain, part: Component | None) -> Iterator[str]:
    """Where a suspect shows itself; nowhere by itself where it touches all alike."""
    if axis == PLUG:
        yield plug_of(part) if part else row.component
        return
    if axis == CYLINDER:
        yield from map(str, row.cylinders or (part.cylinders if part else ()))
        return
    bank = part.bank if part else (0 if row.cylinders else row.bank)
    if bank and axis == BANK:
        yield str(bank)
    elif bank:
        cam = CAM_OF.get(part.row.id) if part else None
        yield from (cam_at(name, bank) for name in powertrain.cams if cam in (None, name))


def _places(axis: str, own: frozenset[str], found: tuple[Spot, ...]) -> dict[str, float]:
    """How often each place is named for a suspect of its ``own`` places."""
    astray = ASTRAY[axis] / (1.0 - ASTRAY[axis] - UNSAID) / max(len(found) - len(own), 1)
    return {spot.id: 1.0 / len(own) if spot.id in own else astray for spot in found}


def _spread(table: Distribution, base: str, places: Mapping[str, float]) -> Distribution:
    """A table with the mass of one outcome told place by place."""
    mass, whole = table.get(base, 0.0), sum(places.values())
    shares = {f"{base}_{spot}": mass * (1.0 - UNSAID) * share / whole for spot, share in places.items()}
    return {**{name: value for name, value in table.items() if name != base}, **shares, base: mass * UNSAID}
