"""What one scan saw: everything the vehicle said at one moment, as plain values."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime

from gumshoe.core.codes import CodeState, TroubleCode
from gumshoe.core.obd.results import MonitorResult
from gumshoe.core.obd.status import MonitorStatus

FIRST_RESPONDER = 0x7E8
"""The response id that the engine's control unit has by custom (ISO 15765-4); codes without a scan stand under it."""


@dataclass(frozen=True)
class StoredCode:
    """A code as one module holds it. ``failure_type``: two hexadecimal digits of a three-byte code, else empty."""

    code: str
    state: CodeState
    failure_type: str = ""

    @property
    def trouble(self) -> TroubleCode:
        return TroubleCode(self.code)


@dataclass(frozen=True)
class FreezeFrame:
    """The values stored when ``code`` set, by channel key, in the table's units."""

    code: str
    values: dict[str, float]


@dataclass(frozen=True)
class ModuleSnapshot:
    """One module's part of the scan. ``responder`` is its response id on the bus."""

    responder: int
    name: str = ""
    vin: str = ""
    calibrations: tuple[str, ...] = ()
    verifications: tuple[str, ...] = ()
    status: MonitorStatus | None = None
    trip_status: MonitorStatus | None = None
    codes: tuple[StoredCode, ...] = ()
    frames: tuple[FreezeFrame, ...] = ()
    results: tuple[MonitorResult, ...] = ()
    values: dict[str, float] = field(default_factory=dict)
    pids: tuple[int, ...] = ()

    def with_state(self, state: CodeState) -> tuple[str, ...]:
        """Codes held in that state, in the module's order."""
        return tuple(item.code for item in self.codes if item.state is state)


@dataclass(frozen=True)
class Snapshot:
    """A whole scan. ``problems`` lists what could not be read, and why; the rest is complete."""

    taken_at: datetime
    addressing: str
    modules: tuple[ModuleSnapshot, ...]
    problems: tuple[str, ...] = ()

    @property
    def engine(self) -> ModuleSnapshot | None:
        """The engine's control unit: the first module that reports readiness, else the first."""
        for module in self.modules:
            if module.status is not None and any(item.supported for item in module.status.monitors):
                return module
        return self.modules[0] if self.modules else None

    @property
    def stored_codes(self) -> tuple[StoredCode, ...]:
        """The codes of all modules as they hold them."""
        return tuple(item for module in self.modules for item in module.codes)

    @property
    def vin(self) -> str:
        return next((module.vin for module in self.modules if module.vin), "")

    @property
    def lamp(self) -> bool | None:
        """Whether any module asks for the lamp; None when no module said."""
        known = [module.status.lamp for module in self.modules if module.status is not None]
        return any(known) if known else None

    def codes_in(self, *states: CodeState) -> tuple[str, ...]:
        """Codes of all modules in any of the states, each once, in order."""
        wanted = states or tuple(CodeState)
        return tuple(dict.fromkeys(item.code for item in self.stored_codes if item.state in wanted))


def states_by_code(codes: Iterable[StoredCode]) -> dict[str, tuple[CodeState, ...]]:
    """Every state in which each code is held, each once, in order."""
    found: dict[str, tuple[CodeState, ...]] = {}
    for item in codes:
        if item.state not in found.get(item.code, ()):
            found[item.code] = (*found.get(item.code, ()), item.state)
    return found


def failure_types(codes: Iterable[StoredCode]) -> dict[str, str]:
    """The failure type of each three-byte code."""
    return {item.code: item.failure_type for item in codes if item.failure_type}
