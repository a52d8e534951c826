"""What the forms of reports send."""

from __future__ import annotations

from gumshoe.web.kit.forms import Entry, Text


class MailForm(Entry):
    """Whom to send it to."""

    to = Text()


class ReasonForm(Entry):
    """Why a case is closed all the same, or opened again."""

    reason = Text()
