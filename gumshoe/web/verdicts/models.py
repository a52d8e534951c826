"""The verdict and its review, and why the part failed."""

from __future__ import annotations

from django.db import models

from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.fields import Named, Stored
from gumshoe.web.cases.shapes import REASONS


class Verdict(Evidence):
    """Which fault, on what proof. ``guess``: no direct test stands behind it. ``root_cause``: why it failed, where that
    came with the verdict from a file; what is found out here is a RootCause. ``proof``: the clues behind it as they
    were then (``Reason`` as plain values); ``condemning``: those to be measured again; ``dropped``: what else was
    considered.
    """

    FOUND_BY = ("words", "root_cause")

    TEACHES = COUNTS = True
    suspect = Named(max_length=80)
    words = models.CharField(max_length=200)
    probability = models.FloatField()
    guess = models.BooleanField()
    standing = models.TextField()
    root_cause = models.CharField(max_length=200, blank=True)
    proof = Stored(REASONS, default=list)
    condemning = Stored(REASONS, default=list)
    dropped = Stored(REASONS, default=list)

    class Meta(Evidence.Meta):
        db_table = "repairs_verdict"

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

    FOUND_BY = ("reason",)

    class Kind(models.TextChoices):
        """What the lead said."""

        COUNTERSIGNED = "countersigned", "countersigned"
        SENT_BACK = "sent back", "sent back"

    verdict = models.ForeignKey(Verdict, on_delete=models.PROTECT, related_name="reviews")
    kind = models.CharField(max_length=14, choices=Kind)
    reason = models.CharField(max_length=300, blank=True)

    class Meta(Evidence.Meta):
        db_table = "repairs_review"


class RootCause(Evidence):
    """Why the part of a verdict failed; the latest holds. ``suspect``: which suspect that is, where it is one."""

    FOUND_BY = ("words",)

    verdict = models.ForeignKey(Verdict, on_delete=models.PROTECT, related_name="causes")
    suspect = Named(max_length=80, blank=True)
    words = models.CharField(max_length=200)

    class Meta(Evidence.Meta):
        db_table = "repairs_rootcause"
