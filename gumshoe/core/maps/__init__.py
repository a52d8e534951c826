"""Pictures computed from the model: where parts sit on this engine, and how its codes hang together. Geometry only."""

from gumshoe.core.maps.codes import CodeMap, code_map
from gumshoe.core.maps.engine import EngineMap, engine_map
from gumshoe.core.maps.system import SystemMap, system_map, systems_of

__all__ = ["CodeMap", "EngineMap", "SystemMap", "code_map", "engine_map", "system_map", "systems_of"]
