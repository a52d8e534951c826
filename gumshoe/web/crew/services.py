"""Who has a case and since when, what it waits for; handing over, waiting, going on."""

from __future__ import annotations

from datetime import date

from django.utils import timezone

from gumshoe.core.errors import BadInput
from gumshoe.web.accounts.models import User
from gumshoe.web.cases.crew import holder_of, waiting_of
from gumshoe.web.cases.models import Case, HandOver, Waiting
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.ledger import ends


@in_turn()
def hand_over(case: Case, by: User, to: User | None, done: str, next_: str, off: str) -> HandOver:
    """Give the case to somebody. Raises BadInput where nobody is named, or not what comes next."""
    if to is None or not to.is_active:
        raise BadInput("Who gets the case?", remedies=("choose somebody who works here",))
    if to.pk == holder_of(case).user.pk:
        raise BadInput(f"{to} has the case already.", remedies=("choose somebody else", "write a note instead"))
    if to.pk != by.pk and not next_.strip():
        raise BadInput("What comes next?", remedies=("one line for whoever goes on",))
    told = {"done": done.strip(), "next": next_.strip(), "off": off.strip()}
    return HandOver.objects.create(case=case, by=by, to=to, **told)


def take(case: Case, by: User) -> HandOver:
    """Take a case that somebody else has."""
    return hand_over(case, by, by, "", "", "")


def off_the_car(case: Case) -> str:
    """What is off the car, as the ledger has it."""
    return "; ".join(ends.open_ends(case))


@in_turn()
def wait_for(case: Case, by: User, what: str, until: date | None, note: str) -> Waiting:
    """The case waits for something, until a day where one is known. Raises BadInput for what it cannot wait for."""
    if what not in Waiting.What.values or what == Waiting.What.NOTHING:
        raise BadInput(
            "What does it wait for?", remedies=("a part, the customer, the owner's answer, a lift, the night",)
        )
    if until is not None and until < timezone.localdate():
        raise BadInput(f"{until:%d.%m.%Y} has passed.", remedies=("choose today or later, or leave the day out",))
    return Waiting.objects.create(case=case, by=by, what=what, until=until, note=note.strip())


def go_on(case: Case, by: User) -> Waiting:
    """It waits no longer. Raises BadInput where it does not wait."""
    if waiting_of(case) is None:
        raise BadInput("The case waits for nothing.")
    return Waiting.objects.create(case=case, by=by, what=Waiting.What.NOTHING)
