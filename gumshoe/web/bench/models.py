"""Recorded tests."""

from __future__ import annotations

from django.db import models

from gumshoe.web.cases.evidence import Evidence


class TestRecord(Evidence):
    """One test with its readings and the verdict computed from them; a later one of the same test supersedes it."""

    __test__ = False

    test = models.CharField(max_length=60)
    readings = models.JSONField(default=dict)
    outcome = models.CharField(max_length=40)
    note = models.CharField(max_length=300, blank=True)
