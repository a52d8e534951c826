"""Stored recordings, in blocks of about a second so that a kill loses no more than that; marks; what is looked at."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from gumshoe.web.cases.evidence import Evidence, EvidenceQuerySet
from gumshoe.web.cases.fields import Stored
from gumshoe.web.cases.shapes import CHANNELS, STRIPS


class Recording(Evidence):
    """A recording that was begun; its samples are in the chunks, its end in the last one.

    ``channels``: how finely each of its channels is told, by key. ``origin``: where it came from when it was not made
    here: a file, or what it was cut from."""

    FOUND_BY = ("label",)

    label = models.CharField(max_length=80)
    purpose = models.CharField(max_length=20, blank=True)
    channels = Stored(CHANNELS, default=dict)
    origin = models.CharField(max_length=120, blank=True)

    @property
    def keys(self) -> tuple[str, ...]:
        """Its channels, in the order of the blocks."""
        return tuple(self.channels)


class Chunk(models.Model):
    """About one second of samples (core.signals.packing)."""

    recording = models.ForeignKey(Recording, on_delete=models.PROTECT, related_name="chunks")
    number = models.PositiveIntegerField()
    data = models.BinaryField()
    last = models.BooleanField(default=False)

    objects = EvidenceQuerySet.as_manager()

    class Meta:
        ordering = ("number",)
        constraints = [models.UniqueConstraint(fields=("recording", "number"), name="one_chunk_per_number")]


class Mark(Evidence):
    """A moment somebody marked (seconds since the epoch), with a note."""

    FOUND_BY = ("text",)

    moment = models.FloatField()
    text = models.CharField(max_length=200, blank=True)


class Reference(Evidence):
    """A recording that shows how a good car of its kind behaves, by somebody's word."""

    recording = models.OneToOneField(Recording, on_delete=models.PROTECT, related_name="reference")
    platform = models.CharField(max_length=60, blank=True)
    words = models.CharField(max_length=120, blank=True)


class Choice(models.Model):
    """Which strips somebody looks at in a case; changed freely, it is no evidence."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    case = models.ForeignKey("cases.Case", on_delete=models.CASCADE, related_name="+")
    strips = Stored(STRIPS, default=list)

    class Meta:
        constraints = [models.UniqueConstraint(fields=("user", "case"), name="one_choice_a_case")]


class Favourites(models.Model):
    """The strips somebody wants at hand in every case."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    strips = Stored(STRIPS, default=list)
