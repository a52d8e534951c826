"""Gather a case for its reports: one page for the customer, the file with every reading."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from django.utils import timezone

from gumshoe.core.codes import TroubleCode, structure
from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.proof.inspection import inspection
from gumshoe.core.proof.tracker import ProofVerdict, Tracker
from gumshoe.core.suspects.driving import Mended
from gumshoe.web.accounts.models import User
from gumshoe.web.bench import circuits
from gumshoe.web.bench import services as bench
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.entries import entries
from gumshoe.web.cases.models import Case
from gumshoe.web.live import recordings as live
from gumshoe.web.proofs import services as proofs
from gumshoe.web.proofs import waiting
from gumshoe.web.repairs import clearing, ends, offering
from gumshoe.web.repairs.models import Answer, Clearing
from gumshoe.web.scans import services as scans
from gumshoe.web.shop import history
from gumshoe.web.suspects import judging

LAMP_MEANING = {
    "proven": "The lamp is out, and the control unit has checked the repaired system itself and found it good.",
    "not yet": "The lamp is out because the codes were cleared. That alone does not prove the repair; what is missing "
    "is listed below.",
    "came back": "The fault has shown itself again. The case goes on.",
    "": "Nothing has been cleared and proven yet.",
}
PROVEN_UNTOLD = (
    "The lamp is out, and the fault has not come back on the drive that would show it; this car does not tell by "
    "itself when it has checked the repaired system."
)
NOTHING_DONE = (
    "Nothing was repaired: the lamp is expected to stay on, or to come on again. Should it flash, lift off and stop as "
    "soon as it is safe."
)
LEFT_ALONE = (
    "Nothing was cleared: the lamp goes out by itself after three good trips in a row. While it is on, that is "
    "expected; flashing is not: then stop driving."
)
LEFT_ALONE_PROVEN = (
    "The lamp has gone out by itself: the control unit has found the repaired system good on three trips."
)


PLAIN_STATES = {
    "confirmed": "stored by the car",
    "pending": "seen once so far",
    "permanent": "kept by the car until its own check has passed",
    "history": "from earlier, not now",
}
"""How a code stands, for the customer."""


def customer(case: Case) -> dict[str, Any]:
    """The customer's page: told, found, decided, done, the lamp now, the inspection, what is still open."""
    made = proofs.clearing_of(case)
    tracker = proofs.tracker_of(made) if made else None
    judgement = made.judgements.last() if made else None
    proven = judging.mended_of(case) is Mended.PROVEN  # the verdict says it, and what the lamp means
    rows = offering.proposed(case)
    stored = scans.latest(case)
    snapshot = scans.snapshot_of(stored) if stored else None
    features = cases.powertrain_of(case).features
    return {
        "complaint": cases.complaint_of(case),
        "codes": codes_of(case),
        "unread": unread_of(case),
        "advice": judging.judged(case).advice if case.closed_at is None and not proven else None,
        "verdict": next(reversed(entries(case, "verdicts")), None),
        "tests": [row for row in bench.performed(case) if not row["superseded"] and not row["withdrawn"]],
        "lines": rows,
        "left": [row for row in rows if row.answer and row.answer.kind != Answer.Kind.APPROVED],
        "works": entries(case, "works"),
        "people": list(dict.fromkeys(str(row.by) for row in (*entries(case, "testrecords"), *entries(case, "works")))),
        "total": sum((row.line.total for row in rows if row.done), Decimal("0")),
        "judgement": judgement,
        "lamp_meaning": lamp_meaning(case, made, judgement.verdict if judgement else ""),
        "conditions": proofs.check_list(made, tracker) if made and tracker else (),
        "permanent": proofs.permanent_note(tracker.plan, tracker) if tracker else "",
        "inspection": inspection(snapshot.engine if snapshot else None, snapshot.lamp if snapshot else None, features),
        "follow_up": case.followups.last(),
        "ends": [row for row in entries(case, "looseends") if not hasattr(row, "closed")],
        "comebacks": history.comebacks_of(case),
        "curve": waiting.curve_of(made, tracker) if made and tracker else None,
    }


def lamp_meaning(case: Case, made: Clearing | None, verdict: str) -> str:
    """What the lamp says now, in plain words."""
    if made is None and not case.works.exists():
        return NOTHING_DONE
    if made is not None and made.by_itself and verdict != ProofVerdict.CAME_BACK:
        return LEFT_ALONE_PROVEN if verdict == ProofVerdict.PROVEN else LEFT_ALONE
    if made is not None and verdict == ProofVerdict.PROVEN and proofs.plan_of(made).untold:
        return PROVEN_UNTOLD
    return LAMP_MEANING[verdict]


