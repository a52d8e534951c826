"""Pictures computed from the model: where parts sit on this engine, and how its codes hang together. Geometry only."""

from gumshoe.core.maps.codes import CodeMap, code_map
from gumshoe.core.maps.engine import EngineMap, engine_map

__all__ = ["CodeMap", "EngineMap", "code_map", "engine_map"]
