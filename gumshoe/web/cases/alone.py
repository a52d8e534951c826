"""One person at a time: what checks and then acts on a case is one step, even when two press at once.

The application is one process (docs/decisions), so a lock of the process is enough; what must survive the process is
in the database.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager

from gumshoe.core.errors import BadInput
from gumshoe.web.accounts.models import User
from gumshoe.web.cases.models import Case

_held: dict[tuple[int, str], str] = {}
_lock = threading.Lock()


@contextmanager
def alone(case: Case, what: str, busy: str, who: User) -> Iterator[None]:
    """Hold ``what`` of a case for as long as the block runs. Raises BadInput with the words ``busy`` and whoever holds
    it, when somebody does: nobody waits, since what he then did would be done twice."""
    key = case.pk, what
    with _lock:
        if key in _held:
            raise has_it(busy, _held[key])
        _held[key] = str(who)
    try:
        yield
    finally:
        with _lock:
            _held.pop(key, None)


def has_it(busy: str, who: object) -> BadInput:
    """What somebody is told who comes second: what runs, and who began it."""
    return BadInput(
        f"{busy.rstrip('.')}, by {who}.",
        kept="Nothing was done a second time.",
        remedies=("wait for its end, or ask who has it to stop it",),
    )
