"""Read a snapshot as it was stored, perhaps by another version: what this one has no word for is kept and named."""

from __future__ import annotations

from copy import deepcopy
from dataclasses import replace
from typing import Any

from pydantic import TypeAdapter, ValidationError

from gumshoe.core.codes import CodeState
from gumshoe.core.errors import DataError
from gumshoe.core.obd.snapshot import Part, Snapshot, Speaks

_SNAPSHOT = TypeAdapter(Snapshot)
INSTEAD = {"state": CodeState.UNKNOWN.value, "part": Part.OTHER.value, "speaks": Speaks.CLASSIC.value}
"""What stands in a field whose stored word is not known."""
MOST = 200


def plain_snapshot(snapshot: Snapshot) -> dict[str, Any]:
    """A snapshot as it is stored."""
    found: dict[str, Any] = _SNAPSHOT.dump_python(snapshot, mode="json")
    return found


def read_snapshot(raw: dict[str, Any]) -> Snapshot:
    """The snapshot back. A word of a closed set that this version does not know is read as *unknown*, and a line in
    ``problems`` names it; nothing is dropped. Raises DataError when the shape itself is another."""
    document, named = raw, list[str]()
    for _ in range(MOST):
        try:
            found = _SNAPSHOT.validate_python(document)
        except ValidationError as error:
            first = error.errors()[0]
            place = first["loc"]
            if first["type"] != "enum" or str(place[-1]) not in INSTEAD:
                where = ".".join(map(str, place))
                raise DataError(f"A stored scan cannot be read: {where}: {first['msg']}.") from error
            if document is raw:
                document = deepcopy(raw)
            here: Any = document
            for step in place[:-1]:
                here = here[step]
            named.append(f"{here.get('code', place[-1])}: “{here[place[-1]]}” is not known to this version")
            here[place[-1]] = INSTEAD[str(place[-1])]
            continue
        return replace(found, problems=(*found.problems, *named)) if named else found
    raise DataError(f"A stored scan holds more than {MOST} words that this version does not know.")
