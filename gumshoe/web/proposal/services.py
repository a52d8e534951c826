"""The proposal: lines with alternatives and maintenance, the customer's answer to each, and the risk of leaving it."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from decimal import Decimal

from django.db.models import Max

from gumshoe.core.errors import BadInput
from gumshoe.core.history.parts import PartLife
from gumshoe.core.knowledge.rows import RepairRow
from gumshoe.core.proof.exposure import Recurrences, Unit, deferred
from gumshoe.core.words import share
from gumshoe.core.work.money import Sum, labour, together
from gumshoe.core.work.offers import Offer, Quality, Scope, offers, repair_of
from gumshoe.web.accounts.models import User
from gumshoe.web.bench import circuits
from gumshoe.web.cases import judging
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.kit.memo import once
from gumshoe.web.kit.ports import Port
from gumshoe.web.proposal.models import Answer, Line
from gumshoe.web.scans import services as scans
from gumshoe.web.settings.models import Settings
from gumshoe.web.verdicts import services as verdicts

part_life: Port[[], tuple[PartLife, ...]] = Port("how long the parts of this shop live")
earlier_recurrences: Port[[Case], Recurrences | None] = Port("how often the fault was here before")
CENT = Decimal("0.01")
MOST_MINUTES = 6000
MOST_MONEY = Decimal("999999.99")


@once
def lives() -> dict[str, tuple[PartLife, ...]]:
    """The shop's part life by kind of part."""
    found: dict[str, tuple[PartLife, ...]] = defaultdict(tuple)
    for life in part_life():
        found[life.kind] = (*found[life.kind], life)
    return found


def in_short(repair: RepairRow) -> str:
    """A repair with its time and the price of its parts, in one line."""
    return f"{repair.words} · {repair.minutes} min + {Settings.load().in_money(repair.parts)}"


def offers_for(case: Case, repair: str) -> tuple[Offer, ...]:
    """Every way to offer a repair on this case; empty for one this powertrain does not know."""
    assessment = judging.judged(case).assessment
    return offers(cases.knowledge_of(case), assessment, repair, lives(), circuits.shown_at(case))


def wanted_for(case: Case, suspect: str) -> str:
    """The repair that is preset for a suspect; empty for one that is not known."""
    return repair_of(cases.knowledge_of(case), suspect, circuits.shown_at(case))


def propose_line(case: Case, user: User, repair: str) -> Line:
    """Put a repair before the customer as the tables have it. Raises BadInput when this powertrain knows no such
    repair, or the verdict was sent back."""
    row = cases.knowledge_of(case).repairs.get(repair)
    if row is None:
        raise BadInput("There is no such repair for this powertrain.")
    return _store(
        case,
        user,
        repair=row.id,
        words=row.words,
        component=row.component,
        minutes=row.minutes,
        parts=row.parts,
        quality=Quality.ORIGINAL if row.buys else Quality.NONE,
        scope=Scope.ONE,
    )


@in_turn()
def propose_offers(case: Case, user: User, repair: str, chosen: list[str]) -> list[Line]:
    """Put several ways before the customer; more than one become alternatives of one choice.

    Raises BadInput when none is chosen or one is not on offer.
    """
    on_offer = {item.key: item for item in offers_for(case, repair)}
    if not chosen or not set(chosen) <= set(on_offer):
        raise BadInput("Choose what to propose.", remedies=("tick one way, or several as alternatives",))
    top = case.lines.aggregate(top=Max("choice"))["top"] or 0
    choice = top + 1 if len(chosen) > 1 else None
    return [
        _store(
            case,
            user,
            repair=item.repair.id,
            words=item.words,
            component=item.repair.component,
            minutes=item.minutes,
            parts=item.parts,
            quality=item.quality,
            scope=item.scope,
            choice=choice,
            notes="; ".join(item.notes)[:300],
        )
        for item in (on_offer[key] for key in chosen)
    ]


def propose_maintenance(case: Case, user: User, words: str, minutes: int, parts: Decimal, component: str = "") -> Line:
    """Put something found on the way before the customer. Raises BadInput without words."""
    if not words.strip():
        raise BadInput("What was found on the way?", remedies=("name the work in a few words",))
    return _store(
        case,
        user,
        repair="",
        words=words.strip(),
        component=component if component in cases.knowledge_of(case).components else "",
        minutes=minutes,
        parts=parts,
        kind=Line.Kind.MAINTENANCE,
    )


