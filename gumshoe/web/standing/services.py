"""Where a case stands: the stage it is in and the next action, derived from the evidence alone."""

from __future__ import annotations

from collections.abc import Hashable, Iterable
from copy import copy
from datetime import date
from math import inf
from time import monotonic
from typing import Any
from urllib.parse import urlencode

from django.db.models import Exists, OuterRef, Prefetch, prefetch_related_objects
from django.urls import reverse
from django.utils import timezone

from gumshoe.core.proof.tracker import NOT_READ, Condition, ProofVerdict, left, to_show
from gumshoe.core.words import plain
from gumshoe.web.bench.models import TestRecord
from gumshoe.web.cases.entries import newest
from gumshoe.web.cases.held import without_others, without_what_is_not_there, worth_fetching
from gumshoe.web.cases.models import Case, Complaint
from gumshoe.web.cases.stages import APPS, Standing
from gumshoe.web.cases.unchanged import Unchanged
from gumshoe.web.clearing.models import ClearingBegun
from gumshoe.web.kit.memo import once
from gumshoe.web.ledger.models import LooseEnd
from gumshoe.web.live.models import Recording
from gumshoe.web.proofs.models import FollowUp, HandTried, Judgement
from gumshoe.web.proposal.models import Answer, Line
from gumshoe.web.scans.models import Scan
from gumshoe.web.standing.planned import NOT_YET, KeptAction, kept_action, kept_rows
from gumshoe.web.verdicts.models import Review, Verdict

HELD = ("complained", "scanned", "recorded", "tested")
"""What is only asked for whether it is there: snapshots, frames and readings stay where they are."""


WITH_OTHERS = ("verdicts", "lines")
_KEPT = Unchanged[Standing](512)
"""Over requests: of as many cases as a shop has open."""


def with_facts(cases: Iterable[Case]) -> list[Case]:
    """The cases with everything their standing is told from, in a fixed number of queries however many they are."""
    rows = list(cases)
    held, planned = _held(rows), kept_rows(rows)
    others = {kind: worth_fetching(rows, kind) for kind in WITH_OTHERS}
    for case in rows:
        vars(case).update(held[case.pk], planned_row=planned.get(case.pk))
    prefetch_related_objects(
        rows,
        Prefetch("clearings", to_attr="bare_clearings"),
        Prefetch("clearingbeguns", ClearingBegun.objects.select_related("outcome")),
        "judgements",
        *WITH_OTHERS,
        *(f"{kind}__{name}" for kind in WITH_OTHERS for name in others[kind]),
        Prefetch("looseends", LooseEnd.objects.select_related("closed")),
        "followups",
        *(["handtrieds"] if len(rows) > 1 else []),  # of one case it is only asked for where its proof wants it
    )
    for kind in WITH_OTHERS:
        without_others((entry for case in rows for entry in getattr(case, kind).all()), kind, others[kind])
    return rows


def _held(rows: list[Case]) -> dict[int, dict[str, bool]]:
    """For every case, whether it has what stands in HELD."""
    own = OuterRef("pk")
    whole = Scan.objects.filter(case=own, interrupted=False)
    kinds = (
        Complaint.objects.filter(case=own),
        whole,
        Recording.objects.filter(case=own).exclude(purpose=""),
        TestRecord.objects.filter(case=own),
    )
    asked = {f"has_{name}": Exists(kind) for name, kind in zip(HELD, kinds, strict=True)}
    found = Case.every.filter(pk__in=[row.pk for row in rows]).annotate(**asked).values_list("pk", *asked)
    return {pk: dict(zip(HELD, held, strict=True)) for pk, *held in found.order_by()}


