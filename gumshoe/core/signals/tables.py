"""Recordings as CSV, in and out: a column a channel (wide) or a line a sample (long).

Units stand in the header in brackets, or in a row of their own under it. Times are seconds, milliseconds or dates;
decimal commas, semicolons and tabs are understood. What is known here by key or by name is brought into its unit;
everything else is kept under its own name.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import pandas as pd

from gumshoe.core.errors import BadInput
from gumshoe.core.signals.recording import Channel, Floats, Recording
from gumshoe.core.signals.strips import Told
from gumshoe.core.signals.units import converted

MOST_COLUMNS = 400
MOST_LINE = 200_000
MOST_SAMPLES = 20_000_000
TIME_NAMES = {"time", "t", "timestamp", "seconds", "datetime", "date", "zeit", "temps", "tiempo", "elapsed"}
KEY_NAMES = {"channel", "key", "name", "signal", "parameter", "pid"}
VALUE_NAMES = {"value", "wert", "valeur"}
PER_SECOND = {"s": 1.0, "sec": 1.0, "seconds": 1.0, "ms": 1e-3, "us": 1e-6, "µs": 1e-6, "min": 60.0, "h": 3600.0}
_UNIT = re.compile(r"^(?P<name>.*?)\s*[\[(](?P<unit>[^\[\]()]*)[\])]\s*$")
_COMMA = re.compile(r"(?:^|[;\t])\s*-?\d+,\d+\s*(?:[;\t]|$)")
_FORMULA = ("=", "+", "-", "@")


@dataclass(frozen=True)
class Read:
    """What a file held: the recording, units of its channels by key, and what is worth knowing."""

    recording: Recording
    units: dict[str, str]
    notes: tuple[str, ...] = ()


def read_table(data: bytes, known: Mapping[str, Told]) -> Read:
    """Read a CSV file. Raises BadInput saying what does not fit."""
    if not data.strip():
        raise BadInput("The file is empty.", remedies=("choose another file",))
    text = text_of(data)
    lines = _head(text)
    separator = max(";,\t", key=lines[0].count)
    comma = separator != "," and any(_COMMA.search(line) for line in lines[1:])
    titles = next(csv.reader([lines[0]], delimiter=separator))
    if len(titles) > MOST_COLUMNS:
        raise BadInput(
            f"The file has {len(titles)} columns; {MOST_COLUMNS} can be read.",
            remedies=("export fewer channels at once", "use a file with a line a sample (time, channel, value)"),
        )
    if len(titles) < 2:
        raise BadInput(
            "No columns were found: the first line has neither commas nor semicolons nor tabs.",
            remedies=("save it as CSV with one line of names on top",),
        )
    second = next(csv.reader([lines[1]], delimiter=separator), []) if len(lines) > 1 else []
    unit_row = bool(second) and not any(_is_number(cell, comma) for cell in second) and not _is_date(second[0])
    skip = text.count("\n", 0, text.index(lines[0])) + 1 + unit_row
    try:
        table = pd.read_csv(
            io.StringIO(text),
            sep=separator,
            decimal="," if comma else ".",
            header=None,
            names=range(len(titles)),
            skiprows=skip,
            skip_blank_lines=True,
            low_memory=False,
            comment=None,
        )
    except (pd.errors.ParserError, pd.errors.EmptyDataError, ValueError) as error:
        raise BadInput(f"The table could not be read: {error}.", remedies=("look at the line it names",)) from error
    if table.empty:
        raise BadInput("The file has a line of names and no values.", remedies=("choose another file",))
    if table.size > MOST_SAMPLES:
        raise BadInput(f"The file holds {table.size} values; {MOST_SAMPLES} can be read.", remedies=("cut it in two",))
    named = [_named(title, second[n] if unit_row and n < len(second) else "") for n, title in enumerate(titles)]
    lower = [name.lower() for name, _ in named]
    at = next((n for n, name in enumerate(lower) if name in TIME_NAMES or name.split(" ")[0] in TIME_NAMES), None)
    if at is None:
        raise BadInput(
            f"There is no column of time; the columns are {', '.join(name for name, _ in named[:8])}.",
            remedies=("name one of them “time [s]”",),
        )
    times = _times(table[at], named[at][1])
    key_at = next((n for n, name in enumerate(lower) if name in KEY_NAMES), None)
    value_at = next((n for n, name in enumerate(lower) if name in VALUE_NAMES), None)
    if key_at is not None and value_at is not None:
        unit_at = next((n for n, name in enumerate(lower) if name == "unit"), None)
        return _long(table, times, key_at, value_at, unit_at, known)
    return _wide(table, times, at, named, known)


def text_of(data: bytes) -> str:
    """The characters of a text file. Raises BadInput when it is none."""
    if b"\x00" in data[:4096] and not data.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise BadInput("This is no text file.", remedies=("save it as CSV",))
    for encoding in (
        ("utf-8-sig", "utf-16") if data.startswith((b"\xff\xfe", b"\xfe\xff")) else ("utf-8-sig", "latin-1")
    ):
        try:
            return data.decode(encoding)
        except UnicodeDecodeError:
            continue
    raise BadInput("The file's characters could not be read.", remedies=("save it as UTF-8",))


def _head(text: str) -> list[str]:
    """The line of names and some after it, remarks left out."""
    found: list[str] = []
    place = 0
    while len(found) < 40 and place < len(text):
        end = text.find("\n", place)
        end = len(text) if end < 0 else end
        if end - place > MOST_LINE:
            raise BadInput(
                f"A line of the file is longer than {MOST_LINE} characters.",
                remedies=("choose a table with lines of a usual length",),
            )
        line = text[place:end].rstrip("\r")
        if line.strip() and not line.lstrip().startswith("#"):
            found.append(line)
        place = end + 1
    if not found:
        raise BadInput("The file holds no table.", remedies=("choose another file",))
    return found


def _named(title: str, unit: str) -> tuple[str, str]:
    """Name and unit of a column."""
    title = title.strip().strip('"')
    match = _UNIT.match(title)
    if match:
        return match["name"].strip(), match["unit"].strip()
    return title, unit.strip().strip("[]()")


def _is_number(cell: str, comma: bool) -> bool:
    try:
        float(cell.strip().replace(",", ".") if comma else cell.strip())
    except ValueError:
        return False
    return True


def _is_date(cell: str) -> bool:
    return bool(re.match(r"\s*\d{4}-\d\d-\d\d", cell))


def _times(column: pd.Series, unit: str) -> Floats:
    numbers = pd.to_numeric(column, errors="coerce")
    if numbers.notna().mean() > 0.5:
        seconds: Floats = numbers.to_numpy(dtype=np.float64) * PER_SECOND.get(unit.lower(), 1.0)
        return seconds
    dates = pd.to_datetime(column, errors="coerce", format="mixed", utc=True)
    if dates.notna().mean() <= 0.5:
        raise BadInput(
            f"The times could not be read, for example “{str(column.iloc[0])[:40]}”.",
            remedies=("give them as seconds, or as 2026-03-01T08:15:00.25",),
        )
    found: Floats = (dates - pd.Timestamp(0, tz="UTC")).dt.total_seconds().to_numpy(dtype=np.float64)
    return found


def _numbers(column: pd.Series) -> tuple[Floats, int]:
    """Values, and how many cells held something that is no number."""
    found = pd.to_numeric(column, errors="coerce")
    if column.dtype != object and not isinstance(column.dtype, pd.StringDtype):
        return found.to_numpy(dtype=np.float64), 0
    return found.to_numpy(dtype=np.float64), int((found.isna() & column.notna()).sum())


def _wide(
    table: pd.DataFrame,
    times: Floats,
    at: int,
    named: list[tuple[str, str]],
    known: Mapping[str, Told],
) -> Read:
    columns: dict[str, tuple[Floats, Floats]] = {}
    units: dict[str, str] = {}
    notes: list[str] = []
    strange = 0
    for number, (name, unit) in enumerate(named):
        if number == at or not name:
            continue
        values, wrong = _numbers(table[number])
        strange += wrong
        if not np.isfinite(values).any():
            continue
        key, unit, values = known_channel(name, unit, values, known, notes)
        if key in columns:
            notes.append(f"“{name}” is there twice: the first is kept.")
            continue
        columns[key], units[key] = (times, values), unit
    return made_of(columns, units, notes, strange)


def _long(
    table: pd.DataFrame,
    times: Floats,
    key_at: int,
    value_at: int,
    unit_at: int | None,
    known: Mapping[str, Told],
) -> Read:
    values, strange = _numbers(table[value_at])
    codes, names = pd.factorize(table[key_at].astype(str))
    if len(names) > MOST_COLUMNS:
        raise BadInput(f"The file has {len(names)} channels; {MOST_COLUMNS} can be read.", remedies=("cut it in two",))
    columns: dict[str, tuple[Floats, Floats]] = {}
    units: dict[str, str] = {}
    notes: list[str] = []
    order = np.argsort(codes, kind="stable")
    edges = np.searchsorted(codes[order], np.arange(len(names) + 1))
    for number, title in enumerate(names):
        rows = order[edges[number] : edges[number + 1]]
        name, unit = _named(str(title), str(table[unit_at].iloc[rows[0]]) if unit_at is not None else "")
        key, unit, own = known_channel(name, "" if unit == "nan" else unit, values[rows], known, notes)
        columns[key], units[key] = (times[rows], own), unit
    return made_of(columns, units, notes, strange)


def known_channel(
    name: str,
    unit: str,
    values: Floats,
    known: Mapping[str, Told],
    notes: list[str],
) -> tuple[str, str, Floats]:
    """Key, unit and values of a channel, in the unit it has here when it is known."""
    by_name = {told.name.lower(): key for key, told in known.items()}
    key = name if name in known else by_name.get(name.lower(), "")
    if not key:
        return name[:60], unit, values
    own = known[key].unit
    if not unit or unit == own:
        return key, own, values
    brought = converted(values, unit, own)
    if brought is None:
        notes.append(f"“{name}” is in {unit}, which is no {own or 'plain number'}: kept under its own name.")
        return f"{name} [{unit}]"[:60], unit, values
    notes.append(f"“{name}” was brought from {unit} into {own}.")
    return key, own, brought


def made_of(
    columns: dict[str, tuple[Floats, Floats]],
    units: dict[str, str],
    notes: list[str],
    strange: int,
) -> Read:
    """What was read, with its notes: cells that were no numbers, times that do not rise."""
    if strange:
        notes.append(f"{strange} cell{'s were' if strange > 1 else ' was'} no number and left out.")
    if any(bool((np.diff(times[np.isfinite(times)]) < 0.0).any()) for times, _ in columns.values()):
        notes.append("The times do not always rise: the samples were put in order of time.")
    recording = Recording.sorted({key: Channel(times, values) for key, (times, values) in columns.items()})
    if not recording.channels:
        raise BadInput("The file holds no numbers besides its times.", remedies=("choose another file",))
    recording, wild = recording.within_reach()
    if wild:
        notes.append(f"{wild} sample{'s' if wild > 1 else ''} with a time that cannot be (over a week off) left out.")
    return Read(recording, units, tuple(notes))


def write_wide(recording: Recording, units: Mapping[str, str]) -> str:
    """A column a channel; a line for every moment at which something was told, empty where nothing was."""
    parts = {
        _title(key, units): pd.Series(channel.values, index=pd.Index(channel.times, name="time [s]"))
        for key, channel in recording.channels.items()
    }
    one = {title: series[~series.index.duplicated(keep="last")] for title, series in parts.items()}
    table: str = pd.DataFrame(one).sort_index().to_csv(float_format="%.10g", lineterminator="\n")
    return table


def write_long(recording: Recording, units: Mapping[str, str]) -> str:
    """A line a sample: time, channel, value, unit."""
    rows = [
        pd.DataFrame({"time [s]": c.times, "channel": _harmless(key), "value": c.values, "unit": units.get(key, "")})
        for key, c in recording.channels.items()
    ]
    everything = pd.concat(rows).sort_values(["time [s]", "channel"], kind="stable")
    table: str = everything.to_csv(index=False, float_format="%.10g", lineterminator="\n")
    return table


def _title(key: str, units: Mapping[str, str]) -> str:
    unit = units.get(key, "")
    return f"{_harmless(key)} [{unit}]" if unit else _harmless(key)


def _harmless(text: str) -> str:
    """A name that no spreadsheet takes for a formula."""
    return f"'{text}" if text.startswith(_FORMULA) else text
