"""What to do next: tests by what they tell, repairs by what they cost, and when to stop."""

from gumshoe.core.planning.next_test import Costs, Proposal, expected_fix_cost, propose
from gumshoe.core.planning.stop import Standing, standing

__all__ = ["Costs", "Proposal", "Standing", "expected_fix_cost", "propose", "standing"]
