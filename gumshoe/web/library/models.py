"""Notes and makers' codes of the shop. Both are kept for ever; withdrawing one marks it."""

from typing import Any

from django.conf import settings
from django.db import models

from gumshoe.web.settings.models import Settings


class Entry(models.Model):
    """Who wrote it, when, and for which platform it holds (empty: for all)."""

    at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    platform = models.CharField(max_length=60, blank=True)
    withdrawn = models.BooleanField(default=False)

    class Meta:
        abstract = True
        ordering = ("-at", "-pk")

    def save(self, *args: Any, **kwargs: Any) -> None:
        super().save(*args, **kwargs)
        Settings.learnt()


class ShopCode(Entry):
    """A maker's code the shop has looked up: what it is about and what kind of code it is."""

    number = models.CharField(max_length=5)
    component = models.CharField(max_length=80)
    kind = models.CharField(max_length=20)
    severity = models.CharField(max_length=10, default="soon")
    part = models.CharField(max_length=60, blank=True)


class HeardRate(Entry):
    """“Fixed it so many times of so many”, heard elsewhere: moves a base rate a little, never counts as a test."""

    suspect = models.CharField(max_length=80)
    hits = models.PositiveIntegerField()
    cases = models.PositiveIntegerField()
    origin = models.CharField(max_length=160)


class Note(Entry):
    """A bulletin, known weakness, campaign or software level, attached to a platform, component or code."""

    class Kind(models.TextChoices):
        """What sort of note."""

        BULLETIN = "bulletin", "bulletin"
        WEAKNESS = "weakness", "known weakness"
        CAMPAIGN = "campaign", "campaign"
        SOFTWARE = "software", "software level"

    kind = models.CharField(max_length=10, choices=Kind)
    code = models.CharField(max_length=5, blank=True)
    component = models.CharField(max_length=60, blank=True)
    text = models.TextField(max_length=2000)
    origin = models.CharField(max_length=160, blank=True)
