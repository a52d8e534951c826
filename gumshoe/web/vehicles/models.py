"""Vehicles the shop knows, and how they are reached."""

from django.db import models


class Vehicle(models.Model):
    """A car: its plate, VIN, owner and platform. ``stand_in`` names the simulated vehicle behind it, if any.

    ``powertrain``: its description as the shop entered it; empty while the platform's (or the generic one) holds.
    """

    plate = models.CharField(max_length=16, unique=True)
    vin = models.CharField(max_length=17, blank=True)
    make = models.CharField(max_length=40)
    model = models.CharField(max_length=40)
    year = models.PositiveSmallIntegerField(null=True, blank=True)
    owner = models.CharField(max_length=80, blank=True)
    owner_contact = models.CharField(max_length=80, blank=True)
    platform = models.CharField(max_length=60, blank=True)
    stand_in = models.CharField(max_length=60, blank=True)
    powertrain = models.JSONField(null=True, blank=True)

    class Meta:
        ordering = ("plate",)

    def __str__(self) -> str:
        return f"{self.plate} · {self.make} {self.model}"
