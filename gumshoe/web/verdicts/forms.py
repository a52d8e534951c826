"""What the forms of verdicts send."""

from __future__ import annotations

from gumshoe.web.kit.fields import WholeField
from gumshoe.web.kit.forms import Entry, Text


class VerdictForm(Entry):
    """Which suspect it is."""

    suspect = Text()
    seen = WholeField(required=False)
    """The verdict that held when the page was opened; 0: none did."""


class ReviewForm(Entry):
    """The lead's word."""

    kind = Text()
    reason = Text()


class CauseForm(Entry):
    """Why it failed: a choice, which may be another suspect's name, or words."""

    SUSPECT = "suspect:"

    cause = Text()
    words = Text()

    @property
    def suspect(self) -> str:
        """The suspect that was chosen as the cause; none where it was a reason in words."""
        chosen = self.read("cause")
        return chosen.removeprefix(self.SUSPECT) if chosen.startswith(self.SUSPECT) else ""

    @property
    def said(self) -> str:
        """The reason in words."""
        return self.read("words") or ("" if self.suspect else self.read("cause"))
