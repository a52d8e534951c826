"""What to do next: tests by what they tell, repairs by what they cost, and when to stop."""

from gumshoe.core.planning.next_test import Costs, Proposal, expected_fix_cost, propose
from gumshoe.core.planning.stop import Standing, standing
from gumshoe.core.planning.strategies import Outlook, Strategy, in_order_of, outlooks, what_is_here

__all__ = [
    "Costs",
    "Outlook",
    "Proposal",
    "Standing",
    "Strategy",
    "expected_fix_cost",
    "in_order_of",
    "outlooks",
    "propose",
    "standing",
    "what_is_here",
]
