"""What a judgement rests on: everything known of a case, as plain values."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from hashlib import sha256

from gumshoe.core.clues import OnRecord
from gumshoe.core.codes import CodeState
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.values import Climate
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.planning import Costs, Strategy
from gumshoe.core.proof.tracker import ProofVerdict
from gumshoe.core.suspects.driving import Mended


@dataclass(frozen=True)
class Grounds:
    """The evidence of a case with what else bears on it.

    ``snapshot``: the scan that tells, None where nothing was read; ``asked_lamp``: out, steady or flashing, as the
    customer said; ``learned``: factors on the base rates from the shop's own repairs, by suspect; ``lacks``: equipment
    this shop has not; ``way``: the way to work; ``mended``: how far the work is.
    """

    knowledge: Knowledge = field(repr=False)
    evidence: OnRecord
    snapshot: Snapshot | None = None
    asked_lamp: str = ""
    odometer_km: float | None = None
    age_years: float | None = None
    climate: Climate = Climate.TEMPERATE
    ruled_out: tuple[str, ...] = ()
    own: tuple[str, ...] = ()
    learned: tuple[tuple[str, float], ...] = ()
    costs: Costs = field(default_factory=Costs)
    lacks: frozenset[str] = frozenset()
    way: Strategy = Strategy.TELLING
    mended: Mended = Mended.NO

    @property
    def key(self) -> tuple[int, bytes]:
        """Two grounds with the same key lead to the same judgement (the knowledge counts by identity)."""
        return id(self.knowledge), sha256(repr(self).encode()).digest()


def mended_by(proof: str | None) -> Mended:
    """How far work is that was done and cleared, by the verdict of its proof; None where nobody has judged it yet."""
    if proof == ProofVerdict.CAME_BACK:
        return Mended.NO
    return Mended.PROVEN if proof == ProofVerdict.PROVEN else Mended.UNPROVEN


def telling(newest_first: Iterable[Snapshot]) -> int | None:
    """Which of the scans (the newest first) the reasoning looks at, by its place: the newest that holds confirmed or
    pending codes, else the newest. One made right after clearing is empty by the tool's own doing and says nothing of
    the fault. None where there is none."""
    scans = list(newest_first)
    holding = (place for place, item in enumerate(scans) if item.codes_in(CodeState.CONFIRMED, CodeState.PENDING))
    return next(holding, 0 if scans else None)
