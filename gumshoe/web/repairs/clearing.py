"""Clearing under guard, in every module or in some; triage clearing; and leaving the lamp to the control unit."""

from __future__ import annotations

import time
from dataclasses import asdict, dataclass

from gumshoe.core.codes import CodeState
from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.core.obd.clearing import clear_modules
from gumshoe.core.obd.errors import LinkError
from gumshoe.core.obd.present import present_values
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.proof.clear_guard import AtOnce, ClearCheck, back_at_once, check_clear
from gumshoe.web.accounts.models import User
from gumshoe.web.cases.models import Case
from gumshoe.web.repairs import ends
from gumshoe.web.repairs.models import Clearing
from gumshoe.web.scans import services as scans
from gumshoe.web.scans.models import Scan
from gumshoe.web.vehicles.links import ENGINE_MODULE, connection

SETTLES_S = 1.5
"""So long the monitors of circuits get before the scan after clearing: a hard fault then stands again."""


class ClearRefused(GumshoeError):
    """Clearing is not allowed now."""

    kept = "Nothing was cleared."


def engine_speed(case: Case) -> float | None:
    """Engine speed now; None when the vehicle does not answer."""
    try:
        with connection(case.vehicle).use() as link:
            return present_values(link, ("rpm",), ENGINE_MODULE).get("rpm")
    except GumshoeError:
        return None


def clear_check(case: Case) -> ClearCheck:
    """May the codes be cleared now?"""
    stored = scans.latest(case)
    snapshot = scans.snapshot_of(stored) if stored else None
    return check_clear(snapshot, ends.open_ends(case), engine_speed(case), ends.sorted_codes(case))


@dataclass(frozen=True)
class ModuleCodes:
    """A module of the last scan and what it holds, to be chosen for clearing."""

    responder: int
    name: str
    codes: tuple[str, ...]


def modules_of(case: Case) -> list[ModuleCodes]:
    """The modules of the newest scan with their codes."""
    stored = scans.latest(case)
    snapshot = scans.snapshot_of(stored) if stored else None
    return [
        ModuleCodes(
            module.responder,
            module.name or f"module {module.responder:X}",
            tuple(f"{item.code} {item.state.value}" for item in module.codes),
        )
        for module in (snapshot.modules if snapshot else ())
    ]


def clear(case: Case, user: User, *, triage: bool, only: frozenset[int] | None = None) -> Clearing:
    """Clear every module (or only those with these response ids) after the guard has agreed, then scan again at once.

    Raises ClearRefused with the guard's reasons, BadInput when nothing was repaired and it is not triage, or LinkError;
    then nothing is recorded as cleared.
    """
    if not triage and not case.works.exists():
        raise BadInput(
            "No repair is on record in this case.",
            kept="Nothing was cleared.",
            remedies=(
                "record the repair as done, then clear",
                "or clear for triage: store, clear, drive, see what returns",
            ),
        )
    check = clear_check(case)
    if not check.allowed:
        raise ClearRefused("Clearing is not possible now.", remedies=check.blocks)
    before = scans.perform(case, user, Scan.Why.AGAIN)  # the very last state is always on record
    expected, reference = expected_codes(case), _proof_reference(case, before)
    with connection(case.vehicle).use() as link:
        cleared = clear_modules(link, scans.beyond(case), only)
    names = {row.responder: row.name for row in modules_of(case)}
    results = [asdict(row) | {"module": names.get(row.responder, row.module)} for row in cleared]
    if not any(row.cleared for row in cleared):
        raise ClearRefused("No module cleared its codes.", remedies=tuple(row.reason for row in cleared if row.reason))
    time.sleep(SETTLES_S)
    try:
        after = scans.perform(case, user, Scan.Why.AFTER_CLEAR)
    except LinkError:
        after = None
    return Clearing.objects.create(
        case=case,
        by=user,
        before=reference,
        after=after,
        modules=results,
        triage=triage,
        expected=expected,
    )


def leave_to_itself(case: Case, user: User) -> Clearing:
    """Clear nothing after the repair: the control unit puts the lamp out after its good trips. The same guard on loose
    ends and a stored scan holds. Raises BadInput when no repair is on record or an end is loose."""
    ends.refuse_while_open(case)
    before = scans.telling(case)
    if before is None:
        raise BadInput("No scan is stored for this case.", remedies=("scan first, so that the proof has a beginning",))
    if not case.works.exists():
        raise BadInput("No repair is on record in this case.", remedies=("record the repair as done first",))
    return Clearing.objects.create(case=case, by=user, before=before, by_itself=True, expected=expected_codes(case))


def expected_codes(case: Case) -> list[str]:
    """The codes of the newest scan that the work itself has set."""
    return sorted({row.code for row in ends.sorted_codes(case) if row.expected})


def _proof_reference(case: Case, before: Scan) -> Scan:
    """The scan the proof is measured against: the last one that still held the codes."""
    return scans.telling(case) or before


def at_once(clearing: Clearing) -> tuple[AtOnce, ...]:
    """Codes that stood again directly after clearing: hard faults."""
    after = scans.snapshot_of(clearing.after) if clearing.after else None
    return back_at_once(after) if after else ()


# -- triage -----------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Triage:
    """What a triage clearing showed so far: what returned, what is new, what has stayed away, by which scan."""

    clearing: Clearing
    scan: Scan | None
    returned: tuple[str, ...]
    new: tuple[str, ...]
    stayed_away: tuple[str, ...]


def triage_of(clearing: Clearing) -> Triage:
    """The codes before, against the newest scan since."""
    before = scans.snapshot_of(clearing.before)
    since = [row for row in clearing.case.scans.filter(interrupted=False) if row.at > clearing.at]
    latest = since[-1] if since else clearing.after
    now = _held(scans.snapshot_of(latest) if latest else None)
    held = _held(before)
    return Triage(
        clearing,
        latest,
        tuple(code for code in held if code in now),
        tuple(code for code in now if code not in held),
        tuple(code for code in held if code not in now),
    )


def _held(snapshot: Snapshot | None) -> tuple[str, ...]:
    return snapshot.codes_in(CodeState.CONFIRMED, CodeState.PENDING) if snapshot else ()
