"""What must hold before anything is served: the knowledge tables fit together."""

from __future__ import annotations

from typing import Any

from django.core.checks import CheckMessage, Error, register

from gumshoe.core.errors import GumshoeError
from gumshoe.core.held import validate_once


@register()
def knowledge_holds(**_options: Any) -> list[CheckMessage]:
    """The tables of knowledge; an error names file and line."""
    try:
        validate_once()
    except GumshoeError as error:
        return [Error(error.what, hint="Mend that line, then start again.", id="gumshoe.E001")]
    return []
