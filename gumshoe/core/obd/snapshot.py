"""What one scan saw: everything the vehicle said at one moment, as plain values."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum

from gumshoe.core.codes import CodeState, TroubleCode
from gumshoe.core.obd.results import MonitorResult
from gumshoe.core.obd.status import MonitorStatus

FIRST_RESPONDER = 0x7E8
"""The response id that the engine's control unit has by custom (ISO 15765-4); codes without a scan stand under it."""


@dataclass(frozen=True)
class StoredCode:
    """A code as one module holds it. ``failure_type``: two hexadecimal digits of a three-byte code, else empty.
    ``warns``: whether the module asks for its warning lamp because of it, where it says so (UDS)."""

    code: TroubleCode
    state: CodeState
    failure_type: str = ""
    warns: bool = False


@dataclass(frozen=True)
class FreezeFrame:
    """The values stored when ``code`` set, by channel key, in the table's units."""

    code: TroubleCode
    values: dict[str, float]


class Speaks(StrEnum):
    """How a module tells what it knows: by the law's diagnosis in one of its two ways, or by UDS alone."""

    CLASSIC = "SAE J1979"
    ON_UDS = "SAE J1979-2"
    UDS = "UDS"


class Part(StrEnum):
    """What a scan asks a module for."""

    CONFIRMED = "confirmed codes"
    PENDING = "pending codes"
    PERMANENT = "permanent codes"
    CODES = "codes"
    MAKERS_CODES = "codes beyond the law's"
    FRAMES = "freeze frame"
    RESULTS = "monitor results"
    STATUS = "readiness"
    VALUES = "current data"
    IDENTITY = "identification"
    OTHER = "another part"


TELLING = (Part.CONFIRMED, Part.PENDING, Part.CODES)
"""Parts without which nobody may say that there are no codes."""


@dataclass(frozen=True)
class Unread:
    """A part that is not known, and why. ``offered``: False when the module said that it does not have it."""

    part: Part
    why: str
    offered: bool = True

    @property
    def hides_codes(self) -> bool:
        """Whether today's codes are not known for it. A module without a list of pending ones hides nothing."""
        return self.part in TELLING and (self.offered or self.part is not Part.PENDING)


@dataclass(frozen=True)
class SilentModule:
    """A module that should be there and did not tell its codes: all of it is unknown."""

    name: str
    responder: int
    why: str


@dataclass(frozen=True)
class ModuleSnapshot:
    """One module's part of the scan. ``responder`` is its response id on the bus. An empty list of codes, frames or
    results means *none* only where ``unread`` does not name that part: there it means *not known*."""

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
    unread: tuple[Unread, ...] = ()
    speaks: Speaks = Speaks.CLASSIC

    @property
    def label(self) -> str:
        """Its name, else its address."""
        return self.name or f"module {self.responder:X}"

    @property
    def codes_known(self) -> bool:
        """Whether its list of codes is whole: an empty one then means none."""
        return not any(item.hides_codes for item in self.unread)

    def missing(self, part: Part) -> Unread | None:
        """Why a part is not known; None when it was read."""
        return next((item for item in self.unread if item.part is part), None)

    @property
    def likeness(self) -> int:
        """How much it looks like the engine's control unit: by its name (SAE J1979 gives ECM and PCM [S]), by the
        monitors of the machine it reports, by engine speed and load."""
        named = self.name.upper()
        own = 16 if named.startswith(("ECM", "PCM")) else (-16 if named.startswith(("TCM", "ABS", "BCM")) else 0)
        monitors = self.status.monitors if self.status else ()
        watched = sum(item.supported and item.name != "comprehensive components" for item in monitors)
        return own + watched + sum(number in self.pids for number in (0x04, 0x0C))

    def completed(self, monitor: str) -> bool:
        """Whether that readiness monitor is there and has run since the last clear."""
        item = self.status.monitor(monitor) if self.status else None
        return item is not None and item.supported and item.complete

    def with_state(self, state: CodeState) -> tuple[str, ...]:
        """Codes held in that state, in the module's order."""
        return tuple(item.code for item in self.codes if item.state is state)


@dataclass(frozen=True)
class Snapshot:
    """A whole scan. ``problems`` lists what could not be read, and why; ``silent``: modules that told nothing; the rest
    is complete."""

    taken_at: datetime
    addressing: str
    modules: tuple[ModuleSnapshot, ...]
    problems: tuple[str, ...] = ()
    silent: tuple[SilentModule, ...] = ()

    @property
    def engine(self) -> ModuleSnapshot | None:
        """The engine's control unit: the module that says so most, wherever it answers; of equals the first."""
        return max(self.modules, key=lambda module: module.likeness, default=None)

    @property
    def unread(self) -> tuple[str, ...]:
        """Everything that is not known, in words: ``confirmed codes of the engine``."""
        rows = [(module, item) for module in self.modules for item in module.unread]
        return (
            *(f"{item.part.value} of {self._called(module)}" for module, item in rows if item.offered),
            *(f"all of {item.name}" for item in self.silent),
        )

    @property
    def codes_unread(self) -> tuple[str, ...]:
        """Which codes are not known: while there is one, nobody may say that there are none."""
        rows = [(module, item) for module in self.modules for item in module.unread if item.hides_codes]
        return (
            *(f"{item.part.value} of {self._called(module)}" for module, item in rows),
            *(f"codes of {item.name}" for item in self.silent),
        )

    def _called(self, module: ModuleSnapshot) -> str:
        return module.label if module is not self.engine else "the engine"

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

    def codes_in(self, *states: CodeState) -> tuple[TroubleCode, ...]:
        """Codes of all modules in any of the states, each once, in order."""
        wanted = states or tuple(CodeState)
        return tuple(dict.fromkeys(item.code for item in self.stored_codes if item.state in wanted))


def states_by_code(codes: Iterable[StoredCode]) -> dict[TroubleCode, tuple[CodeState, ...]]:
    """Every state in which each code is held, each once, in order."""
    found: dict[TroubleCode, tuple[CodeState, ...]] = {}
    for item in codes:
        if item.state not in found.get(item.code, ()):
            found[item.code] = (*found.get(item.code, ()), item.state)
    return found


def failure_types(codes: Iterable[StoredCode]) -> dict[str, str]:
    """The failure type of each three-byte code."""
    return {item.code: item.failure_type for item in codes if item.failure_type}
