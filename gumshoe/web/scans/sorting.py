"""The codes of a scan, sorted by what the work has done: old, expected from the work, or flagged."""

from __future__ import annotations

from gumshoe.core.proof.provoked import Found, provoked, said_by_customer, sort_codes
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.judging import judged
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.memo import once
from gumshoe.web.ledger import ends
from gumshoe.web.scans import services as scans
from gumshoe.web.scans.models import Scan


@once
def sorted_codes(case: Case, shown: Scan | None = None) -> tuple[Found, ...]:
    """The codes of a scan since the work began, of the newest unless one is given: old, expected from the work (or
    from what the customer tells of), or flagged. Empty while nothing has happened to the car, or it has not been
    scanned since. Where nothing was scanned before the work, nobody knows what is new: only what is expected is told.
    """
    complaint = cases.complaint_of(case)
    stored = shown or scans.latest(case)
    if stored is None:
        return ()
    done = (
        *said_by_customer(complaint.symptoms if complaint else ()),
        *(item for item in ends.happenings(case) if item.since <= stored.at.timestamp()),
    )
    if not done:
        return ()
    after = scans.snapshot_of(stored)
    if after is None:
        return ()
    began = min((item.since for item in done if item.since > 0.0), default=0.0)
    earlier = next((row for row in scans.whole(case) if row.at.timestamp() <= began), None)
    before = scans.snapshot_of(earlier) if earlier else None
    told = scans.telling(case)
    read = judged(case).read if told is not None and told.pk == stored.pk else None
    rows = sort_codes(before, after, provoked(cases.knowledge_of(case), done), read)
    return rows if before is not None else tuple(row for row in rows if row.expected)


def marks_of(case: Case, shown: Scan | None) -> dict[int, dict[str, Found]]:
    """How each code of a scan is sorted, by module and code; empty for any but the newest scan."""
    newest = scans.latest(case)
    if shown is None or newest is None or shown.pk != newest.pk:
        return {}
    found: dict[int, dict[str, Found]] = {}
    for row in sorted_codes(case):
        found.setdefault(row.responder, {})[row.code] = row
    return found
