"""What the forms of proposal send."""

from __future__ import annotations

import json

from django.http import HttpRequest

from gumshoe.core.errors import BadInput
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


LINE = "line-"
MOST_SIGNED = 120_000


class SignForm(Entry):
    """A signature: who, what was on the page, and the strokes."""

    name = Text(max_length=80)
    seen = Text(max_length=2000)
    strokes = Text(max_length=MOST_SIGNED)

    def drawn(self) -> list[list[tuple[int, int]]]:
        """As they were drawn. Raises BadInput for what is none."""
        try:
            found = json.loads(self.read("strokes") or "[]")
            return [[(int(x), int(y)) for x, y in stroke] for stroke in found]
        except (ValueError, TypeError, RecursionError) as error:
            raise BadInput("The signature cannot be read.", remedies=("clear the field and sign again",)) from error


def answers_of(request: HttpRequest) -> dict[int, str]:
    """The answer to each line, by its number."""
    named = {name.removeprefix(LINE): str(value) for name, value in request.POST.items() if name.startswith(LINE)}
    return {int(name): value for name, value in named.items() if name.isdecimal() and len(name) < 12}
