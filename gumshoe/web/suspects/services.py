"""Build the evidence of a case, rank its suspects, propose tests; store the technician's rulings."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from django.db.models import Count, Exists, OuterRef, Q, QuerySet, Subquery

from gumshoe.core.clues import Clue, ClueKind, Evidence, TestOutcome, extract, known_causes, unknown_entries
from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.rows import TestRow
from gumshoe.core.planning import Costs, Outlook, Proposal, outlooks, propose
from gumshoe.core.planning.stop import ENOUGH
from gumshoe.core.proof.tracker import Verdict as ProofVerdict
from gumshoe.core.suspects import Assessment, assess
from gumshoe.core.suspects.driving import DriveAdvice
from gumshoe.core.suspects.learning import Heard, Proven, multipliers
from gumshoe.web.accounts.models import User
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.entries import entries
from gumshoe.web.cases.models import Case
from gumshoe.web.library.models import HeardRate
from gumshoe.web.live import recordings as live
from gumshoe.web.proofs.models import Judgement
from gumshoe.web.repairs import ends
from gumshoe.web.repairs.models import Verdict
from gumshoe.web.scans import services as scans
from gumshoe.web.shop.models import Settings
from gumshoe.web.suspects.models import Ruling
from gumshoe.web.ui.memo import once, until_new


@once
def evidence_of(case: Case, since: datetime | None = None) -> Evidence:
    """Everything on record, as the core's plain values; of scans, tests and recordings only those made since a moment,
    where one is given: then the newest scan tells, whatever it holds."""
    complaint, knowledge = cases.complaint_of(case), cases.knowledge_of(case)
    stored = scans.telling(case) if since is None else scans.latest_since(case, since)
    snapshot = scans.snapshot_of(stored) if stored else None
    recorded = [row for row in live.recorded(case) if since is None or row.recording.at > since]
    trims = tuple((trim, row.recording.source, _stamp(row.recording)) for row in recorded for trim in row.trims)
    shown = tuple(
        TestOutcome(found.test, found.outcome, row.recording.source, _stamp(row.recording))
        for row in recorded
        for found in row.judged.findings
        if found.test
    )
    misfires = tuple(
        (found.cylinders, row.recording.source, _stamp(row.recording))
        for row in recorded
        for found in row.judged.findings
        if found.rule == "misfires"
    )
    rulings = rulings_of(case)
    document = cases.imported_of(case)
    if document and not document.recordings and since is None:
        trims = (*((trim, "imported", "") for trim in document.trims), *trims)
    made = entries(case, "testrecords") if since is None else case.testrecords.filter(at__gt=since)
    # What was tested by hand stands above what a recording shows.
    tested = (TestOutcome(row.test, row.outcome, row.source, _stamp(row)) for row in made)
    return Evidence(
        symptoms=tuple(complaint.symptoms) if complaint else (),
        symptom_source=(complaint.source, _stamp(complaint)) if complaint else ("", ""),
        module=snapshot.engine if snapshot else None,
        others=tuple(item for item in snapshot.modules if item is not snapshot.engine) if snapshot else (),
        known=(
            *known_causes(knowledge, complaint.symptoms if complaint else ()),
            *ends.causes_on_record(case, knowledge, stored.at if stored else None),
        ),
        scan_source=(stored.source, _stamp(stored)) if stored else ("", ""),
        trims=trims,
        tests=(*shown, *tested),
        misfires=misfires,
        failed_repairs=tuple(failed_repairs(case)),
        doubtful=frozenset(subject for subject, kind in rulings.items() if kind == Ruling.Kind.DOUBT),
        specification=cases.specification_of(case),
    )


@once
def rulings_of(case: Case) -> dict[str, str]:
    """The ruling that holds, by subject."""
    return {row.subject: row.kind for row in case.rulings.all()}


def own_suspects(case: Case) -> tuple[str, ...]:
    """The suspects the technician has added as his own."""
    return tuple(subject for subject, kind in rulings_of(case).items() if kind == Ruling.Kind.OWN)


@once
def assess_case(case: Case) -> tuple[Assessment, tuple[Proposal, ...]]:
    """The ranked suspects and the proposed tests."""
    evidence = evidence_of(case)
    knowledge = cases.knowledge_of(case)
    assessment = _assess(case, extract(evidence, knowledge))
    done = {row.test for row in evidence.tests}
    known = {clue.variable for clue in assessment.clues if clue.kind is ClueKind.GRADED}
    costs = Costs(Settings.load().labour_per_hour)
    return assessment, propose(assessment, knowledge, costs, done=done, known=known)


@once
def assessment_of(case: Case) -> Assessment:
    """The ranked suspects alone."""
    return _assess(case, extract(evidence_of(case), cases.knowledge_of(case)))


@once
def advice_of(case: Case) -> DriveAdvice:
    """Whether the car may be driven, by everything on record; without a scan, by complaint and tests alone."""
    assessment = assessment_of(case)
    reading = scans.read(case, assessment)
    return reading.advice if reading else scans.advice_for(case, assessment)


@once
def unknown_in(case: Case) -> tuple[str, ...]:
    """Entries of the case that nothing here knows: shown, and counted as unknown."""
    complaint = cases.complaint_of(case)
    evidence = Evidence(
        symptoms=tuple(complaint.symptoms) if complaint else (),
        tests=tuple(TestOutcome(row.test, row.outcome, row.source, "") for row in entries(case, "testrecords")),
        failed_repairs=tuple(failed_repairs(case)),
    )
    return unknown_entries(evidence, cases.knowledge_of(case))


def proof_wanted(case: Case, assessment: Assessment) -> TestRow | None:
    """The shortest test not yet made that would show the leading suspect, when all that is missing is that proof."""
    leader = assessment.suspects[0]
    if leader.proven_by or leader.probability < ENOUGH:
        return None
    made = {row.test for row in entries(case, "testrecords")}
    return next((test for test in cases.knowledge_of(case).shown_by(leader.id) if test.id not in made), None)


def ways_to_work(case: Case, assessment: Assessment) -> tuple[Outlook, ...]:
    """Every strategy followed to the end for this case."""
    done = {row.test for row in entries(case, "testrecords")}
    known = {clue.variable for clue in assessment.clues if clue.kind is ClueKind.GRADED}
    costs = Costs(Settings.load().labour_per_hour)
    return outlooks(assessment, cases.knowledge_of(case), costs, done=done, known=known)


@once
def learned_for(case: Case) -> dict[str, float]:
    """Factors on the base rates from the shop's other cases and from what was heard; empty when switched off."""
    if not Settings.load().learns:
        return {}
    counts = Counter(dict(outcomes_of_the_shop()))
    counts.subtract(_outcomes(Verdict.objects.filter(case=case)))  # a case does not teach itself
    shop = [
        Proven(suspect, proven, platform == case.vehicle.platform, number)
        for (suspect, platform, proven), number in counts.items()
        if number > 0
    ]
    heard = [
        Heard(row.suspect, row.hits, row.cases, row.origin)
        for row in HeardRate.objects.filter(withdrawn=False, platform__in=("", case.vehicle.platform))
    ]
    return multipliers(cases.knowledge_of(case), shop, heard) if shop or heard else {}


