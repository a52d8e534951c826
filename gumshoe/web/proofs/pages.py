"""The pages of proofs: what each shows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar

from gumshoe.core.knowledge.proof_rows import CircumstanceRow
from gumshoe.core.proof.drive_plan import DrivePlan
from gumshoe.core.proof.exposure import Curve
from gumshoe.web.clearing.aftercare import Asked
from gumshoe.web.clearing.models import Clearing
from gumshoe.web.kit.pages import Page
from gumshoe.web.live.models import Recording
from gumshoe.web.proofs.models import FollowUp, HandTried, Judgement, Recurrence
from gumshoe.web.proofs.services import ReadinessRow


@dataclass(frozen=True, kw_only=True)
class ProvePage(Page):
    """What ``proofs/prove.html`` shows; nothing but that where nothing was cleared or left to the control unit."""

    TEMPLATE: ClassVar[str] = "proofs/prove.html"
    clearing: Clearing | None
    drive: DrivePlan | None = None
    cautions: Sequence[str] = ()
    needs_words: Sequence[tuple[str, str]] = ()
    coverage: Mapping[str, Any] = field(default_factory=dict)
    curve: Curve | None = None
    chart: Mapping[str, Any] | None = None
    belief_from: str = ""
    recurrence: Recurrence | None = None
    units: Sequence[str] = ()
    readiness: Sequence[ReadinessRow] = ()
    permanent: str = ""
    procedures: Sequence[Asked] = ()
    by_hand: Sequence[tuple[CircumstanceRow, HandTried | None]] = ()
    whys: Mapping[str, str] = field(default_factory=dict)
    follow_up: FollowUp | None = None
    recordings: Sequence[Recording] = ()
    state: Mapping[str, Any] = field(default_factory=dict)
    judgements: Sequence[Judgement] = ()
    setup: Mapping[str, Any] = field(default_factory=dict)
