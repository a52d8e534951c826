"""Kind of evidence: hints that were asked for in an exercise."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from gumshoe.web.cases.models import Case
from gumshoe.web.cases.registry import ROWS, Kind, Section, register
from gumshoe.web.practice.models import Hint


def _filed(case: Case) -> Mapping[str, Any]:
    rows = [(row.words, row) for row in case.hints.select_related("by")]
    return {"title": "Hints asked for", "rows": rows}


register(Kind(name="hints", models=(Hint,), sections=(Section(95, ROWS, _filed),)))
