"""Clearing: what was about to be cleared, what became of it, what was cleared; after-work procedures."""

from __future__ import annotations

from django.db import models

from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.fields import Named, Stored
from gumshoe.web.cases.shapes import ASKED, MODULES, TEXTS
from gumshoe.web.scans.models import Scan


class ProcedureRun(Evidence):
    """An after-work procedure: run by the control unit, or made by hand. ``left``: the state the car is in, where it
    did not come to its end; ``conditions``: what was asked and seen at its start."""

    FOUND_BY = ("words", "reason", "left")

    class Outcome(models.TextChoices):
        """How it ended."""

        DONE = "done", "done"
        ABORTED = "aborted", "aborted"
        REFUSED = "refused", "refused"
        LOST = "link lost", "link lost"
        BY_HAND = "by hand", "made by hand"

    procedure = Named(max_length=60)
    words = models.CharField(max_length=160)
    because = models.CharField(max_length=200, blank=True)
    outcome = models.CharField(max_length=10, choices=Outcome)
    reason = models.CharField(max_length=300, blank=True)
    left = models.CharField(max_length=300, blank=True)
    conditions = Stored(ASKED, default=list)

    class Meta(Evidence.Meta):
        db_table = "repairs_procedurerun"

    @property
    def ended_well(self) -> bool:
        return self.outcome in (self.Outcome.DONE, self.Outcome.BY_HAND)


class ClearingBegun(Evidence):
    """What was about to be cleared, stored before the first request goes out: a clearing that is cut off has a record.
    ``modules``: which ones, and why one was not to be asked."""

    before = models.ForeignKey(Scan, on_delete=models.PROTECT, related_name="+")
    modules = Stored(MODULES, default=list)
    triage = models.BooleanField(default=False)

    class Meta(Evidence.Meta):
        db_table = "repairs_clearingbegun"


class ClearingOutcome(Evidence):
    """What became of every module that a clearing was about, stored as soon as the last one is known."""

    begun = models.OneToOneField(ClearingBegun, on_delete=models.PROTECT, related_name="outcome")
    modules = Stored(MODULES, default=list)

    class Meta(Evidence.Meta):
        db_table = "repairs_clearingoutcome"

    @property
    def may_have_cleared(self) -> bool:
        """Whether any module cleared its codes, or may have."""
        return any(row["cleared"] or not row.get("known", True) for row in self.modules)


class Clearing(Evidence):
    """Codes cleared: what was stored before, and the scan made at once after. ``expected``: codes that the work itself
    had set. ``by_itself``: nothing was cleared; the control unit is left to put the lamp out after its good trips."""

    before = models.ForeignKey(Scan, on_delete=models.PROTECT, related_name="+")
    after = models.ForeignKey(Scan, on_delete=models.PROTECT, related_name="+", null=True)
    modules = Stored(MODULES, default=list)
    triage = models.BooleanField(default=False)
    by_itself = models.BooleanField(default=False)
    expected = Stored(TEXTS, default=list)
    begun = models.OneToOneField(ClearingBegun, on_delete=models.PROTECT, related_name="clearing", null=True)

    class Meta(Evidence.Meta):
        db_table = "repairs_clearing"
