"""The pages of reports: what each shows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from gumshoe.core.casefile.files import MAX_BYTES
from gumshoe.core.errors import GumshoeError
from gumshoe.web.kit.pages import Page
from gumshoe.web.reports.closing import Left
from gumshoe.web.reports.services import CustomerReport, TechnicalFile


@dataclass(frozen=True, kw_only=True)
class ReportPage(Page):
    """What ``reports/report.html`` shows."""

    TEMPLATE: ClassVar[str] = "reports/report.html"
    report: CustomerReport
    left: list[Left]


@dataclass(frozen=True, kw_only=True)
class LabelPage(Page):
    """What ``reports/label.html`` shows. ``code``: the address as a QR code, SVG made here; ``here_only``: no other
    machine can open it."""

    TEMPLATE: ClassVar[str] = "reports/label.html"
    address: str
    code: str
    here_only: bool


@dataclass(frozen=True, kw_only=True)
class FilePage(Page):
    """What ``reports/file.html`` shows."""

    TEMPLATE: ClassVar[str] = "reports/file.html"
    file: TechnicalFile


@dataclass(frozen=True, kw_only=True)
class ImportPage(Page):
    """What ``reports/import.html`` shows."""

    TEMPLATE: ClassVar[str] = "reports/import.html"
    limit_mb: int = MAX_BYTES // 1_000_000
    trouble: GumshoeError | None = None
