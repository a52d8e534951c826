"""The shapes of what entries store beyond plain columns, each with its version (``core/stored.py``).

A shape that changes: describe the new one, and give ``shape`` the upgrade from the one before.
"""

from __future__ import annotations

from typing import Any

from gumshoe.core.knowledge.renamed import present
from gumshoe.core.stored import shape

Plain = dict[str, Any]


def _present(names: list[str]) -> list[str]:
    return [present(name) for name in names]


TEXTS = shape("list of texts", list[str])
SYMPTOMS = shape("symptoms", list[str], _present)
CYLINDERS = shape("cylinders", list[int])
DOCUMENT = shape("imported case file", Plain)
ENTRIES = shape("entries of an imported case", dict[str, list[int]])
SNAPSHOT = shape("scan", Plain | None)
CHANNELS = shape("channels of a recording", Plain)
READINGS = shape("readings of a test", dict[str, float | str])
JUMPERS = shape("jumpers", list[tuple[str, str]])
TYPED = shape("what was typed for a hand test", Plain)
FIGURES = shape("figures of a hand test", list[Any])
SAMPLES = shape("samples of a command", list[Any])
MEASURED = shape("what a trace measures", Plain)
REASONS = shape("reasons", list[Any])
CONDITIONS = shape("check list", list[Plain])
ASKED = shape("conditions of a procedure", list[list[Any]])
MODULES = shape("modules that were cleared", list[Plain])
STROKES = shape("strokes of a signature", list[list[tuple[int, int]]])
STRIPS = shape("strips", list[Any])
