"""The technician's rulings on suspects and clues; the next action as it was last worked out."""

from __future__ import annotations

from django.db import models

from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.fields import Named
from gumshoe.web.cases.models import Case


class Ruling(Evidence):
    """A decision about a suspect or a clue; the latest about the same subject holds."""

    FOUND_BY = ("reason",)

    class Kind(models.TextChoices):
        """What was decided."""

        OUT = "out", "ruled out"
        BACK = "back", "taken back in"
        OWN = "own", "own suspect"
        DOUBT = "doubt", "clue doubtful"
        TRUST = "trust", "clue trusted again"
        WAY = "way", "way to work"

    kind = models.CharField(max_length=8, choices=Kind)
    subject = Named(max_length=160)
    reason = models.CharField(max_length=300, blank=True)


class Planned(models.Model):
    """The next action of a case as it was last worked out. Nothing is lost with it: it can be worked out again.

    ``made_for``: the state of the case it was worked out for; ``stamp``: that of the shop and of the tables then.
    """

    case = models.OneToOneField(Case, on_delete=models.CASCADE, related_name="planned")
    made_for = models.BigIntegerField(default=-1)
    stamp = models.CharField(max_length=64, blank=True)
    stage = models.CharField(max_length=12, blank=True)
    words = models.CharField(max_length=200, blank=True)
    test = models.CharField(max_length=60, blank=True)
    suspect = models.CharField(max_length=80, blank=True)