@until_new(Verdict, Judgement)
def outcomes_of_the_shop() -> Mapping[tuple[str, str, bool], int]:
    """How often each suspect was named, by platform, and was proven or came back, summed by the database. A file's
    proof is not the shop's."""
    return _outcomes(Verdict.objects.all())


def _outcomes(verdicts: QuerySet[Verdict]) -> Counter[tuple[str, str, bool]]:
    judged = Judgement.objects.filter(case=OuterRef("case")).order_by("-at", "-pk").values("verdict")[:1]
    later = Verdict.objects.filter(
        Q(at__gt=OuterRef("at")) | Q(at=OuterRef("at"), pk__gt=OuterRef("pk")), case=OuterRef("case")
    )
    rows = (
        verdicts.filter(case__importeds__isnull=True)
        .annotate(judged=Subquery(judged), later=Exists(later))
        .filter(judged__in=(ProofVerdict.PROVEN, ProofVerdict.CAME_BACK))
        .order_by()
        .values_list("suspect", "case__vehicle__platform", "judged", "later")
        .annotate(number=Count("pk"))
    )
    found: Counter[tuple[str, str, bool]] = Counter()
    for suspect, platform, verdict, superseded, number in rows:
        found[suspect, platform, verdict == ProofVerdict.PROVEN and not superseded] += number
    return found


