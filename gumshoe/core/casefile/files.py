"""Read and write case files, and the JSON Schema (2020-12) that describes them."""

from __future__ import annotations

import json
from datetime import datetime
from typing import Any

from pydantic import TypeAdapter, ValidationError

from gumshoe.core.casefile.model import CaseFile, CaseFileError
from gumshoe.core.codes import TroubleCode
from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.renamed import present
from gumshoe.core.powertrain.description import usual
from gumshoe.core.signals.recording import MOST_REACH_S
from gumshoe.core.words import plain

MAX_BYTES = 60_000_000
_CASE = TypeAdapter(CaseFile)


def read_case(text: str | bytes) -> CaseFile:
    """Read a case file. Raises CaseFileError with the place and the reason."""
    if len(text) > MAX_BYTES:
        raise CaseFileError(f"The file is larger than {MAX_BYTES // 1_000_000} MB.")
    try:
        raw = json.loads(text, parse_constant=_no_number)
    except RecursionError as error:
        raise CaseFileError("The file is nested too deeply to be a case.") from error
    except (ValueError, UnicodeDecodeError) as error:  # JSONDecodeError, or a number of thousands of digits
        raise CaseFileError(f"This is not JSON: {str(error)[:200]}.") from error
    check_plain(raw)
    if isinstance(raw, dict) and isinstance(raw.get("powertrain"), dict):
        raw = raw | {"powertrain": usual(raw["powertrain"])}
    try:
        case = _CASE.validate_python(of_today(raw), strict=False)
    except BadInput as error:
        raise CaseFileError(f"powertrain: {error.what}", remedies=error.remedies) from error
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(part) for part in first["loc"]) or "the file"
        raise CaseFileError(f"{place}: {first['msg']}.") from error
    for index, item in enumerate(case.codes):
        _code(f"codes.{index}", item if isinstance(item, str) else item.code)
    for number, recording in enumerate(case.recordings):
        for key, (times, values) in recording.columns.items():
            if len(times) != len(values):
                raise CaseFileError(f"recordings.{number}.{key}: {len(times)} times but {len(values)} values.")
        spans = [(min(times), max(times)) for times, _ in recording.columns.values() if times]
        if spans and max(last for _, last in spans) - min(first for first, _ in spans) > 2 * MOST_REACH_S:
            raise CaseFileError(f"recordings.{number}: its times are more than two weeks apart; one of them is wrong.")
    for number, snapshot in enumerate(case.scans):
        for module in snapshot.modules:
            for stored in module.codes:
                _code(f"scans.{number}.codes", stored.code)
    return case


NAMES = frozenset({"test", "component", "repair", "suspect", "procedure", "off", "symptoms"})
"""Keys whose values are names of the tables."""


def of_today(raw: Any, key: str = "") -> Any:
    """The document with names that were given up since as they are called today."""
    if isinstance(raw, dict):
        return {name: of_today(value, name) for name, value in raw.items()}
    if isinstance(raw, list):
        return [of_today(item, key) for item in raw]
    return present(raw) if key in NAMES and isinstance(raw, str) else raw


MOST_DEPTH = 30
MOST_NUMBER = 1e15
MOST_TEXT = 4_000_000
TIMES = frozenset({"at", "back_at", "before", "after"})
YEARS = range(1980, 2101)


def check_plain(raw: Any, place: str = "", depth: int = 0) -> None:
    """What no shape tells: depth, size of numbers and texts, signs that cannot be stored, times that are none.

    Raises CaseFileError with the place.
    """
    where = place.lstrip(".") or "the file"
    if depth > MOST_DEPTH:
        raise CaseFileError(f"{where[:80]} …: nested too deeply to be a case.")
    if isinstance(raw, dict):
        for key, value in raw.items():
            check_plain(key, f"{place}.{str(key)[:40]!r}", depth + 1)
            check_plain(value, f"{place}.{str(key)[:40]}", depth + 1)
            if key in TIMES and isinstance(value, str) and value:
                _moment(f"{where}.{key}", value)
    elif isinstance(raw, list):
        for number, item in enumerate(raw):
            check_plain(item, f"{place}.{number}", depth + 1)
    elif isinstance(raw, str):
        if len(raw) > MOST_TEXT or "\x00" in raw or (not raw.isascii() and any("\ud800" <= c <= "\udfff" for c in raw)):
            raise CaseFileError(f"{where[:120]}: a text that cannot be stored (too long, or with signs that are none).")
    elif isinstance(raw, int | float) and not abs(raw) < MOST_NUMBER:
        raise CaseFileError(f"{where[:120]}: a number that cannot be: larger than {MOST_NUMBER:g}.")


def _no_number(name: str) -> Any:
    raise ValueError(f"{name} is no number")


def _moment(place: str, text: str) -> None:
    try:
        found = datetime.fromisoformat(text)
    except ValueError as error:
        raise CaseFileError(
            f"{place}: “{text[:40]}” is not a date and time.", remedies=("write it as 2026-03-31T14:05:00+01:00",)
        ) from error
    if found.year not in YEARS:
        raise CaseFileError(f"{place}: the year {found.year} cannot be.")


def plain_case(case: CaseFile) -> dict[str, Any]:
    """The case as plain values, as they stand in the file."""
    found: dict[str, Any] = _CASE.dump_python(case, mode="json")
    return found


def case_of(plain: dict[str, Any]) -> CaseFile:
    """A case from plain values that were read and checked before."""
    return _CASE.validate_python(plain)


def write_case(case: CaseFile) -> str:
    """The file's text: JSON, indented, in the order of the shape, without the marks round values."""
    return plain(json.dumps(plain_case(case), indent=1, ensure_ascii=False)) + "\n"


def json_schema() -> dict[str, Any]:
    """The schema of the format; shipped as schema.json beside this module."""
    schema = _CASE.json_schema(mode="validation")
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Gumshoe case, version 1"} | schema


def _code(place: str, text: str) -> None:
    try:
        TroubleCode.parse(text)
    except BadInput as error:
        raise CaseFileError(f"{place}: {error.what}") from error
