"""What the drive alone cannot show: the condemning clue measured again, procedures done, far enough without the
fault."""

from __future__ import annotations

from gumshoe.core.clues import Clue, ClueKind, extract
from gumshoe.core.proof.circumstances import Repaired
from gumshoe.core.proof.plan import Plan
from gumshoe.core.proof.signal_proof import Condemning, measured_again
from gumshoe.core.proof.tracker import Condition, Tracker
from gumshoe.web.cases import judging
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.entries import entries
from gumshoe.web.clearing import aftercare
from gumshoe.web.clearing.models import Clearing
from gumshoe.web.proofs import runner, waiting
from gumshoe.web.proofs.models import HandTried
from gumshoe.web.verdicts.models import Verdict

LOOSE, INTERMITTENT = "loose", "intermittent"
"""The failure mode and the kind of code that come and go."""
HOW_OFTEN = Condition(
    "It came and went: how often was it seen, over what? Then it is known how far is far enough",
    False,
    "not told yet",
    0.0,
)


def conditions_beyond(clearing: Clearing, tracker: Tracker) -> tuple[Condition, ...]:
    """What the drive alone cannot show: the condemning clue measured again, procedures done, far enough without it."""
    watcher = runner.running(clearing.case_id)
    if watcher is None:
        rows = fixed_conditions(clearing, tracker.plan)
    else:  # while it is driven, only the distance changes
        rows = watcher.fixed = fixed_conditions(clearing, tracker.plan) if watcher.fixed is None else watcher.fixed
    curve = waiting.curve_of(clearing, tracker)
    if curve is not None:
        return (*rows, waiting.condition_of(curve))
    return (*rows, HOW_OFTEN) if comes_and_goes(clearing, tracker.plan) else rows


def verdict_before(clearing: Clearing) -> Verdict | None:
    """What was named as the fault when the codes were cleared."""
    return next((row for row in reversed(entries(clearing.case, "verdicts")) if row.at < clearing.at), None)


def comes_and_goes(clearing: Clearing, plan: Plan) -> bool:
    """Whether what was repaired is a fault that is not there all the time: by the verdict, or by the kind of its
    code."""
    knowledge = cases.knowledge_of(clearing.case)
    verdict = verdict_before(clearing)
    fault = knowledge.faults.get(verdict.suspect) if verdict else None
    kinds = {knowledge.codes[target.code].kind for target in plan.targets if target.code in knowledge.codes}
    return (fault is not None and fault.mode == LOOSE) or INTERMITTENT in kinds


def fixed_conditions(clearing: Clearing, plan: Plan) -> tuple[Condition, ...]:
    """Those that do not change while the car is driven."""
    rows = [*signal_conditions(clearing, plan), *tried_by_hand(clearing, plan)]
    for item in aftercare.asked(clearing.case):
        if item.row.advised:
            continue
        run = item.run
        shown = "not done yet" if run is None else f"{run.get_outcome_display()}{f': {run.left}' if run.left else ''}"
        rows.append(
            Condition(
                f"{item.row.words} (after: {item.because})",
                item.settled,
                shown,
                1.0 if item.settled else 0.0,
                procedure=True,
            )
        )
    return tuple(rows)


def repaired_before(clearing: Clearing) -> Repaired:
    """What the customer said and what was repaired before this clearing: it decides under what it has to be tried."""
    case, verdict = clearing.case, verdict_before(clearing)
    complaint = cases.complaint_of(case)
    worked = [row for row in entries(case, "works") if row.at < clearing.at]
    return Repaired(
        frozenset(complaint.symptoms) if complaint else frozenset(),
        f"{complaint.text} {complaint.conditions}" if complaint else "",
        (verdict.suspect,) if verdict else (),
        tuple(dict.fromkeys(row.line.repair for row in worked)),
    )


def told_by_hand(clearing: Clearing) -> dict[str, HandTried]:
    """The newest entry of everything tried by hand, by circumstance; what was taken back is not there."""
    newest = {row.circumstance: row for row in entries(clearing.case, "handtrieds") if row.clearing_id == clearing.pk}
    return {name: row for name, row in newest.items() if row.how != HandTried.How.BACK}


def tried_by_hand(clearing: Clearing, plan: Plan) -> tuple[Condition, ...]:
    """What is to be tried by hand, and how it went; what is only advised counts where it failed."""
    told, rows = told_by_hand(clearing), []
    for row in plan.circumstances:
        entry = told.get(row.id)
        if not row.by_hand or (row.advised and entry is None):
            continue
        right = entry is not None and entry.how == HandTried.How.RIGHT
        shown = (
            "not tried yet"
            if entry is None
            else f"{entry.get_how_display()}{f': {entry.remark}' if entry.remark else ''}"
        )
        again = entry is not None and not right
        rows.append(Condition(row.words, right, shown, 1.0 if right else 0.0, failed=again, by_hand=True))
    return tuple(rows)


def signal_conditions(clearing: Clearing, plan: Plan) -> tuple[Condition, ...]:
    """The measured clues that condemned the part, and whether they are right again."""
    case, verdict = clearing.case, verdict_before(clearing)
    if verdict is None:
        return ()
    wanted = [
        Condemning(ClueKind(row["kind"]), row["variable"], row["value"], row["words"]) for row in verdict.condemning
    ]
    if plan.signal_region is not None:  # the trim is watched on the drive itself
        wanted = [item for item in wanted if item.kind is not ClueKind.GRADED]
    if not wanted:
        return ()
    return measured_again(cases.knowledge_of(case), verdict.suspect, wanted, later_clues(clearing))


def later_clues(clearing: Clearing) -> tuple[Clue, ...]:
    """The clues of scans, tests and recordings made after the clearing: what was measured before it is the fault's."""
    case = clearing.case
    evidence = judging.evidence_of(case, since=clearing.at)
    return tuple(
        clue
        for clue in extract(evidence, cases.knowledge_of(case))
        if clue.kind in (ClueKind.GRADED, ClueKind.TEST) and clue.at
    )
