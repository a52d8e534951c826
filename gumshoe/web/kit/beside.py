"""What may take longer than a page should is done beside it, in a thread of this process: begun by a request, watched
by whoever began it, its end told to them once."""

from __future__ import annotations

import logging
import secrets
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass

from django.db import connection

from gumshoe.core.errors import GumshoeError

log = logging.getLogger(__name__)
KEPT_S = 3600.0
"""So long an end that nobody has looked at is kept."""


class Broke(GumshoeError):
    """It ended by an error of ours."""

    remedies = ("try it again, and note the time for whoever looks after the server",)


@dataclass(frozen=True)
class Outcome:
    """How it ended: what to say, and the page to show; ``doubtful``: something of it is to be looked at again."""

    words: str
    url: str
    doubtful: bool = False


class Task(threading.Thread):
    """One piece of work. ``who``: the number of the person; ``words``: what is done; ``back``: the page it was begun
    on. ``trouble``: why it came to nothing."""

    def __init__(self, who: int, words: str, back: str, work: Callable[[], Outcome]) -> None:
        super().__init__(name=words, daemon=True)
        self.key, self.who, self.words, self.back = secrets.token_urlsafe(9), who, words, back
        self.began, self.ended = time.monotonic(), 0.0
        self.outcome: Outcome | None = None
        self.trouble: GumshoeError | None = None
        self._work = work

    @property
    def seconds(self) -> int:
        """How long it takes so far."""
        return round((self.ended or time.monotonic()) - self.began)

    @property
    def done(self) -> bool:
        return self.ended > 0.0

    def carry_out(self) -> None:
        """Do it here and now. An error of ours is told to whoever began it, and logged."""
        try:
            self.outcome = self._work()
        except GumshoeError as error:
            self.trouble = error
        except Exception:
            log.exception("%s", self.words)
            self.trouble = Broke(f"{self.words}: something broke here; nothing of it was stored.")
        self.ended = time.monotonic()

    def run(self) -> None:
        try:
            self.carry_out()
        finally:
            connection.close()


_tasks: dict[str, Task] = {}
_lock = threading.Lock()


def begin(task: Task, patience_s: float) -> Task:
    """Begin it, and wait so long for its end."""
    now = time.monotonic()
    with _lock:
        for key in [key for key, row in _tasks.items() if row.done and now - row.ended > KEPT_S]:
            del _tasks[key]
        _tasks[task.key] = task
    task.start()
    task.join(patience_s)
    return task


def find(key: str, who: int) -> Task | None:
    """Somebody's piece of work; None where it is not theirs, was told already, or another process had it."""
    task = _tasks.get(key)
    return task if task is not None and task.who == who else None


def told(task: Task) -> None:
    """Its end was told: it is forgotten."""
    with _lock:
        _tasks.pop(task.key, None)
