"""What to do next: tests by what they tell, repairs by what they cost, and when to stop."""

from gumshoe.core.planning.next_action import (
    Act,
    NextAction,
    cheapest_proof,
    look_first,
    make_again,
    next_action,
    somebody_pointed_at,
)
from gumshoe.core.planning.next_test import Costs, Proposal, expected_fix_cost, propose
from gumshoe.core.planning.stop import Standing, standing
from gumshoe.core.planning.strategies import (
    Outlook,
    Step,
    Strategy,
    Worth,
    best_step,
    in_order_of,
    outlooks,
    what_is_here,
    worth_of,
)

__all__ = [
    "Act",
    "Costs",
    "NextAction",
    "Outlook",
    "Proposal",
    "Standing",
    "Step",
    "Strategy",
    "Worth",
    "best_step",
    "cheapest_proof",
    "expected_fix_cost",
    "in_order_of",
    "look_first",
    "make_again",
    "next_action",
    "outlooks",
    "propose",
    "somebody_pointed_at",
    "standing",
    "what_is_here",
    "worth_of",
]
