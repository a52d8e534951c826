"""Powertrains to begin a description with."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter, ValidationError

from gumshoe.core.errors import BadInput, DataError
from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.knowledge.values import Row, Words
from gumshoe.core.powertrain.description import Powertrain, usual

_POWERTRAIN = TypeAdapter(Powertrain)


@dataclass(frozen=True)
class PresetRow(Row):
    """A kind of engine: its words, and the facts that differ from the usual."""

    id: str
    words: Words
    powertrain: dict[str, Any]


@dataclass(frozen=True)
class PresetsFile(Row):
    preset: tuple[PresetRow, ...]


@cache
def presets() -> dict[str, tuple[str, Powertrain]]:
    """Each preset's words and powertrain, by id. Raises DataError when one contradicts itself."""
    rows = load_table(Path(__file__).parent / "presets.toml", PresetsFile).preset
    found = {}
    for row in rows:
        try:
            found[row.id] = (row.words, describe(row.powertrain))
        except BadInput as error:
            raise DataError(f"presets.toml: {row.id}: {error.what}") from error
    return found


def describe(facts: dict[str, Any]) -> Powertrain:
    """A powertrain from plain facts, the rest as usual. Raises BadInput naming the fact that cannot be."""
    try:
        return _POWERTRAIN.validate_python(usual(facts))
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(part) for part in first["loc"]) or "powertrain"
        raise BadInput(
            f"{place.replace('_', ' ')}: {first['msg']}.", remedies=("choose one of the given words",)
        ) from error


def facts_of(powertrain: Powertrain) -> dict[str, Any]:
    """The plain facts of a powertrain, as they are stored."""
    found: dict[str, Any] = _POWERTRAIN.dump_python(powertrain, mode="json")
    return found
