"""Gumshoe: from "the engine light is on" to a repair that is proven."""

__version__ = "0.2.0"
