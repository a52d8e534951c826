"""Sentences, units and typed numbers as the shop's readers have them, where no template turns them."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager

from gumshoe.core.errors import OutOfRange
from gumshoe.core.signals.units import Scale, scale_for, text_for_reader
from gumshoe.web.settings.models import Settings

_BARE = re.compile(r"^\s*[-+]?\d+(?:[.,]\d+)?\s*$")


def for_shop(text: str) -> str:
    """The sentence with its marked values in the shop's units."""
    return text_for_reader(text, customary=Settings.load().customary_units)


def shop_scale(unit: str) -> Scale:
    """From a unit of ours to the shop's."""
    return scale_for(unit, customary=Settings.load().customary_units)


@contextmanager
def said_in_shop() -> Iterator[None]:
    """What is refused in here as out of its range is refused in the shop's unit."""
    try:
        yield
    except OutOfRange as error:
        scale = shop_scale(error.unit)
        if scale.unit == error.unit:
            raise
        raise error.said_in(scale.unit, lambda value: round(scale.of(value), scale.digits)) from error


def typed_in_shop(text: str, unit: str) -> str:
    """What was typed where ``unit`` is asked for: a bare number is meant in the shop's unit, and says so then."""
    shown = shop_scale(unit).unit
    return f"{text.strip()} {shown}" if shown != unit and _BARE.match(text) else text
