"""Proof drives: what was observed, chunk by chunk, and the verdicts given."""

from __future__ import annotations

from django.db import models

from gumshoe.web.cases.evidence import Evidence, EvidenceQuerySet
from gumshoe.web.cases.fields import Stored
from gumshoe.web.cases.shapes import CONDITIONS, TEXTS
from gumshoe.web.clearing.models import Clearing
from gumshoe.web.live.models import Recording


class ProofDrive(Evidence):
    """A watched drive after a clearing. ``how``: what was driven. ``recording``: the recording it was taken from, where
    it was not watched itself."""

    clearing = models.ForeignKey(Clearing, on_delete=models.PROTECT, related_name="drives")
    how = models.CharField(max_length=80)
    recording = models.ForeignKey(Recording, on_delete=models.PROTECT, null=True, blank=True, related_name="drives")


class ProofChunk(models.Model):
    """About a second of observations as compressed JSON; the tracker is rebuilt from them."""

    drive = models.ForeignKey(ProofDrive, on_delete=models.PROTECT, related_name="chunks")
    number = models.PositiveIntegerField()
    data = models.BinaryField()
    last = models.BooleanField(default=False)

    objects = EvidenceQuerySet.as_manager()

    class Meta:
        ordering = ("number",)
        constraints = [models.UniqueConstraint(fields=("drive", "number"), name="one_proof_chunk_per_number")]


class Judgement(Evidence):
    """A verdict on the repair, with what was missing or what came back, and the check list as it stood then."""

    TEACHES = COUNTS = True
    clearing = models.ForeignKey(Clearing, on_delete=models.PROTECT, related_name="judgements")
    verdict = models.CharField(max_length=12)
    reasons = Stored(TEXTS, default=list)
    conditions = Stored(CONDITIONS, default=list)


class HandTried(Evidence):
    """What was tried by hand after a clearing (the harness moved, driven in the wet ...), and how it went. The newest
    of a circumstance holds; a slip is put right by another entry."""

    FOUND_BY = ("words", "remark")

    class How(models.TextChoices):
        """How it went."""

        RIGHT = "right", "it stayed right"
        AGAIN = "again", "it came again"
        BACK = "back", "taken back: not tried"

    clearing = models.ForeignKey(Clearing, on_delete=models.PROTECT, related_name="handtried")
    circumstance = models.CharField(max_length=40)
    words = models.CharField(max_length=200)
    how = models.CharField(max_length=8, choices=How)
    remark = models.CharField(max_length=200, blank=True)


class Recurrence(Evidence):
    """How often an intermittent fault was seen before the repair, over what; ``belief``: the technician's own
    probability that the repair was right, where he gives one. The latest holds."""

    times = models.PositiveIntegerField()
    over = models.FloatField()
    unit = models.CharField(max_length=6)
    belief = models.FloatField(null=True, blank=True)
    why = models.CharField(max_length=200, blank=True)


class FollowUp(Evidence):
    """When a case whose proof is still open is looked at again; the latest holds."""

    FOUND_BY = ("why",)

    BY_ITSELF = "proof still open"
    """Why, where nobody gave a reason: the day is a reminder, and what can be driven is driven before."""

    due = models.DateField()
    km = models.PositiveIntegerField(null=True, blank=True)
    why = models.CharField(max_length=200)
