"""Mail that went out of a case."""

from __future__ import annotations

from django.db import models

from gumshoe.web.cases.evidence import Evidence


class Mail(Evidence):
    """A proposal or a report sent to the customer: to whom, and the text as it went."""

    AFTER_CLOSING = True  # the report of a closed case is sent as well

    to = models.EmailField()
    subject = models.CharField(max_length=160)
    text = models.TextField()
