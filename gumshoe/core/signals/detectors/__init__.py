"""What a recording shows by itself: rules over operating regions, each with the stretch that shows it."""

from gumshoe.core.signals.detectors.judging import Judged, judge_recording
from gumshoe.core.signals.detectors.model import Context, Finding, Grid, Missing, Rule

__all__ = ["Context", "Finding", "Grid", "Judged", "Missing", "Rule", "judge_recording"]