class _Facts:
    """What the evidence says, looked up once. A repair counts from the last proof that failed on."""

    def __init__(self, case: Case) -> None:
        held: Any = case  # with_facts gives it more
        self.case = case
        self.closed = case.closed_at is not None
        self.complained, self.scanned = held.complained, held.scanned
        self.recorded, self.tested = held.recorded, held.tested
        ended = {row.begun_id for row in held.bare_clearings}
        self.cut_off = any(row.pk not in ended and _may_have_cleared(row) for row in case.clearingbeguns.all())
        self.clearing = newest(row for row in held.bare_clearings if not row.triage)
        judgements = list(case.judgements.all())
        judgement = newest(row for row in judgements if self.clearing and row.clearing_id == self.clearing.pk)
        self.proven = judgement is not None and judgement.verdict == ProofVerdict.PROVEN
        failed = newest(row for row in judgements if row.verdict == ProofVerdict.CAME_BACK)
        since = failed.at if failed else case.opened_at
        self.failed = failed is not None
        self.verdict = newest(row for row in case.verdicts.all() if row.at > since)
        self.lines = [row for row in case.lines.all() if row.at > since]
        self.worked = [work for line in self.lines for work in line.works.all()]
        self.loose = sum(not hasattr(row, "closed") for row in case.looseends.all())
        self.sent_back = self.verdict is not None and self._is_sent_back(self.verdict)
        self.to_show = to_show(Condition(**row) for row in judgement.conditions) if judgement is not None else ""
        self.waits_until = self._waits_until() if judgement is not None else None
        to_try = self._to_try(judgement) if judgement is not None else []
        self.to_try = next((words for words, told in to_try if not told), "")
        reason = left((row["done"] for row in judgement.conditions), judgement.reasons) if judgement is not None else ""
        self.left = "" if reason == NOT_READ else reason.partition(":")[0]
        self.told_since = (bool(to_try) or reason == NOT_READ) and not self.to_try
        self.ever_worked = any(line.works.all() for line in case.lines.all())

    def _waits_until(self) -> date | None:
        """The day to look again, where that is what comes next: somebody named it, or nothing is left to be driven."""
        follow = newest(self.case.followups.all())
        if follow is None or follow.due <= timezone.localdate():
            return None
        due: date = follow.due
        return None if self.to_show and follow.why == FollowUp.BY_ITSELF else due

    def _to_try(self, judgement: Judgement) -> list[tuple[str, bool]]:
        """What the last judgement missed that is tried by hand, in short, and whether it was told since."""
        missing = [row["words"] for row in judgement.conditions if row.get("by_hand") and not row["done"]]
        if not missing:
            return []
        of_it = [row for row in self.case.handtrieds.all() if row.clearing_id == judgement.clearing_id]
        told = {row.words for row in {row.circumstance: row for row in of_it}.values() if row.how != HandTried.How.BACK}
        return [(_in_short(words), words in told) for words in missing]

    @staticmethod
    def _is_sent_back(verdict: Verdict) -> bool:
        review = newest(verdict.reviews.all())
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
            "read": self.scanned and (self.tested or self.recorded or self.verdict is not None or self.ever_worked),
            "live": self.recorded,
            "suspects": self.tested,
            "bench": self.tested,
            "repair": self.ever_worked,
            "clear": self.clearing is not None,
            "prove": self.proven,
            "report": self.closed,
        }
        return frozenset(name for name, yes in reached.items() if yes)


def _in_short(words: str) -> str:
    """What is to be tried, without its particulars."""
    found = plain(words).partition(":")[0]
    return found[:1].lower() + found[1:]


def _bare(case: Case) -> Case:
    """The case without what was looked up of it: entries may have come since."""
    found = copy(case)
    found._prefetched_objects_cache = {}  # type: ignore[attr-defined]
    return without_what_is_not_there(found)


@once
def standing(case: Case) -> Standing:
    """The next action of a case, judged now where nothing that holds is kept of it."""
    return standings([case])[0]


def standings(cases: Iterable[Case], until: float = inf) -> list[Standing]:
    """The next action of each of these cases, in a fixed number of queries; none where nothing changed. ``until``: the
    moment of the process's clock from which what is not worked out is only said to be under way."""
    rows = [(case, _KEPT.key(case)) for case in cases]
    found = {case.pk: _KEPT.known(key) for case, key in rows}
    asked = {case.pk: _bare(case) for case, _ in rows if found[case.pk] is None}
    if asked:
        with_facts(asked.values())
    return [found[case.pk] or _kept(asked[case.pk], key, wait=monotonic() < until) for case, key in rows]


