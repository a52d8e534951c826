"""Numbers as people type them: a comma or a point for decimals, blanks, and nothing that cannot be.

What could mean two things is refused, not guessed: ``1,234`` in money may be a thousand or a euro and some.
"""

from __future__ import annotations

import math
import re
from decimal import Decimal

from gumshoe.core.errors import BadInput

MOST_DIGITS = 18
_PLAIN = re.compile(r"[-+]?\d+(?:[.,]\d+)?")
_GROUPED = re.compile(r"[-+]?\d{1,3}(?:([.,' ])\d{3})(?:\1\d{3})*(?:(?!\1)[.,]\d+)?")
_SPACES = re.compile(r"[\s\u00a0\u2009\u202f]+")


def decimal_of(text: str, what: str, *, places: int | None = None) -> Decimal:
    """A number as typed, exactly: ``95,50``, ``1 234.50``, ``1.234,50``. Raises BadInput naming what it is for.

    ``places``: so many decimals at the most; a lone group of three behind a comma or point is then refused, since it
    may stand for thousands.
    """
    plain = _SPACES.sub(" ", text).strip()
    refused = BadInput(f"{what}: “{plain[:30]}” is no number.", remedies=("digits, with a point or a comma: 95.50",))
    if len(plain) > MOST_DIGITS + 6:
        raise refused
    close = plain.replace(" ", "")
    if _PLAIN.fullmatch(close):
        found = close.replace(",", ".")
        after = len(found.partition(".")[2])
        if places is not None and after > places:
            raise BadInput(
                f"{what}: “{plain[:30]}” has {after} decimals.",
                remedies=(f"thousands are typed without a sign: {close.replace(',', '').replace('.', '')}",)
                if after == 3
                else (f"at most {places} decimals",),
            )
        return Decimal(found)
    if _GROUPED.fullmatch(plain):
        sign = next(char for char in plain if char in ".,' ")
        return Decimal(plain.replace(sign, "").replace(",", "."))
    raise refused


def float_of(text: str, what: str, low: float = -math.inf, high: float = math.inf) -> float:
    """A number as typed, within limits. Raises BadInput naming what it is for."""
    found = float(decimal_of(text, what))
    if not low <= found <= high:
        raise BadInput(f"{what}: {found:g} cannot be.", remedies=(f"between {low:g} and {high:g}",))
    return found


def whole_of(text: str, what: str, most: int, least: int = 0) -> int:
    """A whole number as typed; signs between thousands are passed over. Raises BadInput naming what it is for."""
    plain = _SPACES.sub(" ", text).strip()
    digits = plain
    if _GROUPED.fullmatch(plain):
        digits = re.sub(r"[.,' ]", "", plain) if len(set(re.findall(r"[.,' ]", plain))) == 1 else plain
    if len(digits) > MOST_DIGITS or not re.fullmatch(r"[-+]?\d+", digits) or not least <= int(digits) <= most:
        raise BadInput(f"{what}: “{plain[:30]}” cannot be.", remedies=(f"a whole number from {least} to {most}",))
    return int(digits)


def number_in(text: str) -> int | None:
    """A whole number a page sends (an entry's number, a module's address); None for anything else, however long."""
    return int(text) if text.isascii() and text.isdecimal() and len(text) <= MOST_DIGITS else None
