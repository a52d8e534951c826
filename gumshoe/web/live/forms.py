"""What the forms of live send."""

from __future__ import annotations

from gumshoe.web.kit.forms import Entry, Several, Text


class BeginForm(Entry):
    """A guided recording by its purpose, or a free one with its name."""

    purpose = Text()
    label = Text()


class MarkForm(Entry):
    """A moment (seconds of Unix time) with a note."""

    at = Text()
    text = Text()


class StripForm(Entry):
    """A strip."""

    strip = Text()


class StripsForm(Entry):
    """The strips that are looked at."""

    strip = Several()


class GoodForm(Entry):
    """What makes a recording that of a good car."""

    words = Text()
