"""Read a TOML table into typed values; an error names the file and the line.

``tomllib`` gives no line numbers, so the place of a bad value is found again in the text by counting the
headers of its array of tables.
"""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import Any, TypeVar

from pydantic import TypeAdapter, ValidationError

from gumshoe.core.errors import BadInput, DataError
from gumshoe.core.words import marked

T = TypeVar("T")
_loaded: dict[tuple[Path, type], Any] = {}


def load_table(path: Path, shape: type[T]) -> T:
    """Read ``path`` once and validate it as ``shape`` (a dataclass). Raises DataError with file and line."""
    if (path, shape) not in _loaded:
        _loaded[path, shape] = read_table(path.read_text(encoding="utf-8"), path.name, shape)
    found: T = _loaded[path, shape]
    return found


def read_table(text: str, name: str, shape: type[T]) -> T:
    """The same for a text that stands in the file ``name``."""
    try:
        raw = _marked(tomllib.loads(text))
    except tomllib.TOMLDecodeError as error:
        raise DataError(f"{name}: not valid TOML: {error}.") from error
    return parse_table(raw, text, name, shape)


def _marked(value: Any) -> Any:
    """The document with the values in its sentences marked for the reader's units."""
    if isinstance(value, str):
        return marked(value)
    if isinstance(value, list):
        return [_marked(item) for item in value]
    return {key: _marked(item) for key, item in value.items()} if isinstance(value, dict) else value


def parse_table(raw: dict[str, Any], text: str, name: str, shape: type[T]) -> T:
    """Validate an already parsed document; ``text`` is only used to find line numbers."""
    try:
        return TypeAdapter(shape).validate_python(raw)
    except BadInput as error:  # facts that are well formed but cannot be true together
        raise DataError(f"{name}, line {line_of(text, ('powertrain',))}: {error.what}") from error
    except ValidationError as error:
        first = error.errors()[0]
        line = line_of(text, first["loc"])
        place = ".".join(str(part) for part in first["loc"])
        raise DataError(f"{name}, line {line}: {place}: {first['msg']}.") from error


def line_of(text: str, location: tuple[int | str, ...]) -> int:
    """The line (from 1) where ``location`` (as pydantic names it) stands in the TOML ``text``; that of the row where
    what is located is not there."""
    lines = text.splitlines()
    row, end, prefix = 0, len(lines), ""
    for index, part in enumerate(location):
        if isinstance(part, int):
            headers = [number for number in range(row, end) if lines[number].strip() == f"[[{prefix}]]"]
            if part < len(headers):
                row = headers[part]
                end = next((n for n in range(row + 1, end) if _leaves(lines[n], prefix)), end)
            else:
                row = _item(lines, row, end, part)
            continue
        prefix = f"{prefix}.{part}" if prefix else str(part)
        tables = isinstance(location[index + 1], int) if index + 1 < len(location) else False
        if tables and any(lines[number].strip() == f"[[{prefix}]]" for number in range(row, end)):
            continue
        key = re.compile(rf'^\s*(?:\[{re.escape(prefix)}\]|"?{re.escape(str(part))}"?\s*=)')
        row = next((number for number in range(row, end) if key.match(lines[number])), row)
    return row + 1


def _leaves(line: str, prefix: str) -> bool:
    """Whether a line begins a table that is not inside the row of ``prefix``."""
    found = re.match(r"\s*\[+([^\]]+)\]", line)
    return found is not None and not found[1].startswith(f"{prefix}.")


def _item(lines: list[str], row: int, end: int, index: int) -> int:
    """The line of an item of an array that begins in ``row``: its own where the items stand one to a line."""
    items = []
    for number in range(row + 1, end):
        start = lines[number].lstrip()[:1]
        if start not in ("{", '"', "#", ""):
            break
        if start in ("{", '"'):
            items.append(number)
    return items[index] if index < len(items) and "]" not in lines[row].partition("=")[2].split("#")[0] else row
