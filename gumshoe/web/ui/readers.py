"""Sentences in the units the shop's readers use, where no template turns them."""

from __future__ import annotations

from gumshoe.core.signals.units import text_for_reader
from gumshoe.web.shop.models import Settings


def for_shop(text: str) -> str:
    """The sentence with its marked values in the shop's units."""
    return text_for_reader(text, customary=Settings.load().customary_units)
