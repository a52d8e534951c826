"""The work that was carried out, and its photographs."""

from __future__ import annotations

from django.db import models

from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.proposal.models import Line


class Work(Evidence):
    """A line carried out. ``price``: what the part cost; the warranty given on it, in months and kilometres."""

    FOUND_BY = ("part_make", "remark")
    FOUND_BY_SIGN = ("part_number",)
    COUNTS = True

    line = models.ForeignKey(Line, on_delete=models.PROTECT, related_name="works")
    part_number = models.CharField(max_length=60, blank=True)
    part_make = models.CharField(max_length=60, blank=True)
    minutes_taken = models.PositiveIntegerField(null=True, blank=True)
    remark = models.CharField(max_length=300, blank=True)
    price = models.DecimalField(max_digits=9, decimal_places=2, null=True, blank=True)
    warranty_months = models.PositiveIntegerField(null=True, blank=True)
    warranty_km = models.PositiveIntegerField(null=True, blank=True)
    odometer_km = models.PositiveIntegerField(null=True, blank=True)

    class Meta(Evidence.Meta):
        db_table = "repairs_work"


class Photo(Evidence):
    """A photograph of the work, kept beside the database under its digest; made again without what a camera hides in it
    (place, device, owner)."""

    FOUND_BY = ("words",)

    digest = models.CharField(max_length=64)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    words = models.CharField(max_length=160, blank=True)
    line = models.ForeignKey(Line, on_delete=models.PROTECT, null=True, blank=True, related_name="photos")

    class Meta(Evidence.Meta):
        db_table = "repairs_photo"
