"""The family of errors the core raises: each says what happened, what was kept and what to do."""

from __future__ import annotations


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
