"""One person at a time: what checks and then acts on a case is one step, even when two press at once.

The application is one process (docs/decisions), so a lock of the process is enough; what must survive the process is
in the database.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager

from gumshoe.core.errors import BadInput
from gumshoe.web.cases.models import Case

_held: set[tuple[int, str]] = set()
_lock = threading.Lock()


@contextmanager
def alone(case: Case, what: str, busy: str) -> Iterator[None]:
    """Hold ``what`` of a case for as long as the block runs. Raises BadInput with the words ``busy`` when somebody else
    holds it: nobody waits, since what he then did would be done twice."""
    key = case.pk, what
    with _lock:
        if key in _held:
            raise BadInput(busy, kept="Nothing was done a second time.", remedies=("wait for it, then look again",))
        _held.add(key)
    try:
        yield
    finally:
        with _lock:
            _held.discard(key)
