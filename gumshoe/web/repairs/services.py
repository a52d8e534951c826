"""Verdict, proposal, answers, work, loose ends, and the guarded clearing."""

from __future__ import annotations

import time
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal

from django.db import transaction

from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.core.knowledge.rows import RepairRow, TestRow
from gumshoe.core.obd.errors import LinkError, NoAnswer, Refused
from gumshoe.core.obd.pids import pid_table, split_current_data
from gumshoe.core.planning import standing
from gumshoe.core.proof.clear_guard import ClearCheck, check_clear
from gumshoe.core.suspects import Assessment
from gumshoe.core.suspects.roots import Root, root_causes
from gumshoe.web.accounts.models import User
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.repairs.models import Answer, Clearing, Line, LooseEnd, LooseEndClosed, RootCause, Verdict, Work
from gumshoe.web.scans import services as scans
from gumshoe.web.scans.models import Scan
from gumshoe.web.shop.models import Settings
from gumshoe.web.suspects import services as suspects
from gumshoe.web.vehicles import services as vehicles
from gumshoe.web.vehicles.links import ENGINE_MODULE, connection

CENT = Decimal("0.01")
WORTH_ASKING = 0.005
"""Root causes less likely than this are not asked about."""


class ClearRefused(GumshoeError):
    """Clearing is not allowed now."""

    kept = "Nothing was cleared."


def give_verdict(case: Case, user: User, suspect: str) -> Verdict:
    """Name the fault. Without a direct test the verdict is stored as a guess. Raises BadInput for no such suspect."""
    assessment, _ = suspects.assess_case(case)
    found = assessment.suspect(suspect)
    if found is None:
        raise BadInput("There is no such suspect on this powertrain.")
    judged = standing(assessment, suspect)
    return Verdict.objects.create(
        case=case,
        by=user,
        suspect=suspect,
        words=found.row.words,
        probability=found.probability,
        guess=judged.guess,
        standing=judged.words,
    )


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
    named = case.verdicts.last()
    if named is None:
        return None
    knowledge = cases.knowledge_of(case)
    row = knowledge.faults.get(named.suspect)
    answer = named.causes.last()
    cause = knowledge.faults.get(answer.suspect) if answer else None
    roots = tuple(
        root for root in root_causes(assessment, knowledge, named.suspect) if root.probability >= WORTH_ASKING
    )
    made = {item.test for item in case.testrecords.all()}
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
    return RootCause.objects.create(case=case, by=user, verdict=named, suspect=suspect, words=said[:200])


