"""What the forms of suspects send."""

from __future__ import annotations

from gumshoe.web.kit.forms import Entry, Text


class RulingForm(Entry):
    """A decision on a suspect, a clue or the way to work."""

    kind = Text()
    subject = Text()
    reason = Text()