WORTH_SAYING = 0.02
"""Probability from which a suspect's move by what was learned is told."""


def learning_of(case: Case, assessment: Assessment, chosen: str, shown: int) -> dict[str, object] | None:
    """What the shop's own repairs changed: the factor on the chosen suspect, and the ranking without them."""
    factors = learned_for(case)
    if not factors:
        return None
    plain = without_learning(case, assessment)
    before, now = ([item.id for item in found.suspects[:shown]] for found in (plain, assessment))
    moved = [
        (item.row.words, before.index(item.id) + 1, place)
        for place, item in enumerate(assessment.suspects[:shown], 1)
        if item.probability >= WORTH_SAYING and item.id in before and before.index(item.id) + 1 != place
    ]
    return {"factor": factors.get(chosen, 1.0), "moved": moved, "new": [n for n in now if n not in before]}


def without_learning(case: Case, assessment: Assessment) -> Assessment:
    """The same clues with the shipped rates alone, to show what the shop's own repairs changed."""
    return _assess(case, assessment.clues, learned={})


def _assess(case: Case, clues: tuple[Clue, ...], learned: dict[str, float] | None = None) -> Assessment:
    rulings = rulings_of(case)
    complaint = cases.complaint_of(case)
    return assess(
        cases.knowledge_of(case),
        clues,
        odometer_km=complaint.odometer_km if complaint else None,
        age_years=float(case.opened_at.year - case.vehicle.year) if case.vehicle.year else None,
        ruled_out=[subject for subject, kind in rulings.items() if kind == Ruling.Kind.OUT],
        own=own_suspects(case),
        learned=learned_for(case) if learned is None else learned,
    )


@dataclass(frozen=True)
class Step:
    """The ranking after one more group of clues (all clues of one source record came together)."""

    words: str
    at: str
    probabilities: dict[str, float]


def history(case: Case, assessment: Assessment, most: int = 6) -> list[Step]:
    """How the leading suspects moved, source record by source record."""
    sources: dict[tuple[str, str], list[Clue]] = {}
    for clue in assessment.clues:
        sources.setdefault((clue.at, clue.source), []).append(clue)
    leaders = [item.id for item in assessment.suspects[:most]]
    steps, so_far = [], list[Clue]()
    for (at, _), clues in sorted(sources.items()):
        so_far += clues
        ranked = _assess(case, tuple(so_far))
        found = {item.id: item.probability for item in ranked.suspects}
        steps.append(Step(_source_words(clues), at, {name: found.get(name, 0.0) for name in leaders}))
    return steps


def _source_words(clues: list[Clue]) -> str:
    kinds = {clue.kind for clue in clues}
    if ClueKind.TEST in kinds or ClueKind.REPAIR in kinds:
        return clues[0].words
    if ClueKind.SYMPTOM in kinds:
        return "Complaint"
    if ClueKind.CODE in kinds:
        return "Scan"
    return clues[0].words.split(":")[0]


