"""Form fields for numbers as people type them. A browser's own number field drops a comma in silence (95,50 → 9550)."""

from __future__ import annotations

import math
from collections.abc import Callable
from decimal import Decimal
from typing import Any, TypeVar

from django import forms

from gumshoe.core.entry import decimal_of, float_of, whole_of
from gumshoe.core.errors import BadInput

T = TypeVar("T")
DECIMAL = {"inputmode": "decimal", "autocomplete": "off"}
WHOLE = {"inputmode": "numeric", "autocomplete": "off"}


class AmountField(forms.DecimalField):
    """An amount of money: two decimals, comma or point."""

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(**{"widget": forms.TextInput(attrs=DECIMAL), "decimal_places": 2, "min_value": 0, **kwargs})

    def to_python(self, value: Any) -> Decimal | None:  # type: ignore[override]  # as the field Django ships does
        """Raises ValidationError with the reason."""
        return _asked(lambda: self._in_range(decimal_of(value, str(self.label or "Amount"), places=2)), value)

    def _in_range(self, found: Decimal) -> Decimal:
        least, most = Decimal(str(self.min_value or 0)), self.max_value
        if found < least or (most is not None and found > Decimal(str(most))):
            upto = "" if most is None else f" to {most}"
            raise BadInput(f"{self.label or 'Amount'}: {found} cannot be.", remedies=(f"{least}{upto}",))
        return found


class NumberField(forms.FloatField):
    """A number with decimals, comma or point."""

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(**{"widget": forms.TextInput(attrs=DECIMAL), **kwargs})

    def to_python(self, value: Any) -> float | None:  # type: ignore[override]  # as the field Django ships does
        """Raises ValidationError with the reason."""
        least = self.min_value if isinstance(self.min_value, int | float) else -math.inf
        most = self.max_value if isinstance(self.max_value, int | float) else math.inf
        return _asked(lambda: float_of(value, str(self.label or "Number"), least, most), value)


class WholeField(forms.IntegerField):
    """A whole number; 96,412 and 96 412 are 96412."""

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(**{"widget": forms.TextInput(attrs=WHOLE), **kwargs})

    def to_python(self, value: Any) -> int | None:
        """Raises ValidationError with the reason."""
        most = self.max_value if isinstance(self.max_value, int) else 10**12
        least = self.min_value if isinstance(self.min_value, int) else 0
        return _asked(lambda: whole_of(value, str(self.label or "Number"), most, least), value)


class NotRead(forms.ValidationError):
    """A number that cannot be read; ``problem`` says it as it is said everywhere."""

    def __init__(self, problem: BadInput) -> None:
        super().__init__(f"{problem.what} Try: {'; '.join(problem.remedies)}.")
        self.problem = problem


def _asked(read: Callable[[], T], value: Any) -> T | None:
    if value in (None, ""):
        return None
    if not isinstance(value, str):
        return value  # type: ignore[no-any-return]  # Django gives back what it had read
    try:
        return read()
    except BadInput as error:
        raise NotRead(error) from error
