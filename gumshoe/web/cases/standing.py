"""Where a case stands: the stage it is in and the next action, derived from the evidence alone."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.urls import reverse
from django.utils import timezone

from gumshoe.core.proof.tracker import Verdict as ProofVerdict
from gumshoe.web.cases.models import Case
from gumshoe.web.repairs.models import Answer, Line, Review, Verdict

STAGES = ("complaint", "scan", "read", "live", "suspects", "bench", "repair", "clear", "prove", "report")
_APPS = {
    "complaint": "cases",
    "scan": "scans",
    "read": "scans",
    "live": "live",
    "suspects": "suspects",
    "bench": "bench",
    "repair": "repairs",
    "clear": "repairs",
    "prove": "proofs",
    "report": "reports",
}


@dataclass(frozen=True)
class Standing:
    """The stage a case is in, the next action and its address, and the stages already reached."""

    stage: str
    action: str
    url: str
    tone: str = ""
    done: frozenset[str] = frozenset()


class _Facts:
    """What the evidence says, looked up once. A repair counts from the last proof that failed on."""

    def __init__(self, case: Case) -> None:
        self.closed = case.closed_at is not None
        self.complained = case.complaints.exists()
        self.scanned = case.scans.filter(interrupted=False).exists()
        self.recorded = case.recordings.exclude(purpose="").exists()
        self.connected = case.scans.exclude(frames="").exists()
        self.tested = case.testrecords.exists()
        self.clearing = case.clearings.filter(triage=False).last()
        judgement = self.clearing.judgements.last() if self.clearing else None
        self.proven = judgement is not None and judgement.verdict == ProofVerdict.PROVEN
        failed = case.judgements.filter(verdict=ProofVerdict.CAME_BACK).last()
        since = failed.at if failed else case.opened_at
        self.failed = failed is not None
        self.verdict = case.verdicts.filter(at__gt=since).last()
        self.lines = list(case.lines.filter(at__gt=since).prefetch_related("works", "answers"))
        self.worked = [work for line in self.lines for work in line.works.all()]
        self.loose = case.looseends.filter(closed__isnull=True).count()
        self.sent_back = self.verdict is not None and self._is_sent_back(self.verdict)
        follow = case.followups.last()
        self.waits_until = (
            follow.due if follow and judgement is not None and follow.due > timezone.localdate() else None
        )
        self.ever_worked = case.works.exists()

    @staticmethod
    def _is_sent_back(verdict: Verdict) -> bool:
        review = verdict.review
        return review is not None and review.kind == Review.Kind.SENT_BACK

    @property
    def cleared(self) -> bool:
        """Whether codes were cleared after the newest work."""
        return self.clearing is not None and all(work.at < self.clearing.at for work in self.worked)

    @property
    def open_lines(self) -> list[Any]:
        """Lines not done, but for alternatives of a choice that was made."""
        approved = Answer.Kind.APPROVED
        taken = {
            line.choice: line.pk
            for line in self.lines
            if line.choice is not None and (given := list(line.answers.all())) and given[-1].kind == approved
        }
        return [line for line in self.lines if not line.works.all() and taken.get(line.choice, line.pk) == line.pk]

    def done(self) -> frozenset[str]:
        """Stages reached, for the ticks on the tabs."""
        reached = {
            "complaint": self.complained,
            "scan": self.scanned,
            "read": self.scanned,
            "live": self.recorded,
            "suspects": self.tested,
            "bench": self.tested,
            "repair": self.ever_worked,
            "clear": self.clearing is not None,
            "prove": self.proven,
            "report": self.closed,
        }
        return frozenset(name for name, yes in reached.items() if yes)


def standing(case: Case) -> Standing:
    """The next action of a case."""
    facts = _Facts(case)
    stage, action, tone = _next(facts)
    return Standing(stage, action, reverse(f"{_APPS[stage]}:{stage}", args=[case.pk]), tone, facts.done())


def _next(facts: _Facts) -> tuple[str, str, str]:
    """(stage, action, tone); the first line that fits."""
    if facts.closed:
        return "report", "Closed: print the report", ""
    if not facts.complained:
        return "complaint", "Write down the complaint", ""
    if not facts.scanned:
        return "scan", "Connect and scan", ""
    if facts.loose and (facts.worked or facts.cleared):
        return "repair", f"Put back {facts.loose} loose end{'s' if facts.loose > 1 else ''}", "bad"
    if facts.proven:
        return "report", "Proven: hand over with the report", "good"
    if facts.worked and facts.cleared:
        if facts.waits_until:
            return "prove", f"Waits for its proof: look again on {facts.waits_until:%d %b}", ""
        return "prove", "Drive and prove the repair", ""
    if facts.sent_back and not facts.worked:
        return "suspects", "The verdict was sent back: make the test that is missing", "bad"
    if facts.open_lines or facts.worked:
        return _repairing(facts)
    if facts.verdict:
        return "repair", "Propose the repair" if facts.verdict.cause else "Say why it failed, propose the repair", ""
    if facts.failed:
        return "suspects", "The code came back: look at the suspects again", "bad"
    if not facts.recorded and facts.connected:
        return "live", "Record warm idle and 2500 rpm", ""
    return "suspects", "Make the next test", ""


def _repairing(facts: _Facts) -> tuple[str, str, str]:
    answers = [(line, line.answers.last()) for line in facts.open_lines]
    if any(answer is not None and answer.kind == Answer.Kind.APPROVED for _, answer in answers):
        return "repair", "Do the approved work", ""
    if any(answer is None and line.kind == Line.Kind.REPAIR for line, answer in answers):
        return "repair", "Get the customer's answer", ""
    if facts.worked:
        return "clear", "Clear the codes", ""
    if any(answer is None for _, answer in answers):
        return "repair", "Get the customer's answer", ""
    return "report", "Nothing approved: report to the customer", ""


def tabs(case: Case, current: str) -> list[dict[str, Any]]:
    """The folder's tabs: name, address, whether its stage has been reached."""
    where = standing(case)
    return [
        {
            "name": name.capitalize(),
            "url": reverse(f"{_APPS[name]}:{name}", args=[case.pk]),
            "current": name == current,
            "done": name in where.done,
            "next": name == where.stage,
            "key": (index + 1) % 10,
        }
        for index, name in enumerate(STAGES)
    ]
