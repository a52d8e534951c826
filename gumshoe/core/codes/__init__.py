"""Trouble codes: two bytes on the bus, five characters on the screen, and what the digits alone tell."""

from gumshoe.core.codes.numbers import CodeState, Structure, TroubleCode, find_codes, structure

__all__ = ["CodeState", "Structure", "TroubleCode", "find_codes", "structure"]
