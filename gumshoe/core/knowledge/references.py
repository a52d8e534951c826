"""Follow every name that a row gives of something told elsewhere: one walker for all tables.

A field says by its type what it names (``values.Refers``); the walker finds the names with their place in the file.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, fields
from functools import cache
from types import NoneType, UnionType
from typing import Annotated, Any, Union, get_args, get_origin, get_type_hints

from gumshoe.core.knowledge.values import Refers

Location = tuple[int | str, ...]


@dataclass(frozen=True)
class Named:
    """A name, what it names, and where it stands (as pydantic would say it)."""

    kind: str
    name: str
    location: Location


def named(value: Any, shape: Any, at: Location = ()) -> Iterator[Named]:
    """Every name in a value of that shape; an empty text names nothing."""
    if get_origin(shape) is Annotated:
        inner, *marks = get_args(shape)
        refers = next((mark for mark in marks if isinstance(mark, Refers)), None)
        if refers is None:
            yield from named(value, inner, at)
        elif value:
            yield Named(refers.to, value, at)
    elif get_origin(shape) in (Union, UnionType):
        for option in get_args(shape):
            if value is not None and option is not NoneType:
                yield from named(value, option, at)
    elif isinstance(value, tuple):
        of = get_args(shape)
        for index, item in enumerate(value):
            yield from named(item, of[0] if len(of) == 2 and of[1] is Ellipsis else of[index], (*at, index))
    elif isinstance(value, dict) and get_args(shape):
        of_key, of_value = get_args(shape)
        for key, item in value.items():
            yield from named(key, of_key, (*at, key))
            yield from named(item, of_value, (*at, key))
    elif hasattr(value, "__dataclass_fields__"):
        shapes = _shapes(value.__class__)
        for item in fields(value):
            yield from named(getattr(value, item.name), shapes[item.name], (*at, item.name))


@cache
def _shapes(row: type) -> dict[str, Any]:
    return get_type_hints(row, include_extras=True)
