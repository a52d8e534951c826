"""What the forms of reports send."""

from __future__ import annotations

from gumshoe.web.kit.forms import Entry, Text


class MailForm(Entry):
    """Whom to send it to."""

    to = Text()


class ReopenForm(Entry):
    """Why a case is opened again."""

    reason = Text()
