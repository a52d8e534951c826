"""Evidence becomes clues: what was seen, which way it points, and where it stands on record."""

from gumshoe.core.clues.extract import CodeSeen, Evidence, TestOutcome, extract
from gumshoe.core.clues.model import Clue, ClueKind

__all__ = ["Clue", "ClueKind", "CodeSeen", "Evidence", "TestOutcome", "extract"]
