"""Attempts at exercises, and the hints that were asked for in them."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.utils import timezone

from gumshoe.core.stored import shape
from gumshoe.practice.debrief import Debrief
from gumshoe.practice.exercise import Exercise
from gumshoe.practice.prepared import Prepared
from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.fields import Stored
from gumshoe.web.cases.models import Case
from gumshoe.web.vehicles.garage import PRACTICE

EXERCISE = shape("exercise", Exercise)
PREPARED = shape("prepared exercise", Prepared)
DEBRIEF = shape("debrief", Debrief | None)


def key_of(number: str) -> str:
    """The key of the stand-in of the exercise with this number."""
    return f"{PRACTICE}{number}"


class Level(models.TextChoices):
    """What of the reasoning is shown."""

    GUIDED = "guided", "guided: the next step is shown"
    NO_SUSPECTS = "suspects hidden", "suspects hidden"
    NO_READ = "read hidden", "what the codes mean together hidden too"
    BARE = "bare", "bare: codes and instruments only"


class Attempt(models.Model):
    """Somebody's work on an exercise. Only ``ended``, ``sound`` and ``told`` change, once: how it ended, whether the
    car was then without a fault, and the debrief."""

    case = models.OneToOneField(Case, on_delete=models.PROTECT, related_name="attempt")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    course = models.CharField(max_length=30, blank=True)
    level = models.CharField(max_length=20, choices=Level, default=Level.GUIDED)
    digest = models.CharField(max_length=24, db_index=True)
    exercise = Stored(EXERCISE)
    prepared = Stored(PREPARED)
    begun = models.DateTimeField(default=timezone.now)
    ended = models.DateTimeField(null=True, blank=True)
    sound = models.BooleanField(null=True, blank=True)
    told = Stored(DEBRIEF, null=True, blank=True)

    class Meta:
        ordering = ("-begun", "-pk")
        indexes = (models.Index(fields=["person", "begun"], name="attempt_by_person"),)

    def __str__(self) -> str:
        return f"{self.case.number}, {self.exercise.title}"

    @property
    def key(self) -> str:
        """The key of its stand-in."""
        return key_of(self.case.number)


class Own(models.Model):
    """An exercise that somebody brought in or made: open to everybody. ``hidden``: it is offered no more."""

    exercise = Stored(EXERCISE)
    digest = models.CharField(max_length=24, db_index=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(default=timezone.now)
    hidden = models.BooleanField(default=False)

    class Meta:
        ordering = ("-at", "-pk")


class Hint(Evidence):
    """What would be done next, asked for in an exercise: it costs what asking a colleague does."""

    words = models.CharField(max_length=300)
