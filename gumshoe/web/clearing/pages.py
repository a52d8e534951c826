"""The pages of clearing: what each shows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from gumshoe.core.knowledge.rows import RoutineRow
from gumshoe.core.proof.clear_guard import AtOnce, ClearCheck
from gumshoe.core.proof.provoked import Found, Provoked
from gumshoe.core.work.procedures import Needed, Precondition
from gumshoe.web.clearing.aftercare import Asked
from gumshoe.web.clearing.models import Clearing, ProcedureRun
from gumshoe.web.clearing.services import ModuleCodes, Triage, Unfinished
from gumshoe.web.kit.pages import Page
from gumshoe.web.ledger.panel import Ledger


@dataclass(frozen=True, kw_only=True)
class ClearPage(Page):
    """What ``clearing/clear.html`` shows."""

    TEMPLATE: ClassVar[str] = "clearing/clear.html"
    check: ClearCheck
    guard: str
    seen: int
    unfinished: list[Unfinished]
    modules: list[ModuleCodes]
    clearings: list[tuple[Clearing, tuple[AtOnce, ...]]]
    triages: list[Triage]
    worked: bool
    foretold: list[Provoked]
    found: tuple[Found, ...]
    procedures: list[Asked]
    ledger: Ledger


@dataclass(frozen=True, kw_only=True)
class ProcedurePage(Page):
    """What ``clearing/procedure.html`` shows."""

    TEMPLATE: ClassVar[str] = "clearing/procedure.html"
    need: Needed
    routine: RoutineRow | None
    conditions: tuple[Precondition, ...]
    ready: bool
    cautions: list[str]
    runs: list[ProcedureRun]
    setup: dict[str, str]
