"""The case, the complaint, and corrections to it."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import models
from django.utils import timezone

from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.fields import Stored
from gumshoe.web.cases.shapes import DOCUMENT, ENTRIES, SYMPTOMS
from gumshoe.web.kit.marked import not_counted, not_found_as_now
from gumshoe.web.kit.memo import forget, fresh
from gumshoe.web.vehicles.models import Customer, OfTheShop, Vehicle


class Case(models.Model):
    """One job on one vehicle, found by ``objects``; those of exercises by ``every`` only. Only ``closed_at`` and
    ``bay`` ever change, and what a merge moves; all else is evidence."""

    number = models.CharField(max_length=12, unique=True)
    vehicle = models.ForeignKey(Vehicle, on_delete=models.PROTECT, related_name="cases")
    opened_at = models.DateTimeField(default=timezone.now)
    opened_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    bay = models.CharField(max_length=20, blank=True)
    closed_at = models.DateTimeField(null=True, blank=True)
    customer = models.ForeignKey(Customer, on_delete=models.PROTECT, null=True, blank=True, related_name="cases")
    """Who brought the car then; it may have changed hands since."""
    practice = models.BooleanField(default=False, editable=False)
    """An exercise: its number, its car and its evidence are never the shop's."""

    objects = OfTheShop["Case"]()
    every = models.Manager()

    class Meta:
        ordering = ("-opened_at",)
        indexes = (
            models.Index(fields=["opened_at", "id"], name="case_by_opened"),
            models.Index(fields=["closed_at", "id"], name="case_by_closed"),
        )

    def __str__(self) -> str:
        return f"Case {self.number}"

    def save(self, *args: Any, **kwargs: Any) -> None:
        new = self._state.adding
        super().save(*args, **kwargs)
        if new:
            State.objects.create(case=self)

    @property
    def owner(self) -> str:
        """The name of who brought the car; empty where nobody is known."""
        return self.customer.name if self.customer else ""

    def move_to(self, vehicle: Vehicle) -> None:
        """The car was on file twice: the case is the one's that stays."""
        Vehicle.objects.filter(pk=self.vehicle_id).update(counted=False)
        self.vehicle = vehicle
        self.save(update_fields=["vehicle"])
        self.entered(self.pk)

    @staticmethod
    def entered(pk: int, by: int | None = None, *, counts: bool = True) -> None:
        """Something was entered in that case, by that person: what was worked out of it before holds no longer.
        ``counts``: the shop's sums rest on it too."""
        State.objects.filter(case_id=pk).update(number=fresh(), **({"counted": False} if counts else {}))
        if by is not None:
            Touched.objects.update_or_create({"at": timezone.now()}, case_id=pk, by_id=by)
        forget()


class State(models.Model):
    """What a case is at the moment, as a number: another one after every entry, and never one of before. ``found``: the
    number with which it was put into the search. ``counted``: whether the shop's sums have it as it stands; then
    ``proof`` is how its last proof ended, ``unproven`` whether something was done and nothing shows that it helped."""

    case = models.OneToOneField(Case, on_delete=models.CASCADE, primary_key=True, related_name="state")
    number = models.BigIntegerField(default=fresh)
    found = models.BigIntegerField(default=0)
    counted = models.BooleanField(default=False)
    proof = models.CharField(max_length=20, blank=True)
    unproven = models.BooleanField(default=False)

    class Meta:
        indexes = (
            not_found_as_now("number", "case_to_find", "case"),
            not_counted("case_to_count", "case"),
        )


class Lamp(models.TextChoices):
    """The malfunction lamp as the customer saw it."""

    UNKNOWN = "", "not known"
    OUT = "out", "out"
    STEADY = "steady", "steady"
    FLASHING = "flashing", "flashing"


class Complaint(Evidence):
    """What the customer said. A later complaint of the same case supersedes the earlier one."""

    FOUND_BY = ("text", "conditions", "since", "recent_work")
    COUNTS = True  # the odometer

    text = models.TextField(max_length=2000)
    symptoms = Stored(SYMPTOMS, default=list, blank=True)
    lamp = models.CharField(max_length=10, choices=Lamp, default=Lamp.UNKNOWN, blank=True)
    conditions = models.CharField(max_length=200, blank=True)
    since = models.CharField(max_length=80, blank=True)
    recent_work = models.CharField(max_length=200, blank=True)
    odometer_km = models.PositiveIntegerField(null=True, blank=True)


class Imported(Evidence):
    """A case file that was read in: the file as it was, and which of our entries stand for its own (by model name).

    Names and times of the file's own people are kept here; an export gives them back unchanged.
    """

    TEACHES = COUNTS = True  # what was proven elsewhere is not the shop's
    document = Stored(DOCUMENT)
    name = models.CharField(max_length=120, blank=True)
    entries = Stored(ENTRIES, default=dict)
    digest = models.CharField(max_length=64, blank=True, db_index=True)
    """What was in the file: the same file is known again, whatever it is called."""


class Reopened(Evidence):
    """A closed case opened again, and why."""

    FOUND_BY = ("reason",)
    SHOP_ONLY = True
    AFTER_CLOSING = True

    reason = models.CharField(max_length=300)


class Note(Evidence):
    """A free remark on the case."""

    FOUND_BY = ("text",)

    text = models.TextField(max_length=2000)


class HandOver(Evidence):
    """The case is somebody else's from now on, with what they need to know."""

    FOUND_BY = ("done", "next", "off")
    SHOP_ONLY = True

    to = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    done = models.CharField(max_length=600, blank=True)
    next = models.CharField(max_length=300, blank=True)
    off = models.CharField(max_length=300, blank=True)


class Waiting(Evidence):
    """What the case waits for, until a day where one is known; the latest holds, and may be nothing."""

    FOUND_BY = ("note",)
    SHOP_ONLY = True

    class What(models.TextChoices):
        """What a case waits for."""

        NOTHING = "", "nothing"
        PART = "part", "a part"
        CUSTOMER = "customer", "the customer"
        ANSWER = "answer", "the owner's answer"
        LIFT = "lift", "a lift"
        NIGHT = "night", "the night's rest"
        OTHER = "other", "something else"

    what = models.CharField(max_length=10, choices=What, default=What.NOTHING, blank=True)
    until = models.DateField(null=True, blank=True)
    note = models.CharField(max_length=200, blank=True)

    @property
    def late(self) -> bool:
        """Whether the day has passed."""
        return self.until is not None and self.until < timezone.localdate()


class Touched(models.Model):
    """When somebody last entered something in a case."""

    case = models.ForeignKey(Case, on_delete=models.CASCADE, related_name="touches")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    at = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("case", "by"), name="touched_once_a_person"),)