def _store(case: Case, user: User, *, minutes: int, kind: str = Line.Kind.REPAIR, **fields: object) -> Line:
    back = verdicts.sent_back(case)
    if back is not None and kind == Line.Kind.REPAIR:
        raise BadInput(
            f"The verdict was sent back by {back.by}: {back.reason}",
            remedies=("make the test that is asked for, then give the verdict again",),
        )
    return Line.objects.create(
        case=case,
        by=user,
        kind=kind,
        verdict=case.verdicts.last() if kind == Line.Kind.REPAIR else None,
        minutes=minutes,
        labour=labour(minutes, Settings.load().labour_per_hour),
        tax_percent=Settings.load().tax_percent,
        **fields,
    )


# -- the customer's answer --------------------------------------------------------------------------------


@in_turn()
def answer(case: Case, user: User, line_pk: int, kind: str, who: str, how: str) -> Answer:
    """Record the customer's answer; what is left undone keeps the risk as it was told. Raises BadInput when something
    is missing, or another of the same choice is approved already."""
    line = case.lines.filter(pk=line_pk).first()
    if line is None:
        raise BadInput("There is no such line in this case.")
    if kind not in Answer.Kind.values or not who.strip():
        raise BadInput("Who answered, and what?", remedies=("choose the answer and write the name of who gave it",))
    if kind == Answer.Kind.APPROVED and line.choice is not None:
        for other in case.lines.filter(choice=line.choice).exclude(pk=line.pk):
            held = other.answers.last()
            if held and held.kind == Answer.Kind.APPROVED:
                raise BadInput(
                    f"Another of these alternatives is approved: {other.words}.",
                    remedies=("record that one as refused first, if the customer changed their mind",),
                )
    risk = "" if kind == Answer.Kind.APPROVED else risk_of(case, line)
    return Answer.objects.create(case=case, by=user, line=line, kind=kind, who=who.strip(), how=how.strip(), risk=risk)


@once
def recurrences_of(case: Case) -> Recurrences | None:
    """How often the fault was seen, over what: as somebody wrote down, else from the vehicle's earlier cases."""
    row = case.recurrences.last()
    if row is not None:
        return Recurrences(row.times, row.over, Unit(row.unit))
    return earlier_recurrences(case)


def risk_of(case: Case, line: Line) -> str:
    """What it means to leave a line undone: chance and distance of its return where it comes and goes, and how to
    drive with the codes meanwhile."""
    if line.kind == Line.Kind.MAINTENANCE:
        return "Found on the way; it has no part in this fault. Left undone at the customer's wish."
    said = []
    before = recurrences_of(case)
    if before is not None:
        said.append(deferred(before).words)
    verdict = line.verdict
    if verdict is not None:
        how = f"suspected, {share(verdict.probability)}" if verdict.guess else "shown by a test"
        said.append(f"The fault: {verdict.words} ({how}).")
        if before is None:
            said.append("Nothing was repaired: it is there until it is.")
    knowledge = cases.knowledge_of(case)
    fault = knowledge.faults.get(verdict.suspect) if verdict else None
    held = scans.telling_codes(case)
    for code in [code for code in held if fault is None or code in fault.codes][:2]:
        row = knowledge.codes.get(code)
        if row is not None:
            said.append(f"{code}: {row.advice}")
    return " ".join(said)


# -- for the page -----------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Proposed:
    """A line with where it stands. ``passed_over``: another alternative of its choice was approved."""

    line: Line
    answer: Answer | None
    passed_over: bool
    done: bool

    @property
    def open(self) -> bool:
        return self.answer is None and not self.passed_over


@once
def proposed(case: Case) -> list[Proposed]:
    """Every line in order, with its answer and whether it is done."""
    lines = list(case.lines.prefetch_related("answers__by", "works").select_related("verdict", "by"))
    latest = {line.pk: (list(line.answers.all()) or [None])[-1] for line in lines}
    taken = {
        line.choice: line.pk
        for line in lines
        if line.choice is not None and (held := latest[line.pk]) and held.kind == Answer.Kind.APPROVED
    }
    return [
        Proposed(
            line,
            latest[line.pk],
            line.choice in taken and taken[line.choice] != line.pk,
            bool(line.works.all()),
        )
        for line in lines
    ]


def totals(rows: list[Proposed]) -> dict[str, Sum]:
    """Approved, and what is still asked (the dearest of each choice counts)."""
    dearest: dict[object, Line] = {}
    for row in rows:
        if row.open:
            key = ("choice", row.line.choice) if row.line.choice is not None else ("line", row.line.pk)
            if key not in dearest or row.line.total > dearest[key].total:
                dearest[key] = row.line
    approved = (row.line for row in rows if row.answer and row.answer.kind == Answer.Kind.APPROVED)
    return {"approved": together(approved), "asked": together(dearest.values())}
