"""What is proposed to the customer, and the customer's answers."""

from __future__ import annotations

from decimal import Decimal

from django.db import models

from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.fields import Named, Stored
from gumshoe.web.cases.shapes import STROKES
from gumshoe.web.verdicts.models import Verdict


class Line(Evidence):
    """A repair proposed to the customer, with minutes and prices as they were then. Lines of one ``choice`` are
    alternatives: the customer takes one of them. ``verdict``: the fault it is for; none for maintenance."""

    FOUND_BY = ("words", "notes")

    class Kind(models.TextChoices):
        """Why it is proposed."""

        REPAIR = "repair", "repair"
        MAINTENANCE = "maintenance", "found on the way"

    kind = models.CharField(max_length=12, choices=Kind, default=Kind.REPAIR)
    verdict = models.ForeignKey(Verdict, on_delete=models.PROTECT, null=True, blank=True, related_name="lines")
    choice = models.PositiveIntegerField(null=True, blank=True)
    quality = models.CharField(max_length=12, blank=True)
    scope = models.CharField(max_length=14, blank=True)
    notes = models.CharField(max_length=300, blank=True)
    repair = Named(max_length=80)
    words = models.CharField(max_length=200)
    component = Named(max_length=80)
    minutes = models.PositiveIntegerField()
    parts = models.DecimalField(max_digits=9, decimal_places=2)
    labour = models.DecimalField(max_digits=9, decimal_places=2)
    tax_percent = models.DecimalField(max_digits=5, decimal_places=2, default=Decimal(0))

    class Meta(Evidence.Meta):
        db_table = "repairs_line"

    @property
    def total(self) -> Decimal:
        """Parts and labour together."""
        return self.parts + self.labour


class Answer(Evidence):
    """The customer's answer to a line; the latest holds. ``risk``: what it means to leave it, as it was told then."""

    class Kind(models.TextChoices):
        """What the customer said."""

        APPROVED = "approved", "approved"
        REFUSED = "refused", "refused"
        DEFERRED = "deferred", "deferred"

    line = models.ForeignKey(Line, on_delete=models.PROTECT, related_name="answers")
    kind = models.CharField(max_length=10, choices=Kind)
    who = models.CharField(max_length=80)
    how = models.CharField(max_length=40)
    risk = models.TextField(blank=True)

    class Meta(Evidence.Meta):
        db_table = "repairs_answer"


class Signature(Evidence):
    """The customer's signature under their answers: the lines as they were drawn, and what was signed in words."""

    FOUND_BY = ("name",)

    name = models.CharField(max_length=80)
    strokes = Stored(STROKES, default=list)
    text = models.TextField()

    @property
    def paths(self) -> list[str]:
        """The strokes as paths of an SVG."""
        return ["M" + " L".join(f"{x} {y}" for x, y in stroke) for stroke in self.strokes if stroke]
