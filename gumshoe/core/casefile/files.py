"""Read and write case files, and the JSON Schema (2020-12) that describes them."""

from __future__ import annotations

import json
from typing import Any

from pydantic import TypeAdapter, ValidationError

from gumshoe.core.casefile.model import CaseFile, CaseFileError
from gumshoe.core.codes import TroubleCode
from gumshoe.core.errors import BadInput
from gumshoe.core.powertrain.description import usual

MAX_BYTES = 60_000_000
_CASE = TypeAdapter(CaseFile)


def read_case(text: str | bytes) -> CaseFile:
    """Read a case file. Raises CaseFileError with the place and the reason."""
    if len(text) > MAX_BYTES:
        raise CaseFileError(f"The file is larger than {MAX_BYTES // 1_000_000} MB.")
    try:
        raw = json.loads(text)
    except (json.JSONDecodeError, UnicodeDecodeError) as error:
        raise CaseFileError(f"This is not JSON: {error}.") from error
    if isinstance(raw, dict) and isinstance(raw.get("powertrain"), dict):
        raw = raw | {"powertrain": usual(raw["powertrain"])}
    try:
        case = _CASE.validate_python(raw, strict=False)
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
    for number, snapshot in enumerate(case.scans):
        for module in snapshot.modules:
            for stored in module.codes:
                _code(f"scans.{number}.codes", stored.code)
    return case


def plain_case(case: CaseFile) -> dict[str, Any]:
    """The case as plain values, as they stand in the file."""
    found: dict[str, Any] = _CASE.dump_python(case, mode="json")
    return found


def case_of(plain: dict[str, Any]) -> CaseFile:
    """A case from plain values that were read and checked before."""
    return _CASE.validate_python(plain)


def write_case(case: CaseFile) -> str:
    """The file's text: JSON, indented, in the order of the shape."""
    return json.dumps(plain_case(case), indent=1, ensure_ascii=False) + "\n"


def json_schema() -> dict[str, Any]:
    """The schema of the format; shipped as schema.json beside this module."""
    schema = _CASE.json_schema(mode="validation")
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Gumshoe case, version 1"} | schema


def _code(place: str, text: str) -> None:
    try:
        TroubleCode.parse(text)
    except BadInput as error:
        raise CaseFileError(f"{place}: {error.what}") from error
