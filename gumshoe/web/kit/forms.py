"""Small forms that are sent by one button: what was sent, read by Django's fields and given with its type.

What cannot be read is refused like everything else here (BadInput: what happened, what is kept, what to do); the page
keeps what was typed as a draft. Whether it makes sense, the service that stores it decides.
"""

from __future__ import annotations

from decimal import Decimal
from typing import Any, Self

from django import forms
from django.http import HttpRequest

from gumshoe.core.errors import BadInput
from gumshoe.web.kit.fields import NotRead


class Text(forms.CharField):
    """Words, without the blanks around them; none where nothing was sent."""

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(**{"required": False, **kwargs})


class Tick(forms.BooleanField):
    """Ticked or not; a 0 that was sent is not."""

    widget = forms.HiddenInput

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(**{"required": False, **kwargs})


class Several(forms.Field):
    """Any number of chosen values."""

    widget = forms.SelectMultiple

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(**{"required": False, **kwargs})

    def to_python(self, value: Any) -> list[str]:
        """As they were sent."""
        return [str(item) for item in value or ()]


class Entry(forms.Form):
    """What one form sent. Fields are asked for by the kind of value they give."""

    @classmethod
    def of(cls, request: HttpRequest) -> Self:
        """Read a request. Raises BadInput in the words of the first field that cannot be read."""
        found = cls(request.POST)
        if found.is_valid():
            return found
        for errors in found.errors.as_data().values():
            for error in errors:
                raise error.problem if isinstance(error, NotRead) else BadInput(" ".join(error.messages))
        raise BadInput("What was sent cannot be read.")

    @property
    def told(self) -> dict[str, str]:
        """All of it that is words, by name."""
        return {name: str(self.cleaned_data[name]) for name, field in self.fields.items() if isinstance(field, Text)}

    def read(self, name: str) -> str:
        """Words."""
        return str(self.cleaned_data[name])

    def ticked(self, name: str) -> bool:
        """Whether a box was ticked."""
        return bool(self.cleaned_data[name])

    def whole(self, name: str) -> int | None:
        """A whole number; None where nothing was typed."""
        found: int | None = self.cleaned_data[name]
        return found

    def figure(self, name: str) -> float | None:
        """A number; None where nothing was typed."""
        found: float | None = self.cleaned_data[name]
        return found

    def amount(self, name: str) -> Decimal | None:
        """An amount of money; None where nothing was typed."""
        found: Decimal | None = self.cleaned_data[name]
        return found

    def several(self, name: str) -> list[str]:
        """What was chosen."""
        return list(self.cleaned_data[name])
