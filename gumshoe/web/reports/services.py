"""Gather a case for its reports: one page for the customer, the file with every reading."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from gumshoe.core.history.comebacks import Comeback
from gumshoe.core.proof.exposure import Curve
from gumshoe.core.proof.inspection import Inspection, inspection
from gumshoe.core.proof.lamp import lamp_meaning
from gumshoe.core.proof.tracker import Condition, ProofVerdict
from gumshoe.core.suspects.driving import DriveAdvice, Mended
from gumshoe.core.work.money import Sum, together
from gumshoe.web.bench import services as bench
from gumshoe.web.bench.services import Performed
from gumshoe.web.cases import judging
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.entries import entries
from gumshoe.web.cases.models import Case, Complaint
from gumshoe.web.cases.registry import Section, kinds
from gumshoe.web.clearing.models import Clearing
from gumshoe.web.history import services as history
from gumshoe.web.ledger.models import LooseEnd
from gumshoe.web.proofs import services as proofs
from gumshoe.web.proofs import waiting
from gumshoe.web.proofs.models import FollowUp, Judgement
from gumshoe.web.proposal import services as offering
from gumshoe.web.proposal.models import Answer, Signature
from gumshoe.web.proposal.services import Proposed
from gumshoe.web.scans import services as scans
from gumshoe.web.scans import sorting
from gumshoe.web.verdicts.models import Verdict
from gumshoe.web.work.models import Photo, Work


@dataclass(frozen=True)
class Told:
    """A code as the customer reads it; ``ours``: what of the work has set it."""

    code: str
    title: str
    plain: str
    states: str
    ours: str


@dataclass(frozen=True)
class CustomerReport:
    """The customer's page: told, found, decided, done, the lamp now, the inspection, what is still open."""

    complaint: Complaint | None
    codes: list[Told]
    unread: tuple[str, ...]
    advice: DriveAdvice | None
    verdict: Verdict | None
    tests: list[Performed]
    lines: list[Proposed]
    left: list[Proposed]
    works: Sequence[Work]
    people: list[str]
    total: Sum
    signatures: list[Signature]
    judgement: Judgement | None
    lamp_meaning: str
    conditions: Sequence[Condition]
    permanent: str
    inspection: Inspection | None
    follow_up: FollowUp | None
    ends: list[LooseEnd]
    comebacks: tuple[Comeback, ...]
    curve: Curve | None


@dataclass(frozen=True)
class TechnicalFile:
    """Everything on record: its sections in their order, each with what it shows, and the photographs."""

    sections: list[tuple[Section, Mapping[str, Any]]]
    photos: Iterable[Photo]


def customer(case: Case) -> CustomerReport:
    """What the customer's page says."""
    made = proofs.clearing_of(case)
    tracker = proofs.tracker_of(made) if made else None
    judgement = made.judgements.last() if made else None
    proven = judging.judged(case).grounds.mended is Mended.PROVEN  # the verdict says it, and what the lamp means
    rows = offering.proposed(case)
    stored = scans.latest(case)
    snapshot = scans.snapshot_of(stored) if stored else None
    features = cases.powertrain_of(case).features
    return CustomerReport(
        complaint=cases.complaint_of(case),
        codes=codes_of(case),
        unread=unread_of(case),
        advice=judging.judged(case).advice if case.closed_at is None and not proven else None,
        verdict=next(reversed(entries(case, "verdicts")), None),
        tests=[row for row in bench.performed(case) if not row.superseded and not row.withdrawn],
        lines=rows,
        left=[row for row in rows if row.answer and row.answer.kind != Answer.Kind.APPROVED],
        works=entries(case, "works"),
        people=list(dict.fromkeys(str(row.by) for row in (*entries(case, "testrecords"), *entries(case, "works")))),
        signatures=list(case.signatures.all()),
        total=together(row.line for row in rows if row.done),
        judgement=judgement,
        lamp_meaning=_lamp(case, made, judgement),
        conditions=proofs.check_list(made, tracker) if made and tracker else (),
        permanent=proofs.permanent_note(tracker.plan, tracker) if tracker else "",
        inspection=inspection(snapshot.engine if snapshot else None, snapshot.lamp if snapshot else None, features),
        follow_up=case.followups.last(),
        ends=[row for row in entries(case, "looseends") if not hasattr(row, "closed")],
        comebacks=history.comebacks_of(case),
        curve=waiting.curve_of(made, tracker) if made and tracker else None,
    )


def _lamp(case: Case, made: Clearing | None, judgement: Judgement | None) -> str:
    return lamp_meaning(
        ProofVerdict(judgement.verdict) if judgement else None,
        worked=case.works.exists(),
        cleared=made is not None,
        by_itself=made is not None and made.by_itself,
        untold=made is not None and bool(proofs.plan_of(made).untold),
    )


def codes_of(case: Case) -> list[Told]:
    """The codes of the scan that tells, which is the one every other page reads, with their titles and states."""
    stored = scans.telling(case)
    snapshot = scans.snapshot_of(stored) if stored else None
    if snapshot is None:
        return []
    ours = {row.code: row.expected.words for row in sorting.sorted_codes(case, stored) if row.expected and not row.old}
    rows = scans.titled(snapshot, cases.knowledge_of(case))
    return [Told(row.code, row.title, row.plain, row.states, ours.get(row.code, "")) for row in rows]


def unread_of(case: Case) -> tuple[str, ...]:
    """What of the codes was not read in that scan; all of them where there is none."""
    stored = scans.telling(case)
    snapshot = scans.snapshot_of(stored) if stored else None
    return snapshot.codes_unread if snapshot else ("the codes: nothing was read from the car",)


def file(case: Case) -> TechnicalFile:
    """The technical file: everything on record, one section after the other, and the photographs."""
    sections = sorted((section for kind in kinds() for section in kind.sections), key=lambda row: row.place)
    return TechnicalFile([(section, section.values(case)) for section in sections], case.photos.select_related("by"))
