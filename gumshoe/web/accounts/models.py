"""People of the shop."""

from django.contrib.auth.models import AbstractUser
from django.db import models


class Role(models.TextChoices):
    """What somebody is in the shop."""

    TECHNICIAN = "technician", "Technician"
    LEAD = "lead", "Lead technician"
    ADVISER = "adviser", "Service adviser"


class User(AbstractUser):
    """A person with a role; ``full_name`` is what the record shows."""

    role = models.CharField(max_length=20, choices=Role, default=Role.TECHNICIAN)
    full_name = models.CharField(max_length=80, blank=True)

    def __str__(self) -> str:
        return self.full_name or self.username
