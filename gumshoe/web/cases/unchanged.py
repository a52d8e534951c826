"""What follows from a case is worked out once for each state it is in: nothing that was entered since, nothing that was
changed at its vehicle or in the shop. A page that is looked at again then costs hardly anything.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from functools import wraps
from threading import Lock
from typing import Any, Generic, TypeVar

from django.db.models.signals import post_save
from django.utils import timezone

from gumshoe.web.cases.models import Case, State
from gumshoe.web.kit.memo import fresh, once, only_reads
from gumshoe.web.kit.ports import Port
from gumshoe.web.vehicles.models import Vehicle

R = TypeVar("R")
shop_is: Port[[], str] = Port("the state of everything beyond a case that its judgement rests on")


@once
def state_of(case: Case) -> int:
    """The number of the state a case is in now, as it stands in the database; while a page is only read, as it stood
    when the case was found."""
    joined = case._state.fields_cache.get("state") if only_reads() else None
    found = joined.number if isinstance(joined, State) else _number(case)
    return State.objects.get_or_create(case_id=case.pk)[0].number if found is None else found


def _number(case: Case) -> int | None:
    return State.objects.filter(case_id=case.pk).values_list("number", flat=True).first()


class Unchanged(Generic[R]):
    """Answers about cases, each kept while nothing that bears on its case changes; of so many, the one longest not
    asked for goes first."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._held: OrderedDict[Hashable, R] = OrderedDict()
        self._lock = Lock()

    def key(self, case: Case) -> Hashable:
        """The state a case is in, to be asked for before anything else is read of it: what comes in meanwhile has
        another, under which nothing is kept."""
        return case.pk, state_of(case), shop_is(), case.closed_at, timezone.localdate()

    def known(self, key: Hashable) -> R | None:
        """What is kept for that state."""
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
            return self._held.get(key)

    def keep(self, key: Hashable, answer: R) -> R:
        """Keep an answer, which must not be changed from here on."""
        with self._lock:
            self._held[key] = answer
            while len(self._held) > self._most:
                self._held.popitem(last=False)
        return answer


def while_unchanged(most: int) -> Callable[[Callable[[Case], R]], Callable[[Case], R]]:
    """A function of a case whose answer, never None, is kept over requests while nothing that bears on the case
    changes."""

    def keep(find: Callable[[Case], R]) -> Callable[[Case], R]:
        held = Unchanged[R](most)

        @wraps(find)
        def found(case: Case) -> R:
            key = held.key(case)
            known = held.known(key)
            return held.keep(key, find(case)) if known is None else known

        return found

    return keep


def changed(instance: Any, **_: Any) -> None:
    """A vehicle was changed: so were its cases."""
    if isinstance(instance, Vehicle):
        State.objects.filter(case__vehicle_id=instance.pk).update(number=fresh())


post_save.connect(changed, dispatch_uid="state of its cases")
