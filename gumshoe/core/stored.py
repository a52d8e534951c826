"""What is stored says which shape it has, and is brought up to the present one when it is read.

A shape that changes gets the next version and an upgrade from the one before; what was stored stays as it is. Version 0
is what was stored before there were versions.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from pydantic import TypeAdapter, ValidationError

from gumshoe.core.errors import DataError

T = TypeVar("T")


class StoredCannotBeRead(DataError):
    """Something on record has a shape that this version does not know."""

    kept = "It is on record as it was stored; nothing is lost."
    remedies = ("use the version of Gumshoe that stored it, or a newer one",)


def same(body: Any) -> Any:
    """An upgrade that changes nothing."""
    return body


@dataclass(frozen=True)
class StoredShape(Generic[T]):
    """One kind of thing that is stored. ``upgrades``: from version 0 to 1, from 1 to 2 …"""

    name: str
    adapter: TypeAdapter[T]
    upgrades: tuple[Callable[[Any], Any], ...] = (same,)

    @property
    def version(self) -> int:
        return len(self.upgrades)

    def write(self, value: T) -> dict[str, Any]:
        """The plain value to store, with its version. Raises StoredCannotBeRead for one that is not of this shape."""
        return {"v": self.version, "body": self.adapter.dump_python(self._checked(value), mode="json")}

    def read(self, raw: Any) -> T:
        """What was stored, in the present shape. Raises StoredCannotBeRead naming the place."""
        told = isinstance(raw, dict) and raw.keys() == {"v", "body"}
        version, body = (raw["v"], raw["body"]) if told else (0, raw)
        if not isinstance(version, int) or version > self.version:
            raise StoredCannotBeRead(f"{self.name}: stored as version {version}; this one knows up to {self.version}.")
        for upgrade in self.upgrades[version:]:
            body = upgrade(body)
        return self._checked(body)

    def _checked(self, body: Any) -> T:
        try:
            return self.adapter.validate_python(body)
        except ValidationError as error:
            first = error.errors()[0]
            place = ".".join(map(str, first["loc"])) or "whole"
            raise StoredCannotBeRead(f"{self.name}: {place}: {first['msg']}.") from error


def shape(name: str, kind: Any, *upgrades: Callable[[Any], Any]) -> StoredShape[Any]:
    """A shape by its name and type; ``upgrades`` beyond the first."""
    return StoredShape(name, TypeAdapter(kind), (same, *upgrades))
