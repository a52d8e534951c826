"""Trouble code numbers.

Byte layout and the meaning of the first two characters: ISO 15031-6 / SAE J2012 [S]. The names given to
the third character's areas are our own words for the usual division [M: to be checked against J2012].
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from functools import cache
from typing import Any, Self

from pydantic_core import core_schema

from gumshoe.core.errors import BadInput

_SYSTEMS = "PCBU"
POWERTRAIN, NETWORK, TRANSMISSION = "powertrain", "network", "transmission"
_SYSTEM_WORDS = {"P": POWERTRAIN, "C": "chassis", "B": "body", "U": NETWORK}
_AREAS = {
    "0": "fuel and air metering, auxiliary emission control",
    "1": "fuel and air metering",
    "2": "fuel and air metering: injector circuits",
    "3": "ignition or misfire",
    "4": "auxiliary emission control",
    "5": "vehicle speed, idle control, auxiliary inputs",
    "6": "control unit and its outputs",
    "7": TRANSMISSION,
    "8": TRANSMISSION,
    "9": TRANSMISSION,
    "A": "hybrid drive",
    "B": "hybrid drive",
    "C": "hybrid drive",
}
_CODE = re.compile(r"[PCBU][0-3][0-9A-F]{3}")
_IN_TEXT = re.compile(r"(?<![0-9A-Za-z])([PCBUpcbu][0-3][0-9A-Fa-f]{3})(?![0-9A-Za-z])")


class CodeState(StrEnum):
    """How sure the control unit is of a code (services 03, 07 and 0A; HISTORY from the status byte of UDS 19 02).
    UNKNOWN: a stored state that this version has no word for."""

    CONFIRMED = "confirmed"
    PENDING = "pending"
    PERMANENT = "permanent"
    HISTORY = "history"
    UNKNOWN = "unknown"


PLAIN_STATES = {
    CodeState.CONFIRMED: "stored by the car",
    CodeState.PENDING: "seen once so far",
    CodeState.PERMANENT: "kept by the car until its own check has passed",
    CodeState.HISTORY: "from earlier, not now",
}


def plain_states(states: Iterable[CodeState]) -> str:
    """How a code stands, for whoever drives the car: a confirmed one is pending as well, which is not said."""
    held = list(states)
    told = [state for state in held if not (state is CodeState.PENDING and CodeState.CONFIRMED in held)]
    return ", ".join(PLAIN_STATES.get(state, state.value) for state in told)


class TroubleCode(str):
    """One trouble code, for example ``TroubleCode("P0171")``: the text a technician reads, checked where it comes in,
    from the bus, a file or a keyboard.

    Raises BadInput when the text is not a code.
    """

    __slots__ = ()

    def __new__(cls, text: str) -> Self:
        if not _CODE.fullmatch(text):
            raise BadInput(
                f"“{text}” is not a trouble code.",
                remedies=("a letter P, C, B or U, a digit 0 to 3, then three of 0–9 or A–F, such as P0171",),
            )
        return super().__new__(cls, text)

    @classmethod
    def __get_pydantic_core_schema__(cls, _source: Any, _handler: Any) -> core_schema.CoreSchema:
        """Read from a file as text, written as text."""
        return core_schema.no_info_after_validator_function(
            cls._read, core_schema.str_schema(), serialization=core_schema.to_string_ser_schema()
        )

    @classmethod
    def _read(cls, text: str) -> Self:
        try:
            return cls(text)
        except BadInput as error:
            raise ValueError(error.what) from error

    @classmethod
    def parse(cls, text: str) -> Self:
        """Read a code as people type it: any case, blanks around it."""
        return cls(text.strip().upper())

    @classmethod
    def from_bytes(cls, high: int, low: int) -> Self:
        """Decode the two bytes of ISO 15031-6: letter, digit, three hexadecimal nibbles."""
        return cls(f"{_SYSTEMS[high >> 6]}{(high >> 4) & 3}{high & 15:X}{low:02X}")

    def to_bytes(self) -> bytes:
        """The two bytes that travel on the bus."""
        high = _SYSTEMS.index(self[0]) << 6 | int(self[1]) << 4 | int(self[2], 16)
        return bytes((high, int(self[3:], 16)))


@dataclass(frozen=True)
class Structure:
    """What the digits of a code say by themselves, without any table of titles."""

    system: str
    standardised: bool
    area: str

    @property
    def gearbox(self) -> bool:
        """Whether it is of the transmission's own area."""
        return self.area == TRANSMISSION

    @property
    def words(self) -> str:
        owner = "standardised code" if self.standardised else "the maker's own code"
        return f"{self.system}, {owner}" + (f", {self.area}" if self.area else "")


def structure(code: TroubleCode) -> Structure:
    """Decode a code's structure.

    Standardised are P0, P2, P34–P39 and U0, U3, C0, B0; the rest belongs to the maker (SAE J2012 [S, M for
    the ranges of P3 and U3]).
    """
    letter, digit, area = code[0], code[1], code[2]
    if letter == "P":
        standardised = digit in "02" or (digit == "3" and area >= "4")
    else:
        standardised = digit == "0" or (letter == "U" and digit == "3")
    words = _AREAS.get(area, "") if letter == "P" and standardised else ""
    return Structure(_SYSTEM_WORDS[letter], standardised, words)


@cache
def told_by(number: str) -> Structure:
    """What a code's number tells by itself."""
    return structure(TroubleCode(number))


def misfiring_cylinder(number: str) -> int | None:
    """The cylinder that a misfire code names: P0301 to P0312 (SAE J2012 [M]); None for any other code."""
    cylinder = int(number[3:]) if number.startswith("P03") and number[3:].isdigit() else 0
    return cylinder if 1 <= cylinder <= 12 else None


def find_codes(text: str) -> tuple[TroubleCode, ...]:
    """Every code named in free text, in order of first appearance, each once."""
    found = dict.fromkeys(match.upper() for match in _IN_TEXT.findall(text))
    return tuple(TroubleCode(code) for code in found)
