"""The work on the car: what to offer, what to lay out, what a repair asks for afterwards."""

from gumshoe.core.work.procedures import Condition, Needed, needed_after, readiness

__all__ = ["Condition", "Needed", "needed_after", "readiness"]
