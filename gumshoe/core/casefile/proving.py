"""How the repair of a case file is to be proven: what must be shown, what to drive, and how far it is."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from gumshoe.core.casefile.assess import CaseAssessment, assess_file, happenings_of, scans_of
from gumshoe.core.casefile.model import CaseFile
from gumshoe.core.errors import BadInput
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.proof.circumstances import Repaired
from gumshoe.core.proof.drive_plan import DrivePlan
from gumshoe.core.proof.exposure import Recurrences, Unit, clean_wanted
from gumshoe.core.proof.plan import Plan, drive_for, needs_of, plan_proof
from gumshoe.core.proof.signal_proof import Condemning, condemning, measured_again
from gumshoe.core.proof.tracker import Condition, ProofVerdict, Tracker
from gumshoe.core.suspects.posterior import Suspect
from gumshoe.core.suspects.relations import Role
from gumshoe.core.words import measured
from gumshoe.core.work.procedures import needed_after

EVEN_ODDS = 0.5
NOT_CLEARED = "Nothing has been driven since the repair on this record: the drive is watched in the case itself"


@dataclass(frozen=True)
class ProofPlan:
    """What has to be shown for a case, the cheapest drive for it, and the check list as it stands."""

    plan: Plan
    drive: DrivePlan
    suspect: str
    asked_again: tuple[Condemning, ...]
    conditions: tuple[Condition, ...]
    verdict: ProofVerdict
    missing: tuple[str, ...]

    def document(self) -> dict[str, Any]:
        """Plain values for JSON; keys are documented and only ever added to."""
        window = self.plan.window
        return {
            "format": "gumshoe-plan",
            "version": 1,
            "suspect": self.suspect,
            "codes": [
                {
                    "code": row.code,
                    "title": row.title,
                    "monitor": row.monitor,
                    "trips": row.trips,
                    "told": row.monitor not in self.plan.untold,
                    "held": row.held,
                    "set_by_work": row.provoked,
                }
                for row in self.plan.targets
            ],
            "similar": {"code": self.plan.frame_code, "words": window.words} if window else None,
            "key_on": list(self.plan.key_on),
            "signal_region": self.plan.signal_region.value if self.plan.signal_region else "",
            "circumstances": [
                {
                    "id": row.id,
                    "words": row.words,
                    "why": row.why,
                    "by_hand": row.by_hand,
                    "advised": row.advised,
                    "seconds": row.seconds,
                    "goes": row.goes,
                }
                for row in self.plan.circumstances
            ],
            "measured_again": [row.words for row in self.asked_again],
            "drive": {
                "minutes": self.drive.minutes,
                "km": self.drive.km,
                "rest_hours": self.drive.rest_hours,
                "trips": [
                    {
                        "minutes": trip.minutes,
                        "km": trip.km,
                        "rest_hours": trip.rest_hours,
                        "segments": [{"id": row.id, "words": row.words, "how": row.how} for row in trip.segments],
                        "meets": list(trip.meets),
                    }
                    for trip in self.drive.trips
                ],
                "unmet": [need.words for need in self.drive.unmet],
            },
            "conditions": [{"words": row.words, "done": row.done, "detail": row.detail} for row in self.conditions],
            "verdict": self.verdict.value,
            "missing": list(self.missing),
        }


def plan_file(case: CaseFile, *, by_itself: bool = False) -> ProofPlan:
    """Plan the proof of a case file as the Prove page would. Raises BadInput where nothing was scanned."""
    found = assess_file(case)
    before = _before(case, found)
    if before is None:
        raise BadInput("The file holds no codes and no scan: there is nothing to prove against.")
    knowledge, suspect = found.knowledge, repaired_suspect(case, found)
    complaint = case.complaint
    plan = plan_proof(
        before,
        knowledge,
        by_itself=by_itself or bool(case.proof and case.proof.cleared and case.proof.cleared.by_itself),
        provoked=found.read.in_role(Role.SELF),
        repaired=Repaired(
            frozenset(complaint.symptoms) if complaint else frozenset(),
            f"{complaint.text} {complaint.conditions}" if complaint else "",
            (suspect.id,) if suspect else (),
            tuple(row.repair for row in case.work),
        ),
    )
    tracker = Tracker(plan)
    needs = needs_of(plan, tracker.completed, frame_met=tracker.frame_met, tried=tracker.circumstances_met)
    wanted = condemning(knowledge, suspect) if suspect else ()
    more = (
        *(measured_again(knowledge, suspect.id, wanted, ()) if suspect else ()),
        *(
            Condition(row.words, False, "not tried yet", 0.0)
            for row in plan.circumstances
            if row.by_hand and not row.advised
        ),
        *_procedures(case, found),
        *_far_enough(case, suspect),
    )
    verdict, missing = tracker.verdict(more)
    if case.proof is not None:
        verdict, missing = ProofVerdict(case.proof.verdict), case.proof.reasons
    else:
        missing = (NOT_CLEARED, *missing)
    drive = drive_for(needs, knowledge.powertrain.features)
    return ProofPlan(
        plan, drive, suspect.id if suspect else "", wanted, (*tracker.conditions(), *more), verdict, missing
    )


def repaired_suspect(case: CaseFile, found: CaseAssessment) -> Suspect | None:
    """Whom the repair was aimed at: the one named as the fault, else the likeliest one that a repair made cures."""
    if case.verdict is not None:
        return found.assessment.suspect(case.verdict.suspect)
    made = {row.repair for row in case.work}
    return next((row for row in found.assessment.suspects if row.row.repair in made), None)


def _before(case: CaseFile, found: CaseAssessment) -> Snapshot | None:
    """The scan the proof is measured against: the one before the clearing where the file tells it, else the telling
    one."""
    told = case.proof.cleared.before if case.proof and case.proof.cleared else ""
    scan = next((row for row in scans_of(case) if told and row.taken_at.isoformat() == told), None)
    return scan or found.judged.grounds.snapshot


def _procedures(case: CaseFile, found: CaseAssessment) -> Iterable[Condition]:
    """The relearns and resets that the work asks for, each with its last run."""
    runs = {row.procedure: row for row in case.procedures}
    repairs = [row.repair for row in case.work]
    for item in needed_after(found.knowledge, repairs, happenings_of(case, scans_of(case))):
        if item.row.advised:
            continue
        run = runs.get(item.row.id)
        settled = run is not None and run.outcome in ("done", "by hand")
        shown = "not done yet" if run is None else f"{run.outcome}{f': {run.left}' if run.left else ''}"
        yield Condition(f"{item.row.words} (after: {item.because})", settled, shown, 1.0 if settled else 0.0)


def _far_enough(case: CaseFile, suspect: Suspect | None) -> Iterable[Condition]:
    """How far without the fault is far enough, for one that comes and goes."""
    often = case.recurrence
    if often is None:
        return
    before = Recurrences(often.times, often.over, Unit(often.unit))
    prior = often.belief or (min(max(suspect.probability, 0.01), 0.99) if suspect else EVEN_ODDS)
    wanted = clean_wanted(prior, before)
    words = f"Without the fault for long enough: it came {often.times} times over {measured(often.over, often.unit)}"
    yield Condition(words, wanted <= 0.0, f"0 of {measured(wanted, often.unit)}", 0.0)
