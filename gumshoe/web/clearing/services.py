"""Clearing under guard, in every module or in some; triage clearing; and leaving the lamp to the control unit."""

from __future__ import annotations

import hashlib
import time
from dataclasses import asdict, dataclass
from typing import Any

from gumshoe.core.codes import CodeState
from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.core.obd.clearing import Cleared, clear_modules, modules_to_clear
from gumshoe.core.obd.present import present_values
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.proof.clear_guard import AtOnce, ClearCheck, back_at_once, check_clear
from gumshoe.web.accounts.models import User
from gumshoe.web.cases.alone import alone
from gumshoe.web.cases.models import Case
from gumshoe.web.clearing.models import Clearing, ClearingBegun, ClearingOutcome
from gumshoe.web.ledger import ends
from gumshoe.web.scans import services as scans
from gumshoe.web.scans import sorting
from gumshoe.web.scans.models import Scan
from gumshoe.web.vehicles.links import connection

SETTLES_S = 1.5
"""So long the monitors of circuits get before the scan after clearing: a hard fault then stands again."""
TRIES = 3


class ClearRefused(GumshoeError):
    """Clearing is not allowed now."""

    kept = "Nothing was cleared."


def engine_speed(case: Case) -> float | None:
    """Engine speed now; None when the vehicle does not answer, asked more than once: a lost frame is no silence."""
    for _ in range(TRIES):
        try:
            found = connection(case.vehicle)
            with found.use() as link:
                return present_values(link, ("rpm",), found.engine(link)).get("rpm")
        except GumshoeError:
            continue
    return None


def clear_check(case: Case) -> ClearCheck:
    """May the codes be cleared now?"""
    stored = scans.latest(case)
    snapshot = scans.snapshot_of(stored) if stored else None
    codes, cut_off = sorting.sorted_codes(case), bool(unfinished(case))
    return check_clear(snapshot, ends.open_ends(case), engine_speed(case), codes, cut_off=cut_off)


def guard_of(case: Case) -> str:
    """What the guard says now, as one word to compare with: a page that shows another looks again."""
    return guard_word(clear_check(case))


def guard_word(check: ClearCheck) -> str:
    """The same for a check at hand."""
    return hashlib.sha256("\n".join((*check.blocks, "|", *check.warnings)).encode()).hexdigest()[:16]


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


def clear(
    case: Case, user: User, *, triage: bool, only: frozenset[int] | None = None, seen: int | None = None
) -> Clearing:
    """Clear every module (or only those with these response ids) after the guard has agreed, then scan again at once.

    What is about to be cleared is stored first, then the outcome of every module, then the scan after it. ``seen``: the
    newest clearing the person knew of (0: none). Raises ClearRefused with the guard's reasons or where no module
    cleared; BadInput when nothing was repaired and it is not triage, or somebody cleared meanwhile.
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
    with alone(case, "clear", "The codes of this case are being cleared just now.", user):
        _refuse_when_cleared_meanwhile(case, seen)
        check = clear_check(case)
        if not check.allowed:
            raise ClearRefused("Clearing is not possible now.", remedies=check.blocks)
        before = scans.perform(case, user, Scan.Why.AGAIN)  # the very last state is always on record
        snapshot = scans.snapshot_of(before)
        assert snapshot is not None
        wanted = modules_to_clear(snapshot, scans.beyond(case), only)
        begun = ClearingBegun.objects.create(
            case=case,
            by=user,
            before=_proof_reference(case, before),
            triage=triage,
            modules=[{"module": row.name, "responder": row.responder, "unread": row.unread} for row in wanted],
        )
        try:
            with connection(case.vehicle).use() as link:
                cleared = clear_modules(link, wanted)
        except GumshoeError as error:  # the link did not even open: nothing was sent
            cleared = tuple(Cleared(row.name, row.responder, False, f"not asked: {error.what}") for row in wanted)
        outcome = ClearingOutcome.objects.create(case=case, by=user, begun=begun, modules=list(map(asdict, cleared)))
        if not outcome.may_have_cleared:
            raise ClearRefused(
                "No module cleared its codes.", remedies=tuple(row.reason for row in cleared if row.reason)
            )
        time.sleep(SETTLES_S)
        return _close(begun, user, list(outcome.modules))


def finish(case: Case, user: User) -> Clearing:
    """Close a clearing that was cut off: scan now, and put on record what is known of it. Raises BadInput when there is
    none."""
    with alone(case, "clear", "The codes of this case are being cleared just now.", user):
        open_ones = unfinished(case)
        if not open_ones:
            raise BadInput("No clearing of this case was cut off.")
        begun = open_ones[-1].begun
        outcome = getattr(begun, "outcome", None)
        unknown = [
            {**row, "cleared": False, "known": False, "reason": "the clearing was cut off"} for row in begun.modules
        ]
        return _close(begun, user, outcome.modules if outcome else unknown)


def _close(begun: ClearingBegun, user: User, modules: list[dict[str, Any]]) -> Clearing:
    """The scan after, and the clearing itself on record. The codes that the work had set are those of before."""
    expected = expected_codes(begun.case)
    try:
        after = scans.perform(begun.case, user, Scan.Why.AFTER_CLEAR)
    except GumshoeError:
        after = None
    return Clearing.objects.create(
        case=begun.case,
        by=user,
        before=begun.before,
        after=after,
        modules=modules,
        triage=begun.triage,
        expected=expected,
        begun=begun,
    )


@dataclass(frozen=True)
class Unfinished:
    """A clearing that was begun and has no end on record: what was under way, and what is known of it."""

    begun: ClearingBegun
    words: tuple[str, ...]


def unfinished(case: Case) -> list[Unfinished]:
    """Clearings that were cut off (the program ended, the machine went down), the oldest first."""
    found = []
    for begun in case.clearingbeguns.filter(clearing__isnull=True).select_related("outcome", "by"):
        outcome = getattr(begun, "outcome", None)
        if outcome is None:
            words = [
                f"{row['module']}: {row['unread'] or 'perhaps asked to clear; what it did is not known'}"
                for row in begun.modules
            ]
        elif outcome.may_have_cleared:
            words = [f"{row['module']}: {_known_words(row)}" for row in outcome.modules]
        else:
            continue
        found.append(Unfinished(begun, tuple(words)))
    return found


def _known_words(row: dict[str, Any]) -> str:
    return Cleared(row["module"], row["responder"], row["cleared"], row["reason"], row.get("known", True)).words


def _refuse_when_cleared_meanwhile(case: Case, seen: int | None) -> None:
    newest = case.clearings.last()
    if seen is not None and newest is not None and newest.pk != seen:
        raise BadInput(
            f"The codes were cleared meanwhile, by {newest.by} at {newest.at:%H:%M}.",
            kept="Nothing more was cleared.",
            remedies=("look at the page again: it shows what that clearing did",),
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
    return sorted({row.code for row in sorting.sorted_codes(case) if row.expected})


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
