"""People of the shop, and what was done about them."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.contrib.auth.models import AbstractUser
from django.db import models
from django.utils import timezone
from django.utils.crypto import salted_hmac


class Role(models.TextChoices):
    """What somebody is in the shop."""

    TECHNICIAN = "technician", "Technician"
    LEAD = "lead", "Lead technician"
    ADVISER = "adviser", "Service adviser"


class User(AbstractUser):
    """A person with a role; ``full_name`` is what the record shows. Nobody is ever deleted: the record names them."""

    role = models.CharField(max_length=20, choices=Role, default=Role.TECHNICIAN)
    full_name = models.CharField(max_length=80, blank=True)
    one_time = models.BooleanField(default=False)
    """Whether the password was given by the lead, and is to be changed before anything else."""
    sessions = models.PositiveIntegerField(default=0)
    """Another number signs this person out everywhere."""

    def __str__(self) -> str:
        return self.full_name or self.username

    def _get_session_auth_hash(self, secret: str | None = None) -> str:
        """As Django has it, with the number of ``sessions``."""
        value = f"{self.password}{self.sessions}"
        return salted_hmac("gumshoe.accounts.session", value, secret=secret, algorithm="sha256").hexdigest()


class PeopleEntry(models.Model):
    """What was done about a person, and by whom; ``about`` is None where it was about an address."""

    at = models.DateTimeField(default=timezone.now)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+", null=True)
    about = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="entries", null=True)
    words = models.CharField(max_length=200)

    class Meta:
        ordering = ("pk",)

    def save(self, *args: Any, **kwargs: Any) -> None:
        """Entries are added, never changed."""
        if not self._state.adding:
            raise TypeError("What was done about people stays as it was written.")
        super().save(*args, **kwargs)
