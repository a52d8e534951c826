"""Hand tests that are arithmetic: what is typed, the formula, the limit with its standing, and what it comes to."""

from gumshoe.core.handtests.catalogue import hand_tests, hand_tests_for, values_of, work_out
from gumshoe.core.handtests.rows import HandTestRow, Worked

__all__ = ["HandTestRow", "Worked", "hand_tests", "hand_tests_for", "values_of", "work_out"]