def rule(case: Case, user: User, kind: str, subject: str, reason: str) -> Ruling:
    """Store a ruling. Raises BadInput for an unknown kind or subject, or a ruling out without a reason."""
    if kind not in Ruling.Kind.values:
        raise BadInput("There is no such ruling.")
    about_suspect = kind in (Ruling.Kind.OUT, Ruling.Kind.BACK, Ruling.Kind.OWN)
    if about_suspect and subject not in cases.knowledge_of(case).faults:
        raise BadInput("There is no such suspect on this powertrain.")
    if not about_suspect and subject not in {clue.id for clue in assess_case(case)[0].clues}:
        raise BadInput("There is no such clue in this case.")
    if kind in (Ruling.Kind.OUT, Ruling.Kind.DOUBT) and not reason.strip():
        raise BadInput(
            "A reason is needed: the next reader must be able to judge it.", remedies=("write it in a few words",)
        )
    return Ruling.objects.create(case=case, by=user, kind=kind, subject=subject, reason=reason.strip())


def changed(assessment: Assessment, steps: list[Step]) -> tuple[str, list[tuple[str, float, float]]]:
    """What the last source record changed: its words, and (suspect, before, after) for the largest moves."""
    if len(steps) < 2:
        return "", []
    before, after = steps[-2], steps[-1]
    words = {item.id: item.row.words for item in assessment.suspects}
    moves = [(words[name], before.probabilities[name], after.probabilities[name]) for name in after.probabilities]
    moves.sort(key=lambda row: -abs(row[2] - row[1]))
    return after.words, [row for row in moves if abs(row[2] - row[1]) > 0.005][:4]


def slope_chart(steps: list[Step], names: dict[str, str]) -> dict[str, Any]:
    """Coordinates of the ranking's history for the SVG: one line a suspect, one column a source record."""
    width, height, left, right, top = 960, 220, 46, 360, 12
    columns = max(len(steps) - 1, 1)

    def x(index: int) -> float:
        return left + (width - left - right) * index / columns

    def y(value: float) -> float:
        return top + height * (1.0 - value)

    lines = []
    for rank, name in enumerate(names):
        points = [(round(x(i), 1), round(y(step.probabilities.get(name, 0.0)), 1)) for i, step in enumerate(steps)]
        lines.append(
            {
                "name": names[name],
                "rank": rank,
                "points": " ".join(f"{a},{b}" for a, b in points),
                "dots": points,
                "end": points[-1] if points else (0, 0),
            }
        )
    _spread_labels(lines)
    ticks = [{"y": y(share / 100.0), "text": f"{share} %"} for share in (0, 25, 50, 75, 100)]
    marks = [{"x": round(x(i), 1), "number": i + 1, "words": step.words} for i, step in enumerate(steps)]
    return {
        "width": width,
        "height": height + 44,
        "base": top + height,
        "lines": lines,
        "ticks": ticks,
        "marks": marks,
        "label_x": width - right + 12,
        "left": left,
        "right": width - right,
    }


def _spread_labels(lines: list[dict[str, Any]], gap: float = 17.0) -> None:
    """Move labels at the lines' ends apart so that none covers another."""
    ordered = sorted(lines, key=lambda line: (line["end"][1], line["rank"]))
    last = -gap
    for line in ordered:
        line["label_y"] = max(line["end"][1], last + gap)
        last = line["label_y"]
    overflow = last - 242.0
    if overflow > 0:
        for line in ordered:
            line["label_y"] -= overflow


def failed_repairs(case: Case) -> list[tuple[str, str, str]]:
    """Repairs whose proof ended in *came back*."""
    failed = []
    judged = {row.clearing_id: row for row in entries(case, "judgements")}
    for clearing in case.clearings.filter(triage=False):
        judgement = judged.get(clearing.pk)
        if judgement is None or judgement.verdict != ProofVerdict.CAME_BACK:
            continue
        for line in case.lines.filter(works__at__lt=clearing.at).distinct():
            failed.append((line.repair, judgement.source, _stamp(judgement)))
    document = cases.imported_of(case)
    if document:
        failed += [(row.repair, "imported", row.at) for row in document.work if row.did_not_help]
    return list(dict.fromkeys(failed))


def _stamp(entry: Any) -> str:
    return str(entry.at.isoformat())


def with_rank(assessment: Assessment, most: int = 12) -> Assessment:
    """The assessment with only its leading suspects, for the page."""
    return replace(assessment, suspects=assessment.suspects[:most])
