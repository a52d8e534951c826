"""Closing a case: what is left is looked at first, and said."""

from __future__ import annotations

from dataclasses import dataclass

from django.utils import timezone

from gumshoe.core.errors import BadInput
from gumshoe.core.proof.tracker import ProofVerdict
from gumshoe.web.accounts.models import User
from gumshoe.web.cases.crew import waiting_of
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.ledger import ends
from gumshoe.web.proposal import services as offering
from gumshoe.web.proposal.models import Answer
from gumshoe.web.reports.models import Closing


@dataclass(frozen=True)
class Left:
    """Something that is left; ``hard``: nobody closes a case over it."""

    words: str
    hard: bool = False


def left_in(case: Case) -> list[Left]:
    """What is left in a case, the hard first; nothing in a closed one, nor in an exercise, which is ended instead."""
    if case.practice or case.closed_at is not None:
        return []
    found = [Left(f"still to be put back: {words}", hard=True) for words in ends.open_ends(case)]
    rows = offering.proposed(case)
    found += [Left(f"not answered by the customer: {row.line.words}") for row in rows if row.open]
    found += [
        Left(f"approved and not done: {row.line.words}")
        for row in rows
        if row.answer is not None and row.answer.kind == Answer.Kind.APPROVED and not row.done
    ]
    waiting = waiting_of(case)
    if waiting is not None:
        found.append(Left(f"waits for {waiting.get_what_display()} {waiting.note}".strip()))
    judgement = case.judgements.last()
    proven = judgement is not None and judgement.verdict == ProofVerdict.PROVEN
    if case.works.exists() and not proven and case.followups.last() is None:
        found.append(Left("the repair is not proven, and no day is set to look again"))
    return found


@in_turn()
def close(case: Case, user: User, reason: str = "") -> Closing:
    """Close the case. Raises BadInput when it is closed already, while a loose end is open, or where something else is
    left and nobody says why it is closed all the same."""
    Closing.fits(case)
    if case.closed_at is not None:
        raise BadInput("The case is closed already.")
    left = left_in(case)
    if any(item.hard for item in left):
        ends.refuse_while_open(case)
    if left and not reason.strip():
        raise BadInput(
            f"Something is left: {'; '.join(item.words for item in left)}.",
            remedies=("see to it", "or say why the case is closed all the same"),
        )
    entry = Closing.objects.create(case=case, by=user, reason=reason.strip(), left=[item.words for item in left])
    case.closed_at = timezone.now()
    case.save(update_fields=["closed_at"])
    return entry
