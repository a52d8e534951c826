"""Codes that the work itself has set: what happened on the car, which codes that brings in which control units, and,
after the next scan, which of the codes are expected and which are not.

A part that was off sets its circuit codes only while the key was on; where nobody knows, the codes stay possible with
half their chance. The causes beyond a part's own plug stand in ``provoked.toml``.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from functools import cache
from pathlib import Path

from gumshoe.core.clues.extract import supply_of
from gumshoe.core.clues.known import KnownCause, unplugged
from gumshoe.core.codes import POWERTRAIN, CodeState, TroubleCode, told_by
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.knowledge.values import Chance, CodeOrNumber, PartClass, Row, Words
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.suspects.relations import PREDICTS, CodesRead, Role

FILE = Path(__file__).parent / "provoked.toml"
GEARBOX_UNIT = frozenset({"transmission fluid temperature"})
"""What the gearbox's control unit tells of under numbers of another area."""
UNKNOWN_KEY = 0.5
"""What a chance is worth where nobody knows whether the key was on."""
WORTH_EXPECTING = PREDICTS
"""A code with less of a chance than this does not count as explained by the work, on no page."""
FLAT_SYMPTOM, BATTERY_SUSPECT = "was_flat", "battery_low"
SUPPLY, LOW = "system voltage", ("very_low", "low")
"""The component of the supply's codes, and the bins of a supply that is too low."""
EXCUSED_STILL = 0.3
"""How far a battery that was flat excuses a code of the supply while the supply is still low."""
WORTH_TELLING = 0.25
"""From this chance on a code is foretold by name."""


class Did(StrEnum):
    """What was done to a part."""

    OFF = "off"
    REMOVED = "removed"
    JUMPED = "jumped"
    DRAINED = "drained"
    FLAT = "flat"
    RENEWED = "renewed"


@dataclass(frozen=True)
class Happening:
    """Something the work did to a component: what, from when to when (epoch seconds; ``until`` None: still so), and
    whether the key was on meanwhile (None: nobody knows)."""

    component: str
    did: Did
    words: str
    since: float
    until: float | None
    key_on: bool | None


@dataclass(frozen=True)
class CauseRow(Row):
    """A row of ``provoked.toml``."""

    id: str
    words: Words
    happens: tuple[Did, ...]
    to: tuple[PartClass, ...]
    key: bool
    codes: dict[CodeOrNumber, Chance]
    why: Words


@dataclass(frozen=True)
class ProvokedFile(Row):
    cause: tuple[CauseRow, ...]


@dataclass(frozen=True)
class Provoked:
    """A code the work will have set: its chance, where it would stand, which happening and why."""

    code: str
    chance: float
    where: str
    words: str
    why: str

    @property
    def foretold(self) -> bool:
        """Whether it is likely enough to be named before the scan."""
        return self.chance >= WORTH_TELLING


@dataclass(frozen=True)
class Found:
    """A code of a scan, sorted: ``expected`` tells which work explains it, ``old`` that it was there before the
    work."""

    code: str
    states: tuple[CodeState, ...]
    module: str
    responder: int
    old: bool
    expected: Provoked | None = None

    @property
    def flagged(self) -> bool:
        """New, and the work does not explain it."""
        return not self.old and self.expected is None


@cache
def causes() -> tuple[CauseRow, ...]:
    """The shipped causes. Raises DataError with file and line."""
    return load_table(FILE, ProvokedFile).cause


def key_was_on(
    since: float, until: float | None, seen: Iterable[tuple[float, float]], told: bool | None
) -> bool | None:
    """Whether the key was on within a stretch of time: seen by the bus (stretches in which a control unit answered),
    else what somebody told, else None."""
    end = float("inf") if until is None else until
    if any(on_until >= since and on_from <= end for on_from, on_until in seen):
        return True
    return told


def provoked(knowledge: Knowledge, happenings: Iterable[Happening]) -> tuple[Provoked, ...]:
    """Every code that the happenings may have set, the likeliest first; where two bring the same, the likelier."""
    found: dict[str, Provoked] = {}
    for item in happenings:
        for code, (chance, why) in _brought_by(knowledge, item).items():
            if code not in found or chance > found[code].chance:
                found[code] = Provoked(code, chance, where_of(code, knowledge), item.words, why)
    return tuple(sorted(found.values(), key=lambda row: (-row.chance, row.code)))


def _brought_by(knowledge: Knowledge, item: Happening) -> dict[str, tuple[float, str]]:
    worth = {True: 1.0, None: UNKNOWN_KEY, False: 0.0}[item.key_on]
    found: dict[str, tuple[float, str]] = {}
    if item.did in (Did.OFF, Did.REMOVED) and item.component != "battery":
        for code, chance in unplugged(knowledge, item.component).codes.items():
            if chance * worth:
                found[code] = chance * worth, "Its plug was off while the key was on."
    part = knowledge.components.get(item.component)
    names = {item.component, part.row.id if part else ""}
    did = Did.OFF if item.did is Did.REMOVED else item.did
    for cause in causes():
        if did not in cause.happens or not names & set(cause.to):
            continue
        for reference, chance in cause.codes.items():
            for code in _numbers(knowledge, reference):
                worthy = chance * (worth if cause.key else 1.0)
                if worthy > found.get(code, (0.0, ""))[0]:
                    found[code] = worthy, cause.why
    return found


