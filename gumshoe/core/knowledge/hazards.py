"""Cautions that follow from how a test is made, whatever its row says: nobody has to remember to write them.

Common practice, no source; the maker's service information comes first.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from gumshoe.core.knowledge.parts import Component
from gumshoe.core.knowledge.rows import TestRow
from gumshoe.core.powertrain.description import Powertrain

RUNNING = ("carbon_monoxide", "rotating")
CRANKING = ("cranking", "rotating")
INJECTOR_CLASS, HIGH_PRESSURE, PORT = "injector", "high-pressure injection", "port injection"


def with_usual_cautions(row: TestRow, parts: Mapping[str, Component], powertrain: Powertrain) -> TestRow:
    """The test with the cautions of a running or cranked engine, of driven injectors, and of this powertrain; those of
    the row itself first."""
    more = [*row.cautions]
    if "running" in row.needs:
        more += RUNNING
    if row.cranks:
        more += CRANKING
    if HIGH_PRESSURE in powertrain.features and _at_injectors(row, parts):
        more.append("injector_voltage")
    if powertrain.caution:
        more.append(powertrain.caution)
    return replace(row, cautions=tuple(dict.fromkeys(more)))


def _at_injectors(row: TestRow, parts: Mapping[str, Component]) -> bool:
    """Whether the test touches plugs or wires of injectors."""
    checked = parts.get(row.checks)
    return INJECTOR_CLASS in row.at or (checked is not None and checked.row.id == INJECTOR_CLASS)
