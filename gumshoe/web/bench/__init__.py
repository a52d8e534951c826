"""Guided tests: steps, readings, computed verdicts."""
