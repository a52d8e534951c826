"""Sums of what the shop has behind it. All are worked out from the evidence and can be made anew (``sums.py``)."""

from __future__ import annotations

from django.db import models

from gumshoe.web.cases.fields import Named
from gumshoe.web.cases.models import Case
from gumshoe.web.vehicles.models import Vehicle


class Outcome(models.Model):
    """What a case says of a suspect that was named in it: ``proven``, or refuted by what came after."""

    case = models.ForeignKey(Case, models.CASCADE, related_name="outcomes")
    suspect = Named(max_length=80)
    platform = models.CharField(max_length=60, blank=True)
    proven = models.BooleanField()
    number = models.PositiveIntegerField()

    class Meta:
        indexes = (models.Index(fields=["suspect"], name="outcome_by_suspect"),)


class OutcomeSum(models.Model):
    """How often that was so in the whole shop."""

    suspect = Named(max_length=80)
    platform = models.CharField(max_length=60, blank=True)
    proven = models.BooleanField()
    number = models.PositiveIntegerField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=("suspect", "platform", "proven"), name="one_sum_an_outcome"),)


class FittedPart(models.Model):
    """A part that the shop fitted: how far it has come, and whether it had to be renewed there."""

    vehicle = models.ForeignKey(Vehicle, models.CASCADE, related_name="fitted_parts")
    kind = models.CharField(max_length=80)
    make = models.CharField(max_length=60, blank=True)
    km = models.PositiveIntegerField()
    failed = models.BooleanField()

    class Meta:
        indexes = (models.Index(fields=["kind", "make"], name="fitted_by_kind_and_make"),)


class LifeSum(models.Model):
    """How long the parts of a kind and make live: where the first failed, by where half have."""

    kind = models.CharField(max_length=80)
    make = models.CharField(max_length=60, blank=True)
    fitted = models.PositiveIntegerField()
    failed = models.PositiveIntegerField()
    longest_km = models.PositiveIntegerField()
    first_km = models.PositiveIntegerField(null=True)
    median_km = models.PositiveIntegerField(null=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("kind", "make"), name="one_sum_a_kind_and_make"),)
