"""Vehicles the shop knows, and how they are reached."""

from __future__ import annotations

from django.db import models
from django.db.models import F, Value
from django.db.models.functions import Replace, Upper

from gumshoe.web.settings.models import Adapter


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
    adapter = models.ForeignKey(Adapter, models.SET_NULL, null=True, blank=True, related_name="+")
    spoke = models.CharField(max_length=40, blank=True)
    """How it spoke last through that adapter: tried first the next time."""
    plugged = models.CharField(max_length=12, blank=True)
    """A stand-in's text adapter, by its make; empty: it is on the bus itself."""

    from_log = models.CharField(max_length=120, blank=True)
    """The file that this car was replayed from; its frames are in VehicleLog."""

    class Meta:
        ordering = ("plate",)

    def __str__(self) -> str:
        return f"{self.plate} · {self.make} {self.model}"


class VehicleLog(models.Model):
    """The logged session that a car in a file answers from, a frame a line (candump). Never changed."""

    vehicle = models.OneToOneField(Vehicle, models.CASCADE, related_name="log")
    frames = models.TextField()


SIGNS = " -·.\u00a0"
"""What stands in a plate and does not tell one from another."""


def plate_key(text: str) -> str:
    """A plate without blanks and signs, in capitals: ``ab 12-cde`` and ``AB12CDE`` are one."""
    return "".join(char for char in text.upper() if char not in SIGNS)


def with_plate(text: str) -> models.QuerySet[Vehicle]:
    """The vehicles that have this plate, however it is written."""
    plain: Replace | Upper = Upper(F("plate"))
    for sign in SIGNS:
        plain = Replace(plain, Value(sign), Value(""))
    return Vehicle.objects.annotate(plain=plain).filter(plain=plate_key(text))


def known_vehicle(text: str) -> Vehicle | None:
    """The vehicle with this plate or VIN."""
    wanted = text.strip()
    return (
        with_plate(wanted).first() or Vehicle.objects.filter(vin=plate_key(wanted), from_log="").exclude(vin="").first()
    )
