"""Wait for something that another thread, process or page does."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import TypeVar

T = TypeVar("T")


def until(condition: Callable[[], T], seconds: float = 10.0, *, every: float = 0.03) -> T:
    """The first true answer; an AssertionError where there is none in time."""
    end = time.monotonic() + seconds
    while not (found := condition()):
        if time.monotonic() > end:
            raise AssertionError(f"it did not happen within {seconds:g} s")
        time.sleep(every)
    return found
