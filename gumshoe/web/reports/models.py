"""Mail that went out of a case."""

from __future__ import annotations

from django.db import models

from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.fields import Stored
from gumshoe.web.cases.shapes import TEXTS


class Mail(Evidence):
    """A proposal or a report sent to the customer: to whom, and the text as it went."""

    SHOP_ONLY = True
    AFTER_CLOSING = True  # the report of a closed case is sent as well

    to = models.EmailField()
    subject = models.CharField(max_length=160)
    text = models.TextField()


class Closing(Evidence):
    """The case was closed: what was left then, and why it was closed all the same."""

    FOUND_BY = ("reason",)
    SHOP_ONLY = True

    reason = models.CharField(max_length=300, blank=True)
    left = Stored(TEXTS, default=list)
