"""What bears on a case beyond its own evidence: what the shop has learnt."""

from __future__ import annotations

from dataclasses import replace

from gumshoe.core.judgement import Grounds
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.registry import Kind, register
from gumshoe.web.history.learned import learned_for


def _bears(case: Case, grounds: Grounds) -> Grounds:
    return replace(grounds, learned=tuple(sorted(learned_for(case).items())))


register(Kind(name="learnt by the shop", bears=_bears))
