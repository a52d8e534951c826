"""What a lower layer asks and a higher one answers: imports go one way, and the question stands where it is asked."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, ParamSpec, TypeVar

P = ParamSpec("P")
R = TypeVar("R")


class Port(Generic[P, R]):
    """A question with one answer, given once while the applications are made ready. Called like the function that
    answers it; ``words`` name it in the error for one that nobody answers."""

    def __init__(self, words: str) -> None:
        self.words = words
        self._answer: Callable[P, R] | None = None

    def answered_by(self, answer: Callable[P, R]) -> None:
        """Let this function answer. Raises RuntimeError where another answers already."""
        if self._answer is not None and self._answer is not answer:
            raise RuntimeError(f"{self.words}: {self._answer} answers this already")
        self._answer = answer

    def __call__(self, *args: P.args, **kwargs: P.kwargs) -> R:
        if self._answer is None:
            raise RuntimeError(f"{self.words}: no application answers this")
        return self._answer(*args, **kwargs)
