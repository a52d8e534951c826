"""Gather a case for its one-page report."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from django.utils import timezone

from gumshoe.core.errors import BadInput
from gumshoe.web.accounts.models import User
from gumshoe.web.bench import circuits
from gumshoe.web.bench import services as bench
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.live import recordings as live
from gumshoe.web.proofs import services as proofs
from gumshoe.web.scans import services as scans

LAMP_MEANING = {
    "proven": "The lamp is out, and the control unit has checked the repaired system itself and found it good.",
    "not yet": "The lamp is out because the codes were cleared. That alone does not prove the repair; what is missing "
    "is listed below.",
    "came back": "The fault has shown itself again. The case goes on.",
    "": "Nothing has been cleared and proven yet.",
}


def gather(case: Case) -> dict[str, Any]:
    """Everything the report shows, as plain values and stored rows."""
    first = case.scans.filter(interrupted=False).first()
    snapshot = scans.snapshot_of(first) if first else None
    knowledge = cases.knowledge_of(case)
    codes = []
    for code in snapshot.codes_in() if snapshot else ():
        row = knowledge.codes.get(code)
        states = [item.state.value for module in snapshot.modules for item in module.codes if item.code == code]
        codes.append({"code": code, "title": row.title if row else "the maker's own code", "states": ", ".join(states)})
    clearing = proofs.clearing_of(case)
    judgement = clearing.judgements.last() if clearing else None
    tracker = proofs.tracker_of(clearing) if clearing else None
    lines = [
        {"line": line, "answer": line.answers.last(), "work": line.works.last()}
        for line in case.lines.prefetch_related("answers", "works")
    ]
    done_total = sum((row["line"].total for row in lines if row["work"]), Decimal("0"))
    rows = live.recorded(case)
    return {
        "complaint": cases.complaint_of(case),
        "snapshot": snapshot,
        "first_scan": first,
        "codes": codes,
        "tests": [row for row in bench.performed(case) if not row["superseded"]],
        "circuits": circuits.reported(case),
        "worked": case.handmeasurements.select_related("by"),
        "commands": case.commandruns.select_related("by"),
        "traces": case.scopetraces.select_related("by"),
        "trims": live.trim_reading(rows, cases.knowledge_of(case).powertrain),
        "verdict": case.verdicts.last(),
        "lines": lines,
        "total": done_total,
        "judgement": judgement,
        "conditions": tracker.conditions() if tracker else (),
        "tracker": tracker,
        "lamp_meaning": LAMP_MEANING.get(judgement.verdict if judgement else "", ""),
        "ends": case.looseends.select_related("closed"),
        "incomplete": _incomplete(case),
    }


def _incomplete(case: Case) -> tuple[str, ...]:
    """Readiness monitors still open in the newest scan: an inspection asks for them."""
    stored = scans.latest(case)
    snapshot = scans.snapshot_of(stored) if stored else None
    if snapshot is None or snapshot.engine is None or snapshot.engine.status is None:
        return ()
    return snapshot.engine.status.incomplete


def close(case: Case, user: User) -> None:
    """Close the case. Raises BadInput while a loose end is open."""
    if case.looseends.filter(closed__isnull=True).exists():
        raise BadInput("There is a loose end.", remedies=("put it back and tick it on the Repair page",))
    case.closed_at = timezone.now()
    case.save(update_fields=["closed_at"])