def _numbers(knowledge: Knowledge, reference: str) -> tuple[str, ...]:
    """The codes a reference names; a number stands for itself whether or not the catalogue has it."""
    if ": " not in reference:
        return (reference,)
    found = knowledge.index.numbers(reference, knowledge.powertrain.banks)
    if not reference.startswith("*"):
        return found
    return tuple(code for code in found if knowledge.components_of(code))  # of control units that this car has


def causes_on_record(
    knowledge: Knowledge,
    happenings: Iterable[Happening],
    scans: Iterable[Snapshot] = (),
    telling: Snapshot | None = None,
) -> tuple[KnownCause, ...]:
    """What the happenings are known to have set by the time of the telling scan, as causes that explain codes away.

    A code that stood in the same control unit before it happened is not of its making. ``scans``: all that were made.
    """
    earlier = sorted(scans, key=lambda item: item.taken_at)
    found = []
    for item in happenings:
        if telling is not None and item.since > telling.taken_at.timestamp():
            continue
        if item.key_on is not True and item.component != "battery":
            continue  # back in place, and nobody saw the key on meanwhile: it excuses nothing
        before = next((scan for scan in reversed(earlier) if scan.taken_at.timestamp() <= item.since), None)
        held = _held(before)
        old = {code for _, code in _held(telling)} - {
            code for where, code in _held(telling) if (where, code) not in held
        }
        codes = {row.code: row.chance for row in provoked(knowledge, [item])}
        if item.component == "battery":  # the strengths of the same cause as a suspect
            suspect = knowledge.faults.get(BATTERY_SUSPECT)
            for code, chance in (suspect.codes if suspect else {}).items():
                codes[code] = max(chance, codes.get(code, 0.0))
        still = _supply_codes(knowledge) if item.component == "battery" and supply_is_low(telling, knowledge) else set()
        codes = {
            code: min(chance, EXCUSED_STILL) if code in still else chance
            for code, chance in codes.items()
            if code not in old
        }
        if codes:
            found.append(KnownCause(item.words, codes))
    return tuple(found)


def supply_is_low(scan: Snapshot | None, knowledge: Knowledge) -> bool:
    """Whether the supply was still too low when the car was scanned: then it was not only flat once."""
    found = supply_of(scan.engine if scan else None, knowledge)
    return found is not None and found[1] in LOW


def _supply_codes(knowledge: Knowledge) -> set[str]:
    return {code for code, row in knowledge.codes.items() if row.component == SUPPLY}


def said_by_customer(symptoms: Iterable[str]) -> tuple[Happening, ...]:
    """What the customer tells of that sets codes by itself: the battery was flat or jumped, before it came."""
    if FLAT_SYMPTOM not in set(symptoms):
        return ()
    return (Happening("battery", Did.FLAT, "The battery was flat or jumped", 0.0, None, True),)


def _read_so(read: CodesRead, code: TroubleCode) -> Provoked:
    """A code that was read as set by the work, though no row of the table foretells it."""
    words, _, why = read.reading(code).reason.partition(": ")
    return Provoked(code, WORTH_EXPECTING, "", words, why)


def _held(scan: Snapshot | None) -> set[tuple[int, str]]:
    """(module, code) of everything a scan holds."""
    return {(module.responder, item.code) for module in (scan.modules if scan else ()) for item in module.codes}


def where_of(code: str, knowledge: Knowledge) -> str:
    """In which control unit a code of the work usually stands."""
    row = knowledge.codes.get(code)
    told = told_by(code)
    if told.system != POWERTRAIN:
        return "any control unit"
    if told.gearbox or (row is not None and row.component in GEARBOX_UNIT):
        return "transmission"
    if row is not None and row.component == "immobiliser key":
        return "body or engine"
    return "engine"


def sort_codes(
    before: Snapshot | None, after: Snapshot, expected: Iterable[Provoked], read: CodesRead | None = None
) -> tuple[Found, ...]:
    """The codes of the scan after the work: the old ones, those expected from the work, and the rest, which is flagged.

    A code that a module held before the work is old there and nowhere else. ``read``: the same codes read together;
    then what is expected is what was read as set by the work, so that the two can never disagree.
    """
    known = {row.code: row for row in expected if row.chance >= WORTH_EXPECTING}
    if read is not None:
        known = {code: known.get(code) or _read_so(read, code) for code in read.in_role(Role.SELF)}
    held = _held(before)
    rows = []
    for module in after.modules:
        for code in dict.fromkeys(item.code for item in module.codes):
            states = tuple(dict.fromkeys(item.state for item in module.codes if item.code == code))
            old = (module.responder, code) in held
            name = module.name or f"{module.responder:X}"
            rows.append(Found(code, states, name, module.responder, old, None if old else known.get(code)))
    return tuple(rows)
