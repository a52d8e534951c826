"""Vehicles the shop knows, and how they are reached."""

from __future__ import annotations

from typing import Any, NoReturn, TypeVar

from django.conf import settings
from django.db import models
from django.db.models import F, Value
from django.db.models.functions import Replace, Upper
from django.utils import timezone

from gumshoe.core.words import readable
from gumshoe.web.kit.marked import not_counted, not_found_as_now
from gumshoe.web.kit.memo import fresh
from gumshoe.web.settings.models import Adapter


class Recorded(models.Model):
    """Something on file that people edit: ``changed`` is another number after every change, ``found`` the one with
    which it was put into the search, ``counted`` whether the shop's sums are of how it stands now. ``same_as``: what it
    was merged into, where it was on file twice."""

    changed = models.BigIntegerField(default=fresh, editable=False)
    found = models.BigIntegerField(default=0, editable=False)
    counted = models.BooleanField(default=False, editable=False)
    seen = models.DateTimeField(null=True, editable=False)
    """A sum: when a case of it was opened last."""
    same_as = models.ForeignKey("self", models.PROTECT, null=True, blank=True, related_name="doubles", editable=False)

    class Meta:
        abstract = True

    def save(self, *args: Any, **kwargs: Any) -> None:
        self.changed, self.counted = fresh(), False
        for field in self._meta.concrete_fields:
            value = getattr(self, field.attname)
            if isinstance(value, str):
                setattr(self, field.attname, readable(value))
        if kwargs.get("update_fields") is not None:
            kwargs["update_fields"] = {*kwargs["update_fields"], "changed", "counted"}
        super().save(*args, **kwargs)


M = TypeVar("M", bound=models.Model)


class OfTheShop(models.Manager[M]):
    """What belongs to the shop's work; what is practised on is found by ``every`` only, and so mixes with nothing."""

    def get_queryset(self) -> models.QuerySet[M]:
        return super().get_queryset().filter(practice=False)


class Customer(Recorded):
    """Whom a car belongs to, and how they are reached."""

    name = models.CharField(max_length=80)
    phone = models.CharField(max_length=40, blank=True)
    mail = models.CharField(max_length=120, blank=True)
    address = models.CharField(max_length=200, blank=True)
    remark = models.CharField(max_length=300, blank=True)
    erased = models.BooleanField(default=False, editable=False)
    """Forgotten: of them there is nothing left."""
    cars = models.PositiveIntegerField(default=0, editable=False)
    """A sum: how many vehicles are theirs."""

    class Meta:
        ordering = ("name", "pk")
        indexes = (
            models.Index(fields=["same_as", "name", "id"], name="customer_by_name"),
            models.Index(fields=["same_as", "seen", "name"], name="customer_by_seen"),
            models.Index(fields=["same_as", "cars", "name"], name="customer_by_cars"),
            not_found_as_now("changed", "customer_to_find"),
            not_counted("customer_to_count"),
        )

    def __str__(self) -> str:
        return self.name

    @property
    def contact(self) -> str:
        """Where to write or call."""
        return self.mail or self.phone


class Vehicle(Recorded):
    """A car: its plate, VIN, owner and platform. ``stand_in`` names the simulated vehicle behind it, if any.

    ``powertrain``: its description as the shop entered it; empty while the platform's (or the generic one) holds.
    """

    plate = models.CharField(max_length=16, unique=True)
    vin = models.CharField(max_length=17, blank=True)
    make = models.CharField(max_length=40)
    model = models.CharField(max_length=40)
    year = models.PositiveSmallIntegerField(null=True, blank=True)
    customer = models.ForeignKey(Customer, models.PROTECT, null=True, blank=True, related_name="vehicles")
    """Whose it is now; ``Owning`` has whose it was."""
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
    visits = models.PositiveIntegerField(default=0, editable=False)
    """A sum: how many cases it has."""
    practice = models.BooleanField(default=False, editable=False)
    """It is practised on, and is not of the shop."""

    objects = OfTheShop["Vehicle"]()
    every = models.Manager()

    class Meta:
        ordering = ("plate",)
        indexes = (
            models.Index(fields=["same_as", "seen", "plate"], name="vehicle_by_seen"),
            models.Index(fields=["same_as", "visits", "plate"], name="vehicle_by_visits"),
            models.Index(fields=["same_as", "make", "model", "plate"], name="vehicle_by_make"),
            models.Index(fields=["same_as", "plate"], name="vehicle_by_plate"),
            not_found_as_now("changed", "vehicle_to_find"),
            not_counted("vehicle_to_count"),
        )

    def __str__(self) -> str:
        return f"{self.plate} · {self.make} {self.model}"

    @property
    def owner(self) -> str:
        """The name of whom it belongs to; empty while nobody is known."""
        return self.customer.name if self.customer else ""


class Entries(models.QuerySet[Any]):
    """What was written down stays; rows are only added."""

    def update(self, **kwargs: Any) -> NoReturn:
        raise TypeError("What was written down is not changed.")

    def delete(self) -> NoReturn:
        raise TypeError("What was written down is not deleted.")


class Owning(models.Model):
    """Since when a car belongs to somebody; the latest holds."""

    vehicle = models.ForeignKey(Vehicle, models.PROTECT, related_name="ownings")
    customer = models.ForeignKey(Customer, models.PROTECT, null=True, related_name="ownings")
    at = models.DateTimeField(default=timezone.now)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True, related_name="+")

    objects = Entries.as_manager()

    class Meta:
        ordering = ("at", "pk")


class Change(models.Model):
    """What was changed of a vehicle or a customer: ``field`` in words, as it was and as it is."""

    vehicle = models.ForeignKey(Vehicle, models.PROTECT, null=True, related_name="changes")
    customer = models.ForeignKey(Customer, models.PROTECT, null=True, related_name="changes")
    at = models.DateTimeField(default=timezone.now)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True, related_name="+")
    field = models.CharField(max_length=40)
    was = models.CharField(max_length=300, blank=True)
    now = models.CharField(max_length=300, blank=True)

    objects = Entries.as_manager()

    class Meta:
        ordering = ("at", "pk")


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
    """The vehicle with this plate or VIN; of one that was on file twice, the one that stayed."""
    wanted = text.strip()
    found = (
        with_plate(wanted).first() or Vehicle.objects.filter(vin=plate_key(wanted), from_log="").exclude(vin="").first()
    )
    kept: Vehicle | None = found.same_as if found and found.same_as_id else found  # type: ignore[assignment]  # its own kind
    return kept
