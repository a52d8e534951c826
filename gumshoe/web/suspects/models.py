"""The technician's rulings on suspects and clues."""

from __future__ import annotations

from django.db import models

from gumshoe.web.cases.evidence import Evidence


class Ruling(Evidence):
    """A decision about a suspect or a clue; the latest about the same subject holds."""

    class Kind(models.TextChoices):
        """What was decided."""

        OUT = "out", "ruled out"
        BACK = "back", "taken back in"
        OWN = "own", "own suspect"
        DOUBT = "doubt", "clue doubtful"
        TRUST = "trust", "clue trusted again"

    kind = models.CharField(max_length=8, choices=Kind)
    subject = models.CharField(max_length=160)
    reason = models.CharField(max_length=300, blank=True)
