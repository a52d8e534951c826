"""Gumshoe: from "the engine light is on" to a repair that is proven."""
