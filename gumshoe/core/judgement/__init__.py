"""One judgement of a case for each state of its evidence: what every page says is taken from it."""

from gumshoe.core.judgement.grounds import Grounds, mended_by, telling
from gumshoe.core.judgement.grouped import Group, grouped, unordered
from gumshoe.core.judgement.judged import Judged, Kept

__all__ = ["Grounds", "Group", "Judged", "Kept", "grouped", "mended_by", "telling", "unordered"]
