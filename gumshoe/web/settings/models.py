"""The shop's settings."""

from __future__ import annotations

import base64
from decimal import Decimal
from typing import Any

from django.db import models

from gumshoe.core.knowledge.values import Climate
from gumshoe.core.obd.connect import AdapterKind, AdapterSpec, Line
from gumshoe.core.stored import shape
from gumshoe.web.kit.memo import forget, fresh, once


class Settings(models.Model):
    """One row: name, money, units, where the cars live."""

    shop_name = models.CharField(max_length=80, default="Workshop")
    address = models.TextField(max_length=300, blank=True)
    phone = models.CharField(max_length=40, blank=True)
    mail = models.EmailField(blank=True)
    logo = models.BinaryField(null=True, blank=True, editable=False)
    """A PNG, made again from its pixels."""
    tax_name = models.CharField(max_length=20, default="VAT", blank=True)
    tax_percent = models.DecimalField(max_digits=5, decimal_places=2, default=Decimal(0))
    """Added to what parts and labour cost; 0: prices are as they are."""
    tax_number = models.CharField(max_length=40, blank=True)
    terms = models.TextField(max_length=2000, blank=True)
    time_zone = models.CharField(max_length=60, blank=True)
    """Empty: as the server was started with."""
    countersign_hours = models.PositiveSmallIntegerField(default=0)
    keep_years = models.PositiveSmallIntegerField(default=0)
    """After so many years without a visit a customer is due to be forgotten; 0: never."""
    """After so many hours a lead may countersign a verdict of their own; 0: never."""
    currency = models.CharField(max_length=8, default="€")
    labour_per_hour = models.DecimalField(max_digits=7, decimal_places=2, default=Decimal("84.00"))
    customary_units = models.BooleanField(default=False)
    state = models.BigIntegerField(default=fresh, editable=False)
    """Another number after everything in the shop that bears on every case: settings, what is learnt, makers' codes."""
    lacks = models.JSONField(default=list, blank=True)
    learns = models.BooleanField(default=True)
    climate = models.CharField(max_length=12, default=Climate.TEMPERATE.value)

    @property
    def logo_inline(self) -> str:
        """The logo as an address that holds it; empty where there is none."""
        return f"data:image/png;base64,{base64.b64encode(self.logo).decode('ascii')}" if self.logo else ""

    def save(self, *args: Any, **kwargs: Any) -> None:
        self.state = fresh()
        super().save(*args, **kwargs)

    @staticmethod
    def learnt() -> None:
        """Something was entered that bears on every case of the shop."""
        Settings.objects.update(state=fresh())
        forget()

    def in_money(self, amount: Decimal | float | None) -> str:
        """An amount in the shop's currency."""
        return f"{self.currency} {amount or 0:,.2f}".strip()

    @classmethod
    def load(cls) -> Settings:
        """The one row, made on first use."""
        return _the_row()


FOUND = shape("what a test of an adapter found", list[Line])


class Adapter(models.Model):
    """What real vehicles are reached through. ``speed``: bit rate or baud rate; 0 where it is found."""

    class Kind(models.TextChoices):
        BUS = AdapterKind.BUS, "bus adapter that python-can knows"
        TEXT = AdapterKind.TEXT, "serial adapter with text commands"
        IP = AdapterKind.IP, "network cable to the car: diagnostics over IP"

    name = models.CharField(max_length=40)
    bay = models.CharField(max_length=20, blank=True)
    kind = models.CharField(max_length=8, choices=Kind.choices, default=Kind.TEXT)
    interface = models.CharField(max_length=30, blank=True)
    address = models.CharField(max_length=120, blank=True)
    speed = models.PositiveIntegerField(default=0)
    fd = models.BooleanField(default=False)
    """Whether CAN FD is tried where nobody answers else."""
    found = models.JSONField(null=True, blank=True, editable=False)
    tested_at = models.DateTimeField(null=True, blank=True, editable=False)

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.name

    @property
    def spec(self) -> AdapterSpec:
        """How it is opened."""
        return AdapterSpec(AdapterKind(self.kind), self.address, self.interface, self.speed, self.fd)

    @property
    def lines(self) -> list[Line]:
        """What its last test found."""
        found: list[Line] = FOUND.read(self.found) if self.found else []
        return found


@once
def _the_row() -> Settings:
    return Settings.objects.get_or_create(pk=1)[0]
