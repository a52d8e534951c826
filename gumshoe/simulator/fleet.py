"""The fleet of stand-ins, read from fleet.toml."""

from __future__ import annotations

import tomllib
from functools import cache
from pathlib import Path

from pydantic import TypeAdapter

from gumshoe.simulator.garage import StandIn


@cache
def fleet() -> dict[str, StandIn]:
    """Every stand-in by key. Raises pydantic's ValidationError when the file does not fit."""
    raw = tomllib.loads(Path(__file__).with_name("fleet.toml").read_text(encoding="utf-8"))
    rows = TypeAdapter(list[StandIn]).validate_python(raw["vehicle"])
    return {row.key: row for row in rows}
