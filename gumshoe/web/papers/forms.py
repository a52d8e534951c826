"""What the forms of papers send."""

from __future__ import annotations

from gumshoe.web.kit.fields import WholeField
from gumshoe.web.kit.forms import Entry, Text, Tick


class NoteForm(Entry):
    """A note, and what it is attached to."""

    text = Text()
    kind = Text()
    code = Text()
    component = Text()
    about_platform = Tick()
    origin = Text()


class CodeForm(Entry):
    """What a maker's code stands for."""

    number = Text()
    component = Text()
    kind = Text()
    severity = Text()
    part = Text()


class HeardForm(Entry):
    """How often a repair helped elsewhere, and who says so."""

    suspect = Text()
    hits = Text()
    cases = Text()
    origin = Text()


class WithdrawForm(Entry):
    """An entry of the library that is withdrawn, or in force again."""

    what = Text()
    entry = WholeField(required=False)
