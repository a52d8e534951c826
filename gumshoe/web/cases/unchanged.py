"""What follows from a case is worked out once for each state it is in: nothing that was entered since, nothing that was
changed at its vehicle or in the shop. A page that is looked at again then costs hardly anything.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from functools import wraps
from threading import Lock
from typing import Any, TypeVar

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


def while_unchanged(most: int) -> Callable[[Callable[[Case], R]], Callable[[Case], R]]:
    """A function of a case whose answer is kept while nothing that bears on the case changes, over requests; of so many
    cases, the one longest not asked for goes first. What it returns must not be changed by the caller."""

    def keep(find: Callable[[Case], R]) -> Callable[[Case], R]:
        held: OrderedDict[Hashable, R] = OrderedDict()
        lock = Lock()

        @wraps(find)
        def found(case: Case) -> R:
            state = state_of(case)
            key = (case.pk, state, shop_is(), case.closed_at, timezone.localdate())
            with lock:
                if key in held:
                    held.move_to_end(key)
                    return held[key]
            # The state was read before anything else: what comes in meanwhile has another, under which nothing is kept.
            answer = find(case)
            with lock:
                held[key] = answer
                while len(held) > most:
                    held.popitem(last=False)
            return answer

        return found

    return keep


def changed(instance: Any, **_: Any) -> None:
    """A vehicle was changed: so were its cases."""
    if isinstance(instance, Vehicle):
        State.objects.filter(case__vehicle_id=instance.pk).update(number=fresh())


post_save.connect(changed, dispatch_uid="state of its cases")
