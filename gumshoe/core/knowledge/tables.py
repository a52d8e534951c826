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


def load_table(path: Path, shape: type[T]) -> T:
    """Read ``path`` and validate it as ``shape`` (a dataclass). Raises DataError with file and line."""
    try:
        text = path.read_text(encoding="utf-8")
        raw = _marked(tomllib.loads(text))
    except tomllib.TOMLDecodeError as error:
        raise DataError(f"{path.name}: not valid TOML: {error}.") from error
    return parse_table(raw, text, path.name, shape)


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
        raise DataError(f"{name}: {error.what}") from error
    except ValidationError as error:
        first = error.errors()[0]
        line = line_of(text, first["loc"])
        place = ".".join(str(part) for part in first["loc"])
        raise DataError(f"{name}, line {line}: {place}: {first['msg']}.") from error


def line_of(text: str, location: tuple[int | str, ...]) -> int:
    """The line (from 1) where ``location`` (as pydantic names it) stands in the TOML ``text``."""
    lines = text.splitlines()
    row, prefix = 0, ""
    for index, part in enumerate(location):
        if isinstance(part, int):
            header = f"[[{prefix}]]"
            places = [number for number, line in enumerate(lines) if line.strip() == header and number >= row]
            if not places:  # an array of inline tables, one to a line
                places = [number for number, line in enumerate(lines) if line.lstrip().startswith("{") and number > row]
            if part < len(places):
                row = places[part]
            continue
        following = location[index + 1] if index + 1 < len(location) else None
        path = f"{prefix}.{part}" if prefix else part
        if not isinstance(following, int):
            key = re.compile(rf'^\s*(?:\[{re.escape(path)}\]|"?{re.escape(part)}"?\s*=)')
            row = next((number for number in range(row, len(lines)) if key.match(lines[number])), row)
        prefix = path
    return row + 1
