"""Evidence is append-only: a stored entry is never changed or deleted; a correction is a new entry that supersedes."""

from __future__ import annotations

from typing import Any, ClassVar, NoReturn

from django.conf import settings
from django.db import models, transaction
from django.utils import timezone

from gumshoe.core.errors import GumshoeError
from gumshoe.core.words import readable
from gumshoe.web.settings.models import Settings


class EvidenceIsKept(GumshoeError):
    """Something tried to change or delete a stored entry."""

    kept = "The stored entry is unchanged."
    remedies = ("enter a correction: it supersedes the old entry and both stay visible",)


MOST_TEXT = 20_000
UNLIMITED = frozenset({"frames"})
"""Fields that hold what a machine said."""


class TooLong(GumshoeError):
    """A text that is longer than what can be kept of it."""

    kept = "Nothing was stored; what was typed waits in the form."
    remedies = ("say it shorter", "put what is long into a file beside the case")


class CaseIsClosed(GumshoeError):
    """Something was to be entered in a closed case."""

    kept = "Nothing was stored; the case is as it was closed."
    remedies = ("reopen it on the Report page, with a reason", "or open a new case for the vehicle")


class SomebodyElsesExercise(GumshoeError):
    """Something was to be entered in the exercise of another."""

    kept = "Nothing was stored."
    remedies = ("begin the same exercise yourself: two people can work it apart",)


class NotInAnExercise(GumshoeError):
    """Something was to be entered in an exercise that only a case of the shop has."""

    kept = "Nothing was stored; the exercise is as it was."
    remedies = ("work it to its end: “End it” on the strip closes it and leads to the debrief",)


class EvidenceQuerySet(models.QuerySet[Any]):
    """A query set that reads and adds, and nothing else."""

    def update(self, **kwargs: Any) -> NoReturn:
        raise EvidenceIsKept("Evidence cannot be changed.")

    def delete(self) -> NoReturn:
        raise EvidenceIsKept("Evidence cannot be deleted.")

    def bulk_update(self, *args: Any, **kwargs: Any) -> NoReturn:
        raise EvidenceIsKept("Evidence cannot be changed.")


class Evidence(models.Model):
    """A dated entry of a case, by somebody. Subclasses add what was found."""

    case = models.ForeignKey("cases.Case", on_delete=models.PROTECT, related_name="%(class)ss")
    at = models.DateTimeField(default=timezone.now, editable=False)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    objects = EvidenceQuerySet.as_manager()
    AFTER_CLOSING = False
    """Whether such an entry may be made in a closed case."""
    TEACHES = False
    """Whether the shop learns from it: it then bears on every case."""
    COUNTS = False
    """Whether the shop's sums rest on it."""
    SHOP_ONLY = False
    """Whether an exercise has no such entry: nobody's case, nobody's customer."""
    FOUND_BY: ClassVar[tuple[str, ...]] = ()
    """Fields whose words a case is found by."""
    FOUND_BY_SIGN: ClassVar[tuple[str, ...]] = ()
    """Fields with numbers and the like that it is found by, as a whole or by a piece."""

    class Meta:
        abstract = True
        ordering = ("at", "pk")

    def save(self, *args: Any, **kwargs: Any) -> None:
        if self.pk is not None:
            raise EvidenceIsKept(f"{self._meta.verbose_name} of {self.at:%Y-%m-%d %H:%M} cannot be changed.")
        self._refuse_what_cannot_be_kept()
        cases: Any = type(self)._meta.get_field("case").related_model
        if not self.AFTER_CLOSING and cases.every.filter(pk=self.case_id, closed_at__isnull=False).exists():
            raise CaseIsClosed(f"Case {self.case.number} is closed: nothing more is entered in it.")
        self.fits(self.case)
        if self.case.practice and self.by_id != self.case.opened_by_id:
            raise SomebodyElsesExercise(f"{self.case.number} is the exercise of {self.case.opened_by}.")
        kwargs["force_insert"] = True
        with transaction.atomic():
            super().save(*args, **kwargs)
            cases.entered(self.case_id, self.by_id, counts=self.COUNTS)
            if self.TEACHES:
                Settings.learnt()

    @classmethod
    def fits(cls, case: Any) -> None:
        """Raises NotInAnExercise where a case is one, and such an entry is the shop's only."""
        if cls.SHOP_ONLY and case.practice:
            raise NotInAnExercise(f"{case.number} is an exercise: it has no {cls._meta.verbose_name}.")

    def _refuse_what_cannot_be_kept(self) -> None:
        """Texts longer than their field, which SQLite would take, and signs that are none."""
        for field in self._meta.concrete_fields:
            value = getattr(self, field.attname)
            if not isinstance(value, str):
                continue
            if value != readable(value):
                value = readable(value)
                setattr(self, field.attname, value)
            most = getattr(field, "max_length", None) or MOST_TEXT
            if len(value) > most and field.name not in UNLIMITED:
                raise TooLong(f"{str(field.verbose_name).capitalize()}: {len(value)} signs; {most} can be kept.")

    def delete(self, *args: Any, **kwargs: Any) -> NoReturn:
        raise EvidenceIsKept(f"{self._meta.verbose_name} of {self.at:%Y-%m-%d %H:%M} cannot be deleted.")

    @property
    def source(self) -> str:
        """The stable name clues refer to."""
        return f"{self._meta.model_name}-{self.pk}"
