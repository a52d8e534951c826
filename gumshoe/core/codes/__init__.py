"""Trouble codes: two bytes on the bus, five characters on the screen, and what the digits alone tell."""

from gumshoe.core.codes.numbers import (
    NETWORK,
    POWERTRAIN,
    CodeState,
    Structure,
    TroubleCode,
    find_codes,
    misfiring_cylinder,
    plain_states,
    structure,
    told_by,
)

__all__ = [
    "NETWORK",
    "POWERTRAIN",
    "CodeState",
    "Structure",
    "TroubleCode",
    "find_codes",
    "misfiring_cylinder",
    "plain_states",
    "structure",
    "told_by",
]
