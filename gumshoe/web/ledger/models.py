"""The ledger of loose ends: what was unplugged, removed, jumped or drained, and that it is back."""

from __future__ import annotations

from django.db import models

from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.fields import Named


class LooseEnd(Evidence):
    """Something unplugged, removed, jumped or drained that must be put back; ``flat`` is a battery that went flat."""

    FOUND_BY = ("what",)

    class Did(models.TextChoices):
        """What was done."""

        OFF = "off", "unplugged"
        REMOVED = "removed", "removed"
        JUMPED = "jumped", "jumped"
        DRAINED = "drained", "drained"
        FLAT = "flat", "went flat"

    what = models.CharField(max_length=160)
    component = Named(max_length=80, blank=True)
    did = models.CharField(max_length=8, choices=Did, default=Did.OFF)

    class Meta(Evidence.Meta):
        db_table = "repairs_looseend"


class LooseEndClosed(Evidence):
    """A loose end put back and ticked, by whom and when; or overruled by the lead with a reason. ``key_on``: whether
    the key was on meanwhile, as far as somebody knows."""

    FOUND_BY = ("overruled",)

    end = models.OneToOneField(LooseEnd, on_delete=models.PROTECT, related_name="closed")
    overruled = models.CharField(max_length=300, blank=True)
    key_on = models.BooleanField(null=True, blank=True)

    class Meta(Evidence.Meta):
        db_table = "repairs_looseendclosed"
