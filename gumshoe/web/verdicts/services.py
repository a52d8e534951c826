"""The verdict: the fault, the proof behind it, why it failed, and the lead's word on it."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import timedelta
from typing import Any

from django.utils import timezone
from django.utils.formats import date_format
from django.utils.timezone import localtime

from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.rows import RepairRow, TestRow
from gumshoe.core.planning import standing
from gumshoe.core.proof.signal_proof import condemning
from gumshoe.core.suspects import Assessment
from gumshoe.core.suspects.posterior import Suspect
from gumshoe.core.suspects.roots import Root, root_causes
from gumshoe.web.accounts.models import User
from gumshoe.web.bench import circuits
from gumshoe.web.cases import judging
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.entries import entries, newest
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.kit.memo import once
from gumshoe.web.settings.models import Settings
from gumshoe.web.suspects.models import Ruling
from gumshoe.web.verdicts.models import Review, RootCause, Verdict

WORTH_ASKING = 0.005
"""Root causes less likely than this are not asked about."""
REASONS, DROPPED, WORTH_DROPPING = 8, 6, 0.001


def give_verdict(case: Case, user: User, suspect: str, seen: int | None = None) -> Verdict:
    """Name the fault. Without a direct test the verdict is stored as a guess. Raises BadInput for no such suspect, or
    where somebody else gave a verdict that ``seen`` does not know."""
    cases.not_overtaken(case.verdicts.select_related("by"), seen, user, "verdict")
    assessment = judging.judged(case).assessment
    found = assessment.suspect(suspect)
    if found is None:
        raise BadInput("There is no such suspect on this powertrain.")
    judged = standing(assessment, suspect)
    where = circuits.found_at(case, suspect)
    return Verdict.objects.create(
        case=case,
        by=user,
        suspect=suspect,
        words=(f"{found.row.words}: {where}" if where else found.row.words)[:200],
        probability=found.probability,
        guess=judged.guess,
        standing=judged.words,
        proof=proof_of(found),
        condemning=[asdict(item) for item in condemning(cases.knowledge_of(case), found)],
        dropped=dropped(case, assessment, suspect),
    )


def proof_of(found: Suspect) -> list[dict[str, Any]]:
    """The clues behind a suspect, the direct ones first: words, odds, whether it shows the fault, and its source."""
    direct = {clue.id for clue in found.proven_by}
    rows = [
        {
            "words": entry.clue.words,
            "odds": entry.odds,
            "direct": entry.clue.id in direct,
            "source": entry.clue.source,
            "at": entry.clue.at,
            "doubtful": entry.clue.doubtful,
        }
        for entry in found.support
    ]
    return sorted(rows, key=lambda row: not row["direct"])[:REASONS]


def dropped(case: Case, assessment: Assessment, suspect: str) -> list[dict[str, Any]]:
    """What else was considered and why it was dropped: what somebody ruled out, and what the evidence speaks
    against."""
    knowledge = cases.knowledge_of(case)
    rows: list[dict[str, Any]] = []
    ruled: dict[str, Ruling] = {row.subject: row for row in case.rulings.all()}
    for name, ruling in ruled.items():
        if ruling.kind == Ruling.Kind.OUT and name in knowledge.faults:
            words = knowledge.faults[name].words
            rows.append({"suspect": name, "words": words, "probability": 0.0, "why": f"ruled out: {ruling.reason}"})
    for item in assessment.suspects:
        if len(rows) >= DROPPED:
            break
        if item.id == suspect or item.id in ruled or item.probability < WORTH_DROPPING:
            continue
        against = item.against
        why = against[0].words if against else "what is on record fits the other better"
        rows.append({"suspect": item.id, "words": item.row.words, "probability": item.probability, "why": why})
    return rows


# -- the lead's word --------------------------------------------------------------------------------------


@in_turn()
def review(case: Case, lead: User, verdict_pk: int, kind: str, reason: str) -> Review:
    """Countersign the verdict, or send it back with a reason.

    Raises BadInput for a verdict that is no longer the last, one's own, or sending back without a reason.
    """
    verdict = case.verdicts.last()
    if verdict is None or verdict.pk != verdict_pk:
        raise BadInput(
            "This is not the verdict that holds.",
            remedies=("look at the page again: another verdict has been given meanwhile",),
        )
    if kind not in Review.Kind.values:
        raise BadInput("Countersign it, or send it back.")
    said = reason.strip()
    if verdict.by_id == lead.pk:
        hours = _waited_for(verdict)
        said = f"a verdict of their own, {hours} h after it was given{f'; {said}' if said else ''}"[:300]
    if kind == Review.Kind.SENT_BACK and not reason.strip():
        raise BadInput("Why is it sent back?", remedies=("say what is missing: which test, which doubt",))
    return Review.objects.create(case=case, by=lead, verdict=verdict, kind=kind, reason=said)


def reviewable_by(verdict: Verdict | None, lead: User) -> bool:
    """Whether this lead has a word on it: another's verdict, or one's own where the shop lets them wait."""
    return verdict is not None and (verdict.by_id != lead.pk or bool(Settings.load().countersign_hours))


def _waited_for(verdict: Verdict) -> int:
    """The hours since a lead's own verdict: in a shop that lets them, enough of them. Raises BadInput before."""
    hours = Settings.load().countersign_hours
    if not hours:
        raise BadInput("Nobody countersigns a verdict of their own.", remedies=("ask another lead technician",))
    until = verdict.at + timedelta(hours=hours)
    if timezone.now() < until:
        raise BadInput(
            f"A verdict of one's own is countersigned {hours} h after it was given at the earliest: "
            f"{date_format(localtime(until), 'j M, H:i')}.",
            remedies=("look at it again then, with fresh eyes", "ask another lead technician"),
        )
    return int((timezone.now() - verdict.at).total_seconds() // 3600)


@once
def sent_back(case: Case) -> Review | None:
    """The review that sent the verdict that holds back; None when none did."""
    verdict = newest(entries(case, "verdicts"))
    found = verdict.review if verdict else None
    return found if found and found.kind == Review.Kind.SENT_BACK else None


# -- why it failed ----------------------------------------------------------------------------------------


@dataclass(frozen=True)
class WhyAsked:
    """The question after a verdict: what is on record, the causes that are suspects themselves, the usual reasons."""

    answer: RootCause | None
    words: str
    roots: tuple[Root, ...]
    usual: tuple[str, ...]
    repair: RepairRow | None
    tests: tuple[TestRow, ...]


def why_failed(case: Case, assessment: Assessment) -> WhyAsked | None:
    """What to ask about the fault last named; None while no fault has been named."""
    named = newest(entries(case, "verdicts"))
    if named is None:
        return None
    knowledge = cases.knowledge_of(case)
    row = knowledge.faults.get(named.suspect)
    answer = next(reversed(named.causes.all()), None)
    cause = knowledge.faults.get(answer.suspect) if answer else None
    roots = tuple(
        root for root in root_causes(assessment, knowledge, named.suspect) if root.probability >= WORTH_ASKING
    )
    made = judging.judged(case).done
    tests = {root.settled_by.id: root.settled_by for root in roots if root.settled_by and not root.settled_by.measures}
    return WhyAsked(
        answer,
        named.cause,
        roots,
        row.why if row else (),
        knowledge.repairs[cause.repair] if cause else None,
        tuple(test for name, test in tests.items() if name not in made)[:3],
    )


def name_cause(case: Case, user: User, suspect: str, words: str) -> RootCause:
    """Record why the part failed: a linked suspect, or words. Raises BadInput without a verdict or without either."""
    named = case.verdicts.last()
    if named is None:
        raise BadInput("No fault has been named yet.", remedies=("store the verdict first, then its cause",))
    row = cases.knowledge_of(case).faults.get(suspect)
    if suspect and row is None:
        raise BadInput("There is no such suspect on this powertrain.")
    said = words.strip() or (row.words if row else "")
    if not said:
        raise BadInput("Why did it fail?", remedies=("choose a reason or write one; “not found” is one too",))
    return RootCause.objects.create(case=case, by=user, verdict=named, suspect=suspect, words=said)
