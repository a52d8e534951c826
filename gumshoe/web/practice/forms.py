"""What the forms of practice send."""

from __future__ import annotations

from gumshoe.web.kit.fields import WholeField
from gumshoe.web.kit.forms import Entry, Text


class BeginForm(Entry):
    """An exercise of a course, at a level."""

    level = Text()


class DrawForm(Entry):
    """A car to be drawn: system, kind, how hard, and the number that makes it the same for somebody else."""

    system = Text()
    car = Text()
    hard = WholeField(required=False)
    seed = WholeField(required=False)
    level = Text()
