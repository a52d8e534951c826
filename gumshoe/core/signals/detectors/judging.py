"""Every rule on one recording."""

from __future__ import annotations

from dataclasses import dataclass

from gumshoe.core.signals.detectors import air, engine, exhaust
from gumshoe.core.signals.detectors.model import Context, Finding, Grid, Missing
from gumshoe.core.signals.recording import Recording

RULES = (*air.RULES, *exhaust.RULES, *engine.RULES)


@dataclass(frozen=True)
class Judged:
    """What the rules saw, those that could not speak for want of channels, and those that the recording never gave an
    occasion to speak."""

    findings: tuple[Finding, ...]
    missing: tuple[Missing, ...]
    silent: tuple[str, ...]


def judge_recording(recording: Recording, context: Context) -> Judged:
    """Judge a recording by every rule that fits its car. ``recording`` holds its derived channels."""
    grid = Grid(recording)
    findings: list[Finding] = []
    missing: list[Missing] = []
    silent: list[str] = []
    for rule in RULES:
        if not rule.fits(context.powertrain):
            continue
        lacks = rule.missing(recording)
        if lacks:
            missing.append(Missing(rule.id, rule.words, lacks, rule.instead))
            continue
        found = list(rule.judge(grid, context)) if len(grid.times) > 1 else []
        findings += found
        if not found:
            silent.append(rule.words)
    return Judged(tuple(sorted(findings, key=lambda row: (row.good, row.begin))), tuple(missing), tuple(silent))
