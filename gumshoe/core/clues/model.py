"""One clue: a value of a variable, with its weight, its family and its source record."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from gumshoe.core.clues.misfire_seen import MisfireSeen


class ClueKind(StrEnum):
    """How a clue's likelihood is found."""

    CODE = "code"
    SYMPTOM = "symptom"
    GRADED = "graded"
    TEST = "test"
    REPAIR = "repair"


class Presence(StrEnum):
    """Whether a code or a symptom is there."""

    PRESENT = "present"
    ABSENT = "absent"


@dataclass(frozen=True)
class Clue:
    """``variable`` names a code, symptom, graded variable, test or repair; ``value`` its bin, outcome, ``present``,
    ``absent`` or ``failed``. ``weight`` tempers the log-likelihood (1 whole, 0 nothing). ``explained``: chance that a
    cause already known (work done, a flat battery) sets it by itself; ``explained_by`` says which. ``seen``: of a
    misfire, all that was seen of it; ``given``: as much of it as another clue has told already. ``stands_for``: the
    test, and its outcome, that a finding by hand is as good as. ``brought``: a complaint that the car was brought in
    for, since no code is on record. ``about``: of an absent code, what it would be about: of several that say the same
    thing a control unit sets one."""

    kind: ClueKind
    variable: str
    value: str
    words: str
    family: str
    source: str = ""
    at: str = ""
    weight: float = 1.0
    explained: float = 0.0
    explained_by: str = ""
    doubtful: bool = False
    seen: MisfireSeen | None = None
    given: MisfireSeen | None = None
    stands_for: tuple[str, str] | None = None
    brought: bool = False
    about: str = ""

    @property
    def result(self) -> tuple[str, str] | None:
        """The test and its outcome, where it is one or as good as one."""
        return (self.variable, self.value) if self.kind is ClueKind.TEST else self.stands_for

    @property
    def id(self) -> str:
        """Stable name of this piece of evidence, for marking it doubtful."""
        return f"{self.kind}:{self.variable}:{self.source}"
