"""The pages of papers: what each shows."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import ClassVar

from gumshoe.core.clues import Told
from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.systems import SystemRow
from gumshoe.core.maps.engine import EngineMap
from gumshoe.core.maps.system import SystemMap
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.web.kit.pages import Page
from gumshoe.web.library.models import HeardRate, Note, ShopCode
from gumshoe.web.papers.papers import Papers
from gumshoe.web.vehicles.forms import PowertrainForm


@dataclass(frozen=True, kw_only=True)
class PowertrainPage(Page):
    """What ``papers/powertrain.html`` shows."""

    TEMPLATE: ClassVar[str] = "papers/powertrain.html"
    form: PowertrainForm
    presets: list[tuple[str, str]]
    origin: str
    shown: Powertrain
    map: EngineMap
    counts: dict[str, int]
    caution_text: str
    told: tuple[Told, ...] = ()
    from_preset: str = ""
    trouble: BadInput | None = None


@dataclass(frozen=True, kw_only=True)
class SystemPage(Page):
    """What ``papers/system.html`` shows."""

    TEMPLATE: ClassVar[str] = "papers/system.html"
    system: SystemRow
    systems: list[tuple[str, str, tuple[str, ...]]]
    map: SystemMap
    titles: dict[str, str]
    notes: list[Note]
    powertrain: Powertrain


@dataclass(frozen=True, kw_only=True)
class PapersPage(Page):
    """What ``papers/papers.html`` shows."""

    TEMPLATE: ClassVar[str] = "papers/papers.html"
    papers: Papers


@dataclass(frozen=True, kw_only=True)
class NotesPage(Page):
    """What ``papers/notes.html`` shows."""

    TEMPLATE: ClassVar[str] = "papers/notes.html"
    notes: Iterable[Note]
    codes: Iterable[ShopCode]
    heard: Iterable[HeardRate]
    suspects: list[tuple[str, str]]
    suspect_words: dict[str, str]
    kinds: list[tuple[str, str]]
    note_kinds: list[tuple[str, str]]
    components: list[tuple[str, str]]
    unknown: list[str]
    platform: str
    trouble: BadInput | None = None
    entered: Mapping[str, str] | None = None
