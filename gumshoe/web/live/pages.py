"""The pages of live: what each shows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from gumshoe.core.knowledge.rows import TestRow
from gumshoe.core.signals.detectors.judging import Judged
from gumshoe.web.kit.pages import Page
from gumshoe.web.live.looking import Listed, Looking, Offered
from gumshoe.web.live.models import Recording, Reference
from gumshoe.web.live.recordings import Compared, Recorded, TrimReading
from gumshoe.web.live.services import Purpose


@dataclass(frozen=True, kw_only=True)
class ReplayPage(Page):
    """What ``live/replay.html`` shows."""

    TEMPLATE: ClassVar[str] = "live/replay.html"
    recording: Recording
    strips: list[dict[str, Any]]
    judged: Judged
    tests: dict[str, TestRow]
    names: dict[str, str]
    has_mdf: bool
    beside: Compared | None
    trouble: str
    good_ones: list[Reference]
    others: list[Recording]
    setup: dict[str, Any]


@dataclass(frozen=True, kw_only=True)
class LivePage(Page):
    """What ``live/live.html`` shows."""

    TEMPLATE: ClassVar[str] = "live/live.html"
    purposes: tuple[Purpose, ...]
    recorded: list[Recorded]
    trims: TrimReading | None
    shown: Looking
    strips: list[dict[str, Any]]
    setup: dict[str, Any]


@dataclass(frozen=True, kw_only=True)
class ChannelsPage(Page):
    """What ``live/channels.html`` shows. ``asked``: the car has told what it tells."""

    TEMPLATE: ClassVar[str] = "live/channels.html"
    trouble: str
    groups: list[tuple[str, list[Listed]]]
    presets: list[Offered]
    most: int
    asked: bool
