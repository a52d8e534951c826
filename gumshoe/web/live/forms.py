"""What the forms of live send."""

from __future__ import annotations

from typing import Any

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


class StretchForm(Entry):
    """A stretch of a recording, ``from`` one moment ``to`` another (seconds of Unix time)."""

    to = Text()

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["from"] = Text()  # a word of the language cannot be declared


class GoodForm(Entry):
    """What makes a recording that of a good car."""

    words = Text()
