"""The family of errors the core raises: each says what happened, what was kept and what to do."""

from __future__ import annotations

from collections.abc import Callable


class GumshoeError(Exception):
    """Something went wrong that a technician can act on.

    ``what`` says what happened, ``kept`` what is safe, ``remedies`` what to try, the usual cause first.
    """

    kept: str = "Nothing already stored was changed."
    remedies: tuple[str, ...] = ()

    def __init__(self, what: str, *, kept: str | None = None, remedies: tuple[str, ...] | None = None) -> None:
        super().__init__(what)
        self.what = what
        if kept is not None:
            self.kept = kept
        if remedies is not None:
            self.remedies = remedies

    def __str__(self) -> str:
        text = f"{self.what} {self.kept}"
        if self.remedies:
            text += " Try: " + "; ".join(self.remedies) + "."
        return text


class DataError(GumshoeError):
    """A shipped or shop-written TOML file does not hold what it should; names file and line."""

    kept = "The file was not loaded."


class BadInput(GumshoeError):
    """A value typed in by a person cannot be what it claims to be."""


class OutOfRange(BadInput):
    """A number that cannot be; it can be said again in the unit somebody works in."""

    def __init__(self, label: str, value: float, low: float, high: float, unit: str) -> None:
        said = f"{label}: {value:g} {unit} cannot be; it must lie between {low:g} and {high:g} {unit}."
        super().__init__(said, remedies=(f"check the unit: this field is in {unit or 'plain digits'}",))
        self.label, self.numbers, self.unit = label, (value, low, high), unit

    def said_in(self, unit: str, turn: Callable[[float], float]) -> OutOfRange:
        """The same in another unit."""
        value, low, high = map(turn, self.numbers)
        return OutOfRange(self.label, value, low, high, unit)
