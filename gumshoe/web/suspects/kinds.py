"""Kind of evidence: the technician's rulings."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime
from typing import Any

from gumshoe.core.clues import OnRecord
from gumshoe.core.judgement import Grounds
from gumshoe.web.cases.entries import entries
from gumshoe.web.cases.judging import judged
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.registry import Kind, Section, register
from gumshoe.web.suspects.models import Ruling
from gumshoe.web.suspects.rulings import subjects_of, way_of


def _tells(case: Case, found: OnRecord, _since: datetime | None) -> OnRecord:
    return replace(found, doubtful=frozenset(subjects_of(case, Ruling.Kind.DOUBT)))


def _bears(case: Case, grounds: Grounds) -> Grounds:
    out, own = subjects_of(case, Ruling.Kind.OUT), subjects_of(case, Ruling.Kind.OWN)
    return replace(grounds, ruled_out=out, own=own, way=way_of(case))


def _filed(case: Case) -> Mapping[str, Any]:
    return {"rulings": entries(case, "rulings"), "unknown": judged(case).unknown}


register(
    Kind(
        name="rulings",
        models=(Ruling,),
        tells=_tells,
        bears=_bears,
        sections=(Section(50, "suspects/filed.html", _filed),),
    )
)
