"""Recorded tests."""

from __future__ import annotations

from django.db import models

from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.fields import Named, Stored
from gumshoe.web.cases.shapes import FIGURES, JUMPERS, MEASURED, READINGS, SAMPLES, TEXTS, TYPED


class TestRecord(Evidence):
    """One test with its readings and the verdict computed from them; a later one of the same test supersedes it."""

    FOUND_BY = ("note",)

    __test__ = False

    test = Named(max_length=60)
    readings = Stored(READINGS, default=dict)
    outcome = models.CharField(max_length=40)
    note = models.CharField(max_length=300, blank=True)

    @property
    def counts(self) -> bool:
        """Whether nobody has withdrawn it."""
        return not hasattr(self, "withdrawn")


class TestWithdrawn(Evidence):
    """A test result that was wrong: it stays on record and counts no more."""

    __test__ = False

    record = models.OneToOneField(TestRecord, on_delete=models.PROTECT, related_name="withdrawn")
    reason = models.CharField(max_length=200)


class CircuitReading(Evidence):
    """One reading at a circuit of the case: where the leads were, how it stood, what was shown and the number it is."""

    component = Named(max_length=80)
    instrument = models.CharField(max_length=40)
    plus = models.CharField(max_length=80)
    minus = models.CharField(max_length=80, blank=True)
    command = models.FloatField(default=0.0)
    unplugged = Stored(TEXTS, default=list)
    jumpers = Stored(JUMPERS, default=list)
    alone = models.CharField(max_length=80, blank=True, default="")
    value = models.FloatField()
    shown = models.CharField(max_length=20)


class CircuitDoubt(Evidence):
    """A reading that no longer counts, or counts again (``back``); the newest of a reading holds."""

    reading = models.ForeignKey(CircuitReading, on_delete=models.PROTECT, related_name="doubts")
    back = models.BooleanField(default=False)


class CircuitConclusion(Evidence):
    """What the readings at a circuit came to, with those it rests on and the test record that makes it a clue."""

    FOUND_BY = ("words",)

    component = Named(max_length=80)
    of = models.CharField(max_length=80, blank=True)
    outcome = models.CharField(max_length=40)
    probability = models.FloatField()
    words = models.CharField(max_length=600)
    readings = models.ManyToManyField(CircuitReading, related_name="conclusions")
    record = models.ForeignKey(TestRecord, on_delete=models.PROTECT, null=True, related_name="+")


class HandMeasurement(Evidence):
    """A hand test that is arithmetic: what was typed, what it came to, and the guided test it was recorded as."""

    FOUND_BY = ("words",)

    test = models.CharField(max_length=40)
    typed = Stored(TYPED, default=dict)
    figures = Stored(FIGURES, default=list)
    verdict = models.CharField(max_length=30)
    words = models.CharField(max_length=400)
    record = models.ForeignKey(TestRecord, on_delete=models.PROTECT, null=True, related_name="+")


class CommandRun(Evidence):
    """An actuator commanded: the steps and what came back, how it ended and what it says. ``record``: the guided test
    that it amounts to."""

    actuator = models.CharField(max_length=60)
    samples = Stored(SAMPLES, default=list)
    ended = models.CharField(max_length=200)
    verdict = models.CharField(max_length=40)
    words = models.CharField(max_length=300)
    record = models.OneToOneField(TestRecord, models.PROTECT, null=True, related_name="command")


class ScopeTrace(Evidence):
    """One channel of an oscilloscope: its samples (times in s and values, 32 bit floats, packed) and what they
    measure."""

    label = models.CharField(max_length=120)
    unit = models.CharField(max_length=10)
    count = models.PositiveIntegerField()
    packed = models.BinaryField()
    measured = Stored(MEASURED, default=dict)
