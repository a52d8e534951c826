"""Which channels a car can tell, how they share strips, and which strips belong to a symptom."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.knowledge.values import Channel, Feature, Row, StripName, TestName, Words
from gumshoe.core.obd.identifiers import IdentifierRow
from gumshoe.core.obd.pids import FieldKind, fields_by_key
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.signals.derived import derived_channels

FILE = Path(__file__).parent / "strips.toml"
MOST_STRIPS = 24


@dataclass(frozen=True)
class Told:
    """A channel: name, unit, how finely it is told, and where from (``service 01``, ``identifier``, ``computed``)."""

    key: str
    name: str
    unit: str
    step: float
    source: str


@dataclass(frozen=True)
class SeriesRow(Row):
    """One channel of a strip, and its label among the others."""

    key: Channel
    label: str = ""


@dataclass(frozen=True)
class StripRow(Row):
    """Channels that are looked at together."""

    id: str
    name: Words
    series: tuple[SeriesRow, ...]


@dataclass(frozen=True)
class InsteadRow(Row):
    """The hand test that replaces a strip which the car does not tell."""

    strip: StripName
    test: TestName


@dataclass(frozen=True)
class PresetRow(Row):
    """The strips of a symptom."""

    id: str
    words: Words
    strips: tuple[StripName, ...]
    instead: tuple[InsteadRow, ...] = ()


@dataclass(frozen=True)
class UsualRow(Row):
    """What one looks at when nothing was chosen, of powertrains with those features."""

    strips: tuple[StripName, ...]
    needs: tuple[Feature, ...] = ()


@dataclass(frozen=True)
class StripsFile(Row):
    """``strips.toml``."""

    strip: tuple[StripRow, ...]
    preset: tuple[PresetRow, ...]
    usual: tuple[UsualRow, ...]


@dataclass(frozen=True)
class Strip:
    """A strip as it is drawn: channels with their labels, one unit."""

    id: str
    name: str
    unit: str
    series: tuple[SeriesRow, ...]

    @property
    def keys(self) -> tuple[str, ...]:
        """The channels on it."""
        return tuple(item.key for item in self.series)


@cache
def strips_file() -> StripsFile:
    """Every strip and preset. Raises DataError with file and line."""
    return load_table(FILE, StripsFile)


def usual_strips(powertrain: Powertrain) -> tuple[str, ...]:
    """What one looks at when nothing was chosen: air as it is metered, mixture; a diesel's boost and filter."""
    return next(row.strips for row in strips_file().usual if set(row.needs) <= powertrain.features)


def channels_of(powertrain: Powertrain, identifiers: Iterable[IdentifierRow] = ()) -> dict[str, Told]:
    """Every channel that a car of this kind may tell, by key: service 01, its own identifiers, computed ones."""
    fields = (item for item in fields_by_key().values() if item.kind is FieldKind.NUMBER)
    found = {item.key: Told(item.key, item.name, item.unit, item.scale, "service 01") for item in fields}
    found |= {row.key: Told(row.key, row.name, row.unit, row.scale, "identifier") for row in identifiers}
    derived = derived_channels(powertrain)
    return found | {item.key: Told(item.key, item.name, item.unit, item.step, "computed") for item in derived}


def every_strip(powertrain: Powertrain, channels: Mapping[str, Told]) -> dict[str, Strip]:
    """The strips of this powertrain by id, and one for every channel that is on none."""
    found: dict[str, Strip] = {}
    placed: set[str] = set()
    for row in strips_file().strip:
        series: list[SeriesRow] = []
        for item in row.series:
            for key, label in _positions(item, powertrain):
                if key in channels and (not series or channels[series[0].key].unit == channels[key].unit):
                    series.append(SeriesRow(key, label))
        if series:
            alone = len(series) == 1
            shown = tuple(SeriesRow(item.key, "" if alone else item.label) for item in series)
            found[row.id] = Strip(row.id, row.name, channels[series[0].key].unit, shown)
            placed |= {item.key for item in series}
    for key, told in channels.items():
        if key not in placed:
            found[key] = Strip(key, told.name, told.unit, (SeriesRow(key),))
    return found


def needed_by(keys: Iterable[str], powertrain: Powertrain) -> set[str]:
    """What must be asked of the car for these channels: those that are computed stand on others."""
    derived = {item.key: item.needs for item in derived_channels(powertrain)}
    return {need for key in keys for need in derived.get(key, (key,))}


def _positions(item: SeriesRow, powertrain: Powertrain) -> list[tuple[str, str]]:
    """A series for every bank or cylinder that its key asks for."""
    mark, most = ("b", powertrain.banks) if "{b}" in item.key else ("c", powertrain.cylinders)
    if f"{{{mark}}}" not in item.key:
        return [(item.key, item.label)]
    numbers = range(1, most + 1)
    return [(item.key.format(**{mark: number}), item.label.format(**{mark: number})) for number in numbers]
