"""Stored scans."""

from __future__ import annotations

from django.db import models

from gumshoe.core.powertrain.misfires import Lack
from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.fields import Stored
from gumshoe.web.cases.shapes import CYLINDERS, SNAPSHOT


class Scan(Evidence):
    """A whole snapshot, or what was left of a scan that was cut off. ``frames`` is a candump log."""

    class Why(models.TextChoices):
        """What the scan was made for."""

        INTAKE = "intake", "as it came"
        AGAIN = "again", "again"
        AFTER_CLEAR = "after_clear", "right after clearing"
        AFTER_DRIVE = "after_drive", "after the proof drive"

    why = models.CharField(max_length=16, choices=Why, default=Why.INTAKE)
    interrupted = models.BooleanField(default=False)
    snapshot = Stored(SNAPSHOT, null=True)
    frames = models.TextField(blank=True)
    link = models.CharField(max_length=300, blank=True)
    seconds = models.FloatField(default=0.0)


class VinAnswer(Evidence):
    """Whose a VIN is that is not the vehicle's on file. ``before``: what was on file."""

    class Kind(models.TextChoices):
        """What somebody said of it."""

        MISTYPED = "mistyped", "this car: the VIN on file was wrong"
        USED_UNIT = "used unit", "this car: the control unit comes from another"

    vin = models.CharField(max_length=17)
    kind = models.CharField(max_length=10, choices=Kind)
    before = models.CharField(max_length=17, blank=True)


class HandTest(Evidence):
    """Cylinders found by hand to be without something; to be held against the counters."""

    FOUND_BY = ("how",)

    class Without(models.TextChoices):
        """What the cylinders lack, and how that is found."""

        POWER = Lack.POWER.value, "power (unplugged one by one: nothing changes)"
        SPARK = Lack.SPARK.value, "spark (tester)"
        INJECTION = Lack.INJECTION.value, "injector pulse (current clamp)"
        COMPRESSION = Lack.COMPRESSION.value, "compression (gauge, or cranking current)"

    cylinders = Stored(CYLINDERS, default=list)
    lacks = models.CharField(max_length=12, choices=Without, default=Without.POWER)
    how = models.CharField(max_length=80)