def codes_of(case: Case) -> list[dict[str, str]]:
    """The codes of the scan that tells, which is the one every other page reads, with their titles and states."""
    stored = scans.telling(case)
    snapshot = scans.snapshot_of(stored) if stored else None
    if snapshot is None:
        return []
    ours = {row.code: row.expected.words for row in judging.sorted_codes(case, stored) if row.expected and not row.old}
    rows = _titled(snapshot, cases.knowledge_of(case))
    return [{**row, "ours": ours.get(row["code"], "")} for row in rows]


def unread_of(case: Case) -> tuple[str, ...]:
    """What of the codes was not read in that scan; all of them where there is none."""
    stored = scans.telling(case)
    snapshot = scans.snapshot_of(stored) if stored else None
    return snapshot.codes_unread if snapshot else ("the codes: nothing was read from the car",)


def _titled(snapshot: Snapshot, knowledge: Knowledge) -> list[dict[str, str]]:
    found = []
    for code in snapshot.codes_in():
        row = knowledge.codes.get(code)
        states = dict.fromkeys(item.state.value for item in snapshot.stored_codes if item.code == code)
        title = row.title if row else f"{structure(TroubleCode(code)).words}; what it means is not known here"
        held = [state for state in states if not (state == "pending" and "confirmed" in states)]
        plain = ", ".join(PLAIN_STATES.get(state, state) for state in held)
        found.append({"code": code, "title": title, "states": ", ".join(states), "plain": plain})
    return found


def file(case: Case) -> dict[str, Any]:
    """The technical file: everything on record, in the order it was made."""
    knowledge = cases.knowledge_of(case)
    recorded = live.recorded(case)
    made = proofs.clearing_of(case)
    tracker: Tracker | None = proofs.tracker_of(made) if made else None
    scanned = []
    for stored in entries(case, "scans"):
        snapshot = scans.snapshot_of(stored)
        titled = _titled(snapshot, knowledge) if snapshot else []
        scanned.append((stored, snapshot, titled, _readiness_words(snapshot)))
    return {
        "complaints": case.complaints.select_related("by"),
        "scans": scanned,
        "recordings": recorded,
        "trims": live.trim_reading(recorded, knowledge.powertrain),
        "tests": bench.performed(case),
        "circuits": circuits.reported(case),
        "worked": case.handmeasurements.select_related("by"),
        "commands": case.commandruns.select_related("by"),
        "traces": case.scopetraces.select_related("by"),
        "rulings": entries(case, "rulings"),
        "verdicts": entries(case, "verdicts"),
        "lines": offering.proposed(case),
        "works": entries(case, "works"),
        "photos": case.photos.select_related("by"),
        "all_ends": entries(case, "looseends"),
        "provoked": judging.sorted_codes(case),
        "procedures": case.procedureruns.select_related("by"),
        "clearings": [(row, clearing.at_once(row)) for row in case.clearings.select_related("before", "after", "by")],
        "readiness": proofs.readiness(made, tracker) if made and tracker else [],
        "tracker": tracker,
        "judgements": entries(case, "judgements"),
        "recurrences": case.recurrences.select_related("by"),
        "followups": case.followups.select_related("by"),
        "mails": case.mails.select_related("by"),
        "notes": case.notes.select_related("by"),
        "unknown": judging.judged(case).unknown,
        "vin_answers": case.vinanswers.select_related("by"),
        "begun": clearing.unfinished(case),
        "reopened": case.reopeneds.select_related("by"),
    }


def _readiness_words(snapshot: Snapshot | None) -> list[str]:
    """Each supported readiness monitor of a scan, and whether it had run."""
    status = snapshot.engine.status if snapshot and snapshot.engine else None
    rows = status.monitors if status else ()
    return [f"{item.name} {'✓' if item.complete else 'open'}" for item in rows if item.supported]


def close(case: Case, user: User) -> None:
    """Close the case. Raises BadInput while a loose end is open, or when it is closed already."""
    ends.refuse_while_open(case)
    if case.closed_at is not None:
        raise BadInput("The case is closed already.")
    case.closed_at = timezone.now()
    case.save(update_fields=["closed_at"])
