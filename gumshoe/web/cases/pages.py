"""The pages of cases: what each shows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from gumshoe.core.suspects.driving import DriveAdvice
from gumshoe.web.cases.forms import ComplaintForm, NewCaseForm
from gumshoe.web.cases.models import Complaint
from gumshoe.web.kit.pages import Page
from gumshoe.web.vehicles.models import Vehicle


@dataclass(frozen=True, kw_only=True)
class ComplaintPage(Page):
    """What ``cases/complaint.html`` shows."""

    TEMPLATE: ClassVar[str] = "cases/complaint.html"
    form: ComplaintForm
    groups: list[tuple[str, list[Any], list[Any]]]
    latest: Complaint | None
    advice: DriveAdvice | None
    earlier: list[Complaint]


@dataclass(frozen=True, kw_only=True)
class NewPage(Page):
    """What ``cases/new.html`` shows."""

    TEMPLATE: ClassVar[str] = "cases/new.html"
    form: NewCaseForm
    text: str
    here: list[Vehicle]


@dataclass(frozen=True, kw_only=True)
class HerePage(Page):
    """What ``cases/here.html`` shows: vehicles on file to choose from."""

    TEMPLATE: ClassVar[str] = "cases/here.html"
    text: str
    here: list[Vehicle]
