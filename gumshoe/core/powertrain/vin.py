"""Vehicle identification numbers: ISO 3779; check digit 49 CFR 565.15 [S].

The check digit is compulsory in North America only: elsewhere a mismatch is a note, not an error.
"""

from __future__ import annotations

from dataclasses import dataclass

from gumshoe.core.errors import BadInput

_WEIGHTS = (8, 7, 6, 5, 4, 3, 2, 10, 0, 9, 8, 7, 6, 5, 4, 3, 2)
_VALUES = {
    **{str(digit): digit for digit in range(10)},
    **dict(zip("ABCDEFGH", range(1, 9), strict=True)),
    **dict(zip("JKLMN", range(1, 6), strict=True)),
    "P": 7,
    "R": 9,
    **dict(zip("STUVWXYZ", range(2, 10), strict=True)),
}


@dataclass(frozen=True)
class VinCheck:
    """A VIN that has the right form, and what its check digit says."""

    vin: str
    check_digit_right: bool
    north_american: bool

    @property
    def note(self) -> str:
        """What to tell the technician; empty when there is nothing to say."""
        if self.check_digit_right:
            return ""
        if self.north_american:
            return "The check digit does not fit: compare the VIN with the plate at the windscreen."
        return "The check digit does not fit. Outside North America it need not: compare if in doubt."


def check_digit(vin: str) -> str:
    """The check digit (position 9) that belongs to the other sixteen characters."""
    remainder = sum(_VALUES[char] * weight for char, weight in zip(vin, _WEIGHTS, strict=True)) % 11
    return "X" if remainder == 10 else str(remainder)


def check_vin(text: str) -> VinCheck:
    """Check the form of a VIN as typed or read. Raises BadInput naming what is wrong."""
    vin = "".join(text.split()).upper()
    if len(vin) != 17:
        raise BadInput(f"A VIN has 17 characters; this one has {len(vin)}.", remedies=("count again from the plate",))
    wrong = sorted({char for char in vin if char not in _VALUES})
    if wrong:
        raise BadInput(f"A VIN holds no {', '.join(wrong)}.", remedies=("I and O are read for 1 and 0, Q for 0 or 9",))
    return VinCheck(vin, check_digit(vin) == vin[8], vin[0] in "12345")