def labour(minutes: int, per_hour: Decimal) -> Decimal:
    """Labour booked in tenths of an hour, begun tenths counted."""
    tenths = -(-minutes // 6)
    return (Decimal(tenths) / 10 * per_hour).quantize(CENT, ROUND_HALF_UP)


def propose_line(case: Case, user: User, repair: str) -> Line:
    """Put a repair before the customer. Raises BadInput when this powertrain knows no such repair."""
    row = cases.knowledge_of(case).repairs.get(repair)
    if row is None:
        raise BadInput("There is no such repair for this powertrain.")
    return Line.objects.create(
        case=case,
        by=user,
        repair=row.id,
        words=row.words,
        component=row.component,
        minutes=row.minutes,
        parts=row.parts,
        labour=labour(row.minutes, Settings.load().labour_per_hour),
    )


def answer(case: Case, user: User, line_pk: int, kind: str, who: str, how: str) -> Answer:
    """Record the customer's answer. Raises BadInput when something is missing."""
    line = case.lines.filter(pk=line_pk).first()
    if line is None:
        raise BadInput("There is no such line in this case.")
    if kind not in Answer.Kind.values or not who.strip():
        raise BadInput("Who answered, and what?", remedies=("choose the answer and write the name of who gave it",))
    return Answer.objects.create(case=case, by=user, line=line, kind=kind, who=who.strip()[:80], how=how.strip()[:40])


def do_work(
    case: Case, user: User, line_pk: int, part_number: str, part_make: str, minutes: int | None, remark: str
) -> Work:
    """Record a line as carried out; on a stand-in the part is truly mended. Raises BadInput without an approval."""
    line = case.lines.filter(pk=line_pk).first()
    if line is None:
        raise BadInput("There is no such line in this case.")
    latest = line.answers.last()
    if latest is None or latest.kind != Answer.Kind.APPROVED:
        raise BadInput("This line has not been approved.", remedies=("ask the customer and record the answer first",))
    if line.works.exists():
        raise BadInput("This line is already recorded as done.")
    with transaction.atomic():
        work = Work.objects.create(
            case=case,
            by=user,
            line=line,
            part_number=part_number.strip()[:60],
            part_make=part_make.strip()[:60],
            minutes_taken=minutes,
            remark=remark.strip()[:300],
        )
    knowledge = cases.knowledge_of(case)
    row = knowledge.repairs.get(line.repair)
    reached = knowledge.reached_by(row.id) if row else ()
    vehicles.carry_out(case.vehicle, line.component, reached, wiring=bool(row and row.wiring))
    return work


def open_end(case: Case, user: User, what: str, component: str) -> LooseEnd:
    """Write down something that must be put back; on a stand-in a named connector truly comes off."""
    if not what.strip():
        raise BadInput("What was unplugged or removed?", remedies=("name it in a few words",))
    end = LooseEnd.objects.create(case=case, by=user, what=what.strip()[:160], component=component)
    vehicles.set_plug(case.vehicle, component, off=True)
    return end


def close_end(case: Case, user: User, end_pk: int, overruled: str = "") -> LooseEndClosed:
    """Tick a loose end: it is back in its place (or overruled by the lead, with a reason)."""
    end = case.looseends.filter(pk=end_pk, closed__isnull=True).first()
    if end is None:
        raise BadInput("This loose end is already ticked.")
    closed = LooseEndClosed.objects.create(case=case, by=user, end=end, overruled=overruled.strip()[:300])
    if not overruled:
        vehicles.set_plug(case.vehicle, end.component, off=False)
    return closed


# -- clearing ---------------------------------------------------------------------------------------------


def engine_speed(case: Case) -> float | None:
    """Engine speed now; None when the vehicle does not answer."""
    try:
        with connection(case.vehicle).use() as link:
            payload = link.ask(ENGINE_MODULE, b"\x01\x0c").payload
            return pid_table()[0x0C].decode(split_current_data(payload, (0x0C,))[0x0C])["rpm"]
    except GumshoeError:
        return None


def clear_check(case: Case) -> ClearCheck:
    """May the codes be cleared now?"""
    stored = scans.latest(case)
    ends = tuple(end.what for end in case.looseends.filter(closed__isnull=True))
    return check_clear(scans.snapshot_of(stored) if stored else None, ends, engine_speed(case))


def clear(case: Case, user: User, *, triage: bool) -> Clearing:
    """Clear every module after the guard has agreed, then scan again at once.

    Raises ClearRefused with the guard's reasons, or LinkError; then nothing is recorded as cleared.
    """
    check = clear_check(case)
    if not check.allowed:
        raise ClearRefused("Clearing is not possible now.", remedies=check.blocks)
    before = scans.perform(case, user, Scan.Why.AGAIN)  # the very last state is always on record
    results = []
    with connection(case.vehicle).use() as link:
        exchange = link.ask_all(b"\x04")
        if not exchange.answers:
            raise NoAnswer("No module answered the request to clear.")
        for given in exchange.answers:
            done = given.payload[:1] == b"\x44"
            refusal = given.refusal
            reason = Refused(*refusal, given.responder).what if refusal else ""
            results.append({"module": f"{given.responder:X}", "cleared": done, "reason": reason})
    if not any(row["cleared"] for row in results):
        raise ClearRefused("No module cleared its codes.", remedies=tuple(str(row["reason"]) for row in results))
    time.sleep(0.2)
    try:
        after = scans.perform(case, user, Scan.Why.AFTER_CLEAR)
    except LinkError:
        after = None
    whole = _proof_reference(case, before)
    return Clearing.objects.create(case=case, by=user, before=whole, after=after, modules=results, triage=triage)


def _proof_reference(case: Case, before: Scan) -> Scan:
    """The scan the proof is measured against: the last one that still held the codes."""
    return scans.telling(case) or before
