"""What the forms of the crew send."""

from __future__ import annotations

from datetime import date

from django import forms

from gumshoe.web.accounts.models import User
from gumshoe.web.cases.models import Waiting
from gumshoe.web.kit.fields import WholeField
from gumshoe.web.kit.forms import Entry, Text


class HandOverForm(Entry):
    """To whom, and the note."""

    to = WholeField(required=False)
    done = Text(max_length=600)
    next = Text(max_length=300)
    off = Text(max_length=300)

    @property
    def person(self) -> User | None:
        """Who was chosen."""
        return User.objects.filter(pk=self.whole("to") or 0).first()


class WaitForm(Entry):
    """What it waits for."""

    what = Text()
    until = forms.DateField(required=False, label="Until")
    note = Text(max_length=200)
    CHOICES = tuple((value, words) for value, words in Waiting.What.choices if value)

    @property
    def day(self) -> date | None:
        """Until when."""
        found: date | None = self.cleaned_data["until"]
        return found
