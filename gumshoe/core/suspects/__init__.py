"""Which faults explain the clues: exact posterior over sets of up to three, and the evidence matrix."""

from gumshoe.core.suspects.posterior import Assessment, Ruling, Suspect, assess

__all__ = ["Assessment", "Ruling", "Suspect", "assess"]
