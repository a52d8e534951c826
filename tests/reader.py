"""The test client as a browser reads: runs of blanks and line breaks in a page are one blank."""

from __future__ import annotations

import re
from typing import Any

from django.http import HttpResponse
from django.test import Client

_AS_IT_IS = re.compile(r"(<(textarea|pre|script|style)\b.*?</\2>)", re.DOTALL)
_BLANKS = re.compile(r"\s+")


def as_read(page: str) -> str:
    """The page with its blanks run together, but for what keeps its own."""
    parts = [part for place, part in enumerate(_AS_IT_IS.split(page)) if place % 3 != 2]
    return "".join(_BLANKS.sub(" ", part) if place % 2 == 0 else part for place, part in enumerate(parts))


class Reader(Client):
    """Where templates break their lines is nobody's business but the templates'."""

    def request(self, **request: Any) -> HttpResponse:
        answer = super().request(**request)
        if not answer.streaming and answer.get("Content-Type", "").startswith("text/html"):
            answer.content = as_read(answer.content.decode()).encode()
        return answer
