"""Verdict and its review, proposal, answers, work, photographs, loose ends, procedures, clearing."""

from __future__ import annotations

from decimal import Decimal

from django.db import models

from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.fields import Named, Stored
from gumshoe.web.cases.shapes import ASKED, MODULES, REASONS, TEXTS
from gumshoe.web.scans.models import Scan


class Verdict(Evidence):
    """Which fault, on what proof. ``guess``: no direct test stands behind it. ``root_cause``: why it failed, where that
    came with the verdict from a file; what is found out here is a RootCause. ``proof``: the clues behind it as they
    were then (``Reason`` as plain values); ``condemning``: those to be measured again; ``dropped``: what else was
    considered.
    """

    suspect = Named(max_length=80)
    words = models.CharField(max_length=200)
    probability = models.FloatField()
    guess = models.BooleanField()
    standing = models.TextField()
    root_cause = models.CharField(max_length=200, blank=True)
    proof = Stored(REASONS, default=list)
    condemning = Stored(REASONS, default=list)
    dropped = Stored(REASONS, default=list)

    @property
    def review(self) -> Review | None:
        """What the lead said last; None while nobody has."""
        return next(reversed(self.reviews.all()), None)

    @property
    def cause(self) -> str:
        """Why it failed, in words; empty while nobody has said."""
        latest = next(reversed(self.causes.all()), None)
        return latest.words if latest else self.root_cause


class Review(Evidence):
    """The lead's word on a verdict: countersigned, or sent back with a reason; the latest holds."""

    class Kind(models.TextChoices):
        """What the lead said."""

        COUNTERSIGNED = "countersigned", "countersigned"
        SENT_BACK = "sent back", "sent back"

    verdict = models.ForeignKey(Verdict, on_delete=models.PROTECT, related_name="reviews")
    kind = models.CharField(max_length=14, choices=Kind)
    reason = models.CharField(max_length=300, blank=True)


class RootCause(Evidence):
    """Why the part of a verdict failed; the latest holds. ``suspect``: which suspect that is, where it is one."""

    verdict = models.ForeignKey(Verdict, on_delete=models.PROTECT, related_name="causes")
    suspect = Named(max_length=80, blank=True)
    words = models.CharField(max_length=200)


class Line(Evidence):
    """A repair proposed to the customer, with minutes and prices as they were then. Lines of one ``choice`` are
    alternatives: the customer takes one of them. ``verdict``: the fault it is for; none for maintenance."""

    class Kind(models.TextChoices):
        """Why it is proposed."""

        REPAIR = "repair", "repair"
        MAINTENANCE = "maintenance", "found on the way"

    kind = models.CharField(max_length=12, choices=Kind, default=Kind.REPAIR)
    verdict = models.ForeignKey(Verdict, on_delete=models.PROTECT, null=True, blank=True, related_name="lines")
    choice = models.PositiveIntegerField(null=True, blank=True)
    quality = models.CharField(max_length=12, blank=True)
    scope = models.CharField(max_length=14, blank=True)
    notes = models.CharField(max_length=300, blank=True)
    repair = Named(max_length=80)
    words = models.CharField(max_length=200)
    component = Named(max_length=80)
    minutes = models.PositiveIntegerField()
    parts = models.DecimalField(max_digits=9, decimal_places=2)
    labour = models.DecimalField(max_digits=9, decimal_places=2)

    @property
    def total(self) -> Decimal:
        """Parts and labour together."""
        return self.parts + self.labour


class Answer(Evidence):
    """The customer's answer to a line; the latest holds. ``risk``: what it means to leave it, as it was told then."""

    class Kind(models.TextChoices):
        """What the customer said."""

        APPROVED = "approved", "approved"
        REFUSED = "refused", "refused"
        DEFERRED = "deferred", "deferred"

    line = models.ForeignKey(Line, on_delete=models.PROTECT, related_name="answers")
    kind = models.CharField(max_length=10, choices=Kind)
    who = models.CharField(max_length=80)
    how = models.CharField(max_length=40)
    risk = models.TextField(blank=True)


class Work(Evidence):
    """A line carried out. ``price``: what the part cost; the warranty given on it, in months and kilometres."""

    line = models.ForeignKey(Line, on_delete=models.PROTECT, related_name="works")
    part_number = models.CharField(max_length=60, blank=True)
    part_make = models.CharField(max_length=60, blank=True)
    minutes_taken = models.PositiveIntegerField(null=True, blank=True)
    remark = models.CharField(max_length=300, blank=True)
    price = models.DecimalField(max_digits=9, decimal_places=2, null=True, blank=True)
    warranty_months = models.PositiveIntegerField(null=True, blank=True)
    warranty_km = models.PositiveIntegerField(null=True, blank=True)
    odometer_km = models.PositiveIntegerField(null=True, blank=True)


class Photo(Evidence):
    """A photograph of the work, kept beside the database under its digest; made again without what a camera hides in it
    (place, device, owner)."""

    digest = models.CharField(max_length=64)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    words = models.CharField(max_length=160, blank=True)
    line = models.ForeignKey(Line, on_delete=models.PROTECT, null=True, blank=True, related_name="photos")


class LooseEnd(Evidence):
    """Something unplugged, removed, jumped or drained that must be put back; ``flat`` is a battery that went flat."""

    class Did(models.TextChoices):
        """What was done."""

        OFF = "off", "unplugged"
        REMOVED = "removed", "removed"
        JUMPED = "jumped", "jumped"
        DRAINED = "drained", "drained"
        FLAT = "flat", "went flat"

    what = models.CharField(max_length=160)
    component = Named(max_length=80, blank=True)
    did = models.CharField(max_length=8, choices=Did, default=Did.OFF)


class LooseEndClosed(Evidence):
    """A loose end put back and ticked, by whom and when; or overruled by the lead with a reason. ``key_on``: whether
    the key was on meanwhile, as far as somebody knows."""

    end = models.OneToOneField(LooseEnd, on_delete=models.PROTECT, related_name="closed")
    overruled = models.CharField(max_length=300, blank=True)
    key_on = models.BooleanField(null=True, blank=True)


class ProcedureRun(Evidence):
    """An after-work procedure: run by the control unit, or made by hand. ``left``: the state the car is in, where it
    did not come to its end; ``conditions``: what was asked and seen at its start."""

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

    @property
    def ended_well(self) -> bool:
        return self.outcome in (self.Outcome.DONE, self.Outcome.BY_HAND)


class ClearingBegun(Evidence):
    """What was about to be cleared, stored before the first request goes out: a clearing that is cut off has a record.
    ``modules``: which ones, and why one was not to be asked."""

    before = models.ForeignKey(Scan, on_delete=models.PROTECT, related_name="+")
    modules = Stored(MODULES, default=list)
    triage = models.BooleanField(default=False)


class ClearingOutcome(Evidence):
    """What became of every module that a clearing was about, stored as soon as the last one is known."""

    begun = models.OneToOneField(ClearingBegun, on_delete=models.PROTECT, related_name="outcome")
    modules = Stored(MODULES, default=list)

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