def _kept(case: Case, key: Hashable, *, wait: bool) -> Standing:
    told = _standing_with(case, wait)
    return _KEPT.keep(key, told) if told.known else told


def _standing_with(case: Case, wait: bool) -> Standing:
    """The next action of a case that has its facts. ``wait``: whether to judge it now where nothing that holds is kept
    of it."""
    facts = _Facts(case)
    stage, action, tone, *address = _next(facts, wait)
    url = address[0] if address else reverse(f"{APPS[stage]}:{stage}", args=[case.pk])
    return Standing(stage, action, url, tone, facts.done(), bool(address), action != NOT_YET.words)


def _next(facts: _Facts, wait: bool) -> tuple[str, ...]:
    """(stage, action, tone) and, where it is not the stage's page, the address; the first line that fits."""
    if facts.closed:
        return "report", "Ended" if facts.case.practice else "Closed: print the report", ""
    if not facts.complained:
        return "complaint", "Write down the complaint", ""
    if not facts.scanned:
        return "scan", "Connect and scan", ""
    if facts.cut_off:
        return "clear", "Close the clearing that was cut off", "bad"
    if facts.loose and (facts.worked or facts.cleared):
        return "repair", f"Put back {facts.loose} loose end{'s' if facts.loose > 1 else ''}", "bad"
    if facts.proven:
        return "report", "Proven: hand over with the report", "good"
    if facts.worked and facts.cleared:
        if facts.to_try:
            return "prove", f"Try by hand: {facts.to_try}", ""
        if facts.left:
            return "prove", facts.left, "bad"
        if facts.told_since:
            return "prove", "Key on, read the codes and judge the proof", ""
        if facts.waits_until:
            return "prove", f"Waits for its proof: look again on {facts.waits_until:%d %b}", ""
        return "prove", facts.to_show or "Drive and prove the repair", ""
    if facts.sent_back and not facts.worked:
        return _planned(facts.case, wait, "The verdict was sent back: ", "bad")
    if facts.open_lines or facts.worked:
        return _repairing(facts)
    if facts.verdict:
        told = list(facts.verdict.causes.all()) or facts.verdict.root_cause
        return "repair", "Propose the repair" if told else "Say why it failed, propose the repair", ""
    return _planned(facts.case, wait, "It came back: " if facts.failed else "", "bad" if facts.failed else "")


def _planned(case: Case, wait: bool, before: str, tone: str) -> tuple[str, str, str, str]:
    """What the planner puts first, while the fault is looked for."""
    held: Any = case
    found = kept_action(case, held.planned_row, wait=wait)
    if found is NOT_YET:
        before = ""
    words = before + (found.words[:1].lower() + found.words[1:] if before else found.words)
    return found.stage, words, tone, _address(case, found)


def _address(case: Case, found: KeptAction) -> str:
    """Where the action is done: the test's own page, the verdict on its suspect, or the stage's page."""
    if found.stage == "bench" and found.test:
        return reverse("bench:test", args=[case.pk, found.test])
    page = reverse(f"{APPS[found.stage]}:{found.stage}", args=[case.pk])
    return f"{page}?{urlencode({'suspect': found.suspect})}" if found.stage == "repair" else page


def _may_have_cleared(begun: Any) -> bool:
    """Whether a clearing without an end on record may have cleared something."""
    outcome = getattr(begun, "outcome", None)
    return outcome is None or outcome.may_have_cleared


def _repairing(facts: _Facts) -> tuple[str, str, str]:
    answers = [(line, newest(line.answers.all())) for line in facts.open_lines]
    if any(answer is not None and answer.kind == Answer.Kind.APPROVED for _, answer in answers):
        return "repair", "Do the approved work", ""
    if any(answer is None and line.kind == Line.Kind.REPAIR for line, answer in answers):
        return "repair", "Get the customer's answer", ""
    if facts.worked:
        return "clear", "Clear the codes", ""
    if any(answer is None for _, answer in answers):
        return "repair", "Get the customer's answer", ""
    return "report", "Nothing approved: report to the customer", ""
