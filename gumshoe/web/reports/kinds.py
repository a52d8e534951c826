"""Kind of evidence: mail that went out."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from gumshoe.web.cases.models import Case
from gumshoe.web.cases.registry import Kind, Section, register
from gumshoe.web.reports.models import Closing, Mail


def _filed(case: Case) -> Mapping[str, Any]:
    return {"mails": case.mails.select_related("by")}


register(Kind(name="mail", models=(Mail,), sections=(Section(110, "reports/filed.html", _filed),)))


def _closed(case: Case) -> Mapping[str, Any]:
    return {"closings": case.closings.select_related("by")}


register(Kind(name="closing", models=(Closing,), sections=(Section(122, "reports/filed_closing.html", _closed),)))
