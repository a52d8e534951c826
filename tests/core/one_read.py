"""A case file with one read of one engine's control unit."""

from __future__ import annotations

import json
from typing import Any

from gumshoe.core.casefile import read_case
from gumshoe.core.casefile.assess import CaseAssessment, assess_file


def assessed(
    powertrain: dict[str, Any],
    codes: tuple[str, ...] = (),
    said: tuple[str, ...] = (),
    lamp: str = "steady",
    tests: dict[str, str] | None = None,
    values: dict[str, float] | None = None,
    **more: Any,
) -> CaseAssessment:
    """What follows from it. ``values``: of its live data; ``more``: what else its answer holds."""
    module = {
        "responder": 2024,
        "name": "engine",
        "codes": [{"code": code, "state": "confirmed"} for code in codes],
        "frames": [],
        "values": values or {},
        **more,
    }
    scan = {"taken_at": "2024-03-12T09:10:00Z", "addressing": "11 bit", "modules": [module], "problems": []}
    document = {
        "format": "gumshoe-case",
        "version": 1,
        "powertrain": powertrain,
        "complaint": {"text": "", "symptoms": list(said), "lamp": lamp},
        "scans": [scan],
        "tests": [{"test": name, "outcome": outcome} for name, outcome in (tests or {}).items()],
    }
    return assess_file(read_case(json.dumps(document)))
