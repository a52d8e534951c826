"""Stored recordings, in chunks of about a second so that a kill loses no more than that."""

from __future__ import annotations

from django.db import models

from gumshoe.web.cases.evidence import Evidence, EvidenceQuerySet


class Recording(Evidence):
    """A recording that was begun; its samples are in the chunks, its end in the last one."""

    label = models.CharField(max_length=80)
    purpose = models.CharField(max_length=20, blank=True)


class Chunk(models.Model):
    """About one second of samples: JSON columns ``{key: [[time…], [value…]]}``, zlib-compressed."""

    recording = models.ForeignKey(Recording, on_delete=models.PROTECT, related_name="chunks")
    number = models.PositiveIntegerField()
    data = models.BinaryField()
    last = models.BooleanField(default=False)

    objects = EvidenceQuerySet.as_manager()

    class Meta:
        ordering = ("number",)
        constraints = [models.UniqueConstraint(fields=("recording", "number"), name="one_chunk_per_number")]
