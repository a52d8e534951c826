"""Platform files: what is known of one vehicle beyond the generic tables, and where to find it by VIN.

A platform overrides description, specification and wiring, and adds its own parts and makers' codes. A shop can write
its own; a bad file names file and line.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache, cached_property
from pathlib import Path

from gumshoe.core.errors import DataError
from gumshoe.core.knowledge.access import Access
from gumshoe.core.knowledge.code_index import OwnCode
from gumshoe.core.knowledge.component_rows import ClassRow
from gumshoe.core.knowledge.parts import Local, PinRow, WiringRow, components, shared_points
from gumshoe.core.knowledge.procedures import procedures
from gumshoe.core.knowledge.rows import RoutineRow, Specification
from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.obd.actuators import CommandRow, actuators
from gumshoe.core.obd.identifiers import IdentifierRow
from gumshoe.core.obd.pids import fields_by_key
from gumshoe.core.powertrain.description import Powertrain

FOLDER = Path(__file__).parent / "platforms"


LIMITS = (
    ("idle_rpm", "Idle", "rpm", ()),
    ("idle_tolerance_rpm", "… within", "rpm", ()),
    ("fuel_pressure_kpa", "Fuel pressure", "kPa", ("spark",)),
    ("plug_gap_mm", "Plug gap", "mm", ("spark",)),
    ("thermostat_c", "Thermostat opens", "°C", ()),
)
"""What is specified: name, words, unit, and what a powertrain must have for it to mean anything."""


def limits_of(powertrain: Powertrain, specification: Specification) -> tuple[tuple[str, str], ...]:
    """The specification in words, value with its unit; what this powertrain has not, or nobody knows, is left out."""
    return tuple(
        (words, f"{getattr(specification, key):g} {unit}")
        for key, words, unit, needs in LIMITS
        if getattr(specification, key) is not None and set(needs) <= powertrain.features
    )


@dataclass(frozen=True)
class PlatformHead:
    """Which vehicle a platform file is about."""

    id: str
    make: str
    model: str
    years: str
    vin_prefix: str


@dataclass(frozen=True)
class ModuleRow:
    """A control unit of the vehicle that answers UDS: its name and its request and response ids on the bus."""

    name: str
    request_id: int
    response_id: int


@dataclass(frozen=True)
class Platform:
    """A known vehicle."""

    platform: PlatformHead
    powertrain: Powertrain
    specification: Specification = field(default_factory=Specification)
    wiring: tuple[WiringRow, ...] = ()
    part: tuple[ClassRow, ...] = ()
    code: tuple[OwnCode, ...] = ()
    module: tuple[ModuleRow, ...] = ()
    access: dict[str, Access] = field(default_factory=dict)
    pins: dict[str, dict[str, str]] = field(default_factory=dict)
    command: tuple[CommandRow, ...] = ()
    identifier: tuple[IdentifierRow, ...] = ()
    procedure: tuple[RoutineRow, ...] = ()
    torque: dict[str, float] = field(default_factory=dict)
    """N·m by joint, as the work sheets name them."""

    @cached_property
    def local(self) -> Local:
        """What the generator is told beyond the generic tables; always the same object."""
        access = tuple(sorted(self.access.items()))
        return Local(self.platform.id, self.wiring, self.part, self.code, access, self.pin_rows)

    @cached_property
    def pin_rows(self) -> tuple[PinRow, ...]:
        """The pin table: of each component's plug and of the control unit's, as its circuit names the places."""
        rows = []
        for component, terminals in self.pins.items():
            for terminal, told in terminals.items():
                number, _, colour = told.partition(" ")
                rows.append(PinRow(component, terminal, number, colour))
        return tuple(rows)


def load_platform(path: Path) -> Platform:
    """Read one platform file. Raises DataError with file and line, or with the name that does not fit."""
    found = load_table(path, Platform)
    try:
        shared_points(found.powertrain, found.local)
        known = {item.id for item in components(found.powertrain, found.local)}
        for component in found.pins:
            if component not in known:
                raise DataError(f"pins: this powertrain has no component “{component}”.")
        for told in found.command:
            if told.actuator not in actuators():
                raise DataError(f"command {told.identifier:04X}: there is no actuator “{told.actuator}”.")
        for routine in found.procedure:
            if routine.procedure not in procedures():
                raise DataError(f"procedure {routine.identifier:04X}: there is none called “{routine.procedure}”.")
        for joint, nm in found.torque.items():
            if not 0.0 < nm <= 1000.0:
                raise DataError(f"torque: {joint}: {nm:g} N·m cannot be.")
        for row in found.identifier:
            if row.key in fields_by_key():
                raise DataError(f"identifier {row.id:04X}: the key “{row.key}” belongs to service 01.")
            if not 1 <= row.size <= 4:
                raise DataError(f"identifier {row.id:04X}: 1 to 4 bytes, not {row.size}.")
    except DataError as error:
        raise DataError(f"{path.name}: {error.what}") from error
    return found


@cache
def platforms() -> dict[str, Platform]:
    """Every shipped platform file, by id."""
    return {item.platform.id: item for item in map(load_platform, sorted(FOLDER.glob("*.toml")))}


def platform_for_vin(vin: str) -> Platform | None:
    """The platform whose prefix the VIN begins with."""
    return next((item for item in platforms().values() if vin.startswith(item.platform.vin_prefix)), None)
