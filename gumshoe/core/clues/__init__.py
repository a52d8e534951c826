"""Evidence becomes clues: what was seen, which way it points, and where it stands on record."""

from gumshoe.core.clues.described import Told, told_by_bus
from gumshoe.core.clues.extract import extract, outdated_tests
from gumshoe.core.clues.known import KnownCause, explained_by
from gumshoe.core.clues.misfire import MisfireReading, read_misfire
from gumshoe.core.clues.model import Clue, ClueKind, Presence
from gumshoe.core.clues.notes import scan_notes
from gumshoe.core.clues.record import FoundDead, OnRecord, TestOutcome
from gumshoe.core.clues.unknown import unknown_entries

__all__ = [
    "Clue",
    "ClueKind",
    "FoundDead",
    "KnownCause",
    "MisfireReading",
    "OnRecord",
    "Presence",
    "TestOutcome",
    "Told",
    "explained_by",
    "extract",
    "outdated_tests",
    "read_misfire",
    "scan_notes",
    "told_by_bus",
    "unknown_entries",
]
