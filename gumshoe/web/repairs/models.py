"""Verdict, proposal, answers, work done, loose ends, clearing."""

from __future__ import annotations

from django.db import models

from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.scans.models import Scan


class Verdict(Evidence):
    """Which fault, on what proof. ``guess``: no direct test stands behind it. ``root_cause``: why it failed, where that
    came with the verdict from a file; what is found out here is a RootCause."""

    suspect = models.CharField(max_length=80)
    words = models.CharField(max_length=200)
    probability = models.FloatField()
    guess = models.BooleanField()
    standing = models.TextField()
    root_cause = models.CharField(max_length=200, blank=True)

    @property
    def cause(self) -> str:
        """Why it failed, in words; empty while nobody has said."""
        latest = self.causes.last()
        return latest.words if latest else self.root_cause


class RootCause(Evidence):
    """Why the part of a verdict failed; the latest holds. ``suspect``: which suspect that is, where it is one."""

    verdict = models.ForeignKey(Verdict, on_delete=models.PROTECT, related_name="causes")
    suspect = models.CharField(max_length=80, blank=True)
    words = models.CharField(max_length=200)


class Line(Evidence):
    """A repair proposed to the customer, with minutes and prices as they were then."""

    repair = models.CharField(max_length=80)
    words = models.CharField(max_length=200)
    component = models.CharField(max_length=80)
    minutes = models.PositiveIntegerField()
    parts = models.DecimalField(max_digits=9, decimal_places=2)
    labour = models.DecimalField(max_digits=9, decimal_places=2)

    @property
    def total(self):  # type: ignore[no-untyped-def]
        """Parts and labour together."""
        return self.parts + self.labour


class Answer(Evidence):
    """The customer's answer to a line; the latest holds."""

    class Kind(models.TextChoices):
        """What the customer said."""

        APPROVED = "approved", "approved"
        REFUSED = "refused", "refused"
        DEFERRED = "deferred", "deferred"

    line = models.ForeignKey(Line, on_delete=models.PROTECT, related_name="answers")
    kind = models.CharField(max_length=10, choices=Kind)
    who = models.CharField(max_length=80)
    how = models.CharField(max_length=40)


class Work(Evidence):
    """A line carried out."""

    line = models.ForeignKey(Line, on_delete=models.PROTECT, related_name="works")
    part_number = models.CharField(max_length=60, blank=True)
    part_make = models.CharField(max_length=60, blank=True)
    minutes_taken = models.PositiveIntegerField(null=True, blank=True)
    remark = models.CharField(max_length=300, blank=True)


class LooseEnd(Evidence):
    """Something unplugged, removed, jumped or drained that must be put back."""

    what = models.CharField(max_length=160)
    component = models.CharField(max_length=80, blank=True)


class LooseEndClosed(Evidence):
    """A loose end put back and ticked, by whom and when; or overruled by the lead with a reason."""

    end = models.OneToOneField(LooseEnd, on_delete=models.PROTECT, related_name="closed")
    overruled = models.CharField(max_length=300, blank=True)


class Clearing(Evidence):
    """Codes cleared: what was stored before, and the scan made at once after."""

    before = models.ForeignKey(Scan, on_delete=models.PROTECT, related_name="+")
    after = models.ForeignKey(Scan, on_delete=models.PROTECT, related_name="+", null=True)
    modules = models.JSONField(default=list)
    triage = models.BooleanField(default=False)
