"""The shop's settings."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from django.db import models

from gumshoe.core.knowledge.values import Climate
from gumshoe.web.kit.memo import forget, fresh, once


class Settings(models.Model):
    """One row: name, money, and the adapter that real vehicles are reached through."""

    shop_name = models.CharField(max_length=80, default="Workshop")
    currency = models.CharField(max_length=8, default="€")
    labour_per_hour = models.DecimalField(max_digits=7, decimal_places=2, default=Decimal("84.00"))
    customary_units = models.BooleanField(default=False)
    interface = models.CharField(max_length=30, default="socketcan", help_text="python-can interface name")
    channel = models.CharField(max_length=60, default="can0", help_text="can0, a serial port, …")
    bitrate = models.PositiveIntegerField(default=500_000)

    state = models.BigIntegerField(default=fresh, editable=False)
    """Another number after everything in the shop that bears on every case: settings, what is learnt, makers' codes."""
    lacks = models.JSONField(default=list, blank=True)
    learns = models.BooleanField(default=True)
    climate = models.CharField(max_length=12, default=Climate.TEMPERATE.value)

    def save(self, *args: Any, **kwargs: Any) -> None:
        self.state = fresh()
        super().save(*args, **kwargs)

    @staticmethod
    def learnt() -> None:
        """Something was entered that bears on every case of the shop."""
        Settings.objects.update(state=fresh())
        forget()

    @classmethod
    def load(cls) -> Settings:
        """The one row, made on first use."""
        return _the_row()


@once
def _the_row() -> Settings:
    return Settings.objects.get_or_create(pk=1)[0]
