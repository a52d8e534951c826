"""The work on the car: what to offer, what to lay out, what a repair asks for afterwards."""

from gumshoe.core.work.procedures import Needed, Precondition, needed_after, readiness

__all__ = ["Needed", "Precondition", "needed_after", "readiness"]
