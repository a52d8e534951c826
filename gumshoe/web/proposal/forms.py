"""What the forms of proposal send."""

from __future__ import annotations

from gumshoe.web.kit.fields import AmountField, WholeField
from gumshoe.web.kit.forms import Entry, Several, Text
from gumshoe.web.proposal.services import MOST_MINUTES, MOST_MONEY


class LineForm(Entry):
    """A repair as the tables have it."""

    repair = Text()


class OfferForm(Entry):
    """The ways of a repair that are offered."""

    repair = Text()
    offer = Several()


class MaintenanceForm(Entry):
    """Something found on the way."""

    words = Text()
    minutes = WholeField(required=False, max_value=MOST_MINUTES, label="Minutes")
    parts = AmountField(required=False, max_value=MOST_MONEY, label="Parts")
    component = Text()


class AnswerForm(Entry):
    """What the customer said, who it was, and how it was given."""

    kind = Text()
    who = Text()
    how = Text()
