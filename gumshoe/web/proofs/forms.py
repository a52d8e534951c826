"""What the forms of proofs send."""

from __future__ import annotations

from datetime import date

from django import forms

from gumshoe.web.kit.fields import WholeField
from gumshoe.web.kit.forms import Entry, Text

NO_DAY = "On which day? Choose a day."


class CountForm(Entry):
    """A recording that counts."""

    recording = WholeField(required=False)


class TriedForm(Entry):
    """What was tried by hand, and how it went."""

    circumstance = Text()
    how = Text()
    remark = Text()


class FollowUpForm(Entry):
    """When the case is looked at again."""

    due = forms.DateField(error_messages={"required": NO_DAY, "invalid": NO_DAY})
    km = WholeField(required=False, max_value=1_000_000, label="Kilometres")
    why = Text()

    @property
    def day(self) -> date:
        """The day that was chosen."""
        found: date = self.cleaned_data["due"]
        return found


class RecurrenceForm(Entry):
    """How often the fault was seen, over what, and somebody's own belief; ``back``: the page the form stood on."""

    times = Text()
    over = Text()
    unit = Text()
    belief = Text()
    why = Text()
    back = Text()
