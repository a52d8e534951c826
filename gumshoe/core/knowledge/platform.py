"""Platform files: what is known of one vehicle beyond the generic tables, and where to find it by VIN.

A platform overrides description, specification and wiring, and adds its own parts and makers' codes. A shop can write
its own; a bad file names file and line.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache, cached_property
from pathlib import Path

from gumshoe.core.knowledge.access import Access
from gumshoe.core.knowledge.code_index import OwnCode
from gumshoe.core.knowledge.component_rows import ClassRow
from gumshoe.core.knowledge.parts import Component, Local, PinRow, WiringRow, components
from gumshoe.core.knowledge.rows import RoutineRow, Specification
from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.knowledge.values import BusId, Joint, LogicalAddress, Part, Row, Torque
from gumshoe.core.obd.actuators import CommandRow
from gumshoe.core.obd.identifiers import IdentifierRow
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
class PlatformHead(Row):
    """Which vehicle a platform file is about."""

    id: str
    make: str
    model: str
    years: str
    vin_prefix: str


@dataclass(frozen=True)
class ModuleRow(Row):
    """A control unit of the vehicle that answers UDS: its name, its request and response ids on the bus, its logical
    address over IP."""

    name: str
    request_id: BusId
    response_id: BusId
    logical: LogicalAddress = 0


@dataclass(frozen=True)
class Platform(Row):
    """A known vehicle."""

    platform: PlatformHead
    powertrain: Powertrain
    specification: Specification = field(default_factory=Specification)
    wiring: tuple[WiringRow, ...] = ()
    part: tuple[ClassRow, ...] = ()
    code: tuple[OwnCode, ...] = ()
    module: tuple[ModuleRow, ...] = ()
    access: dict[Part, Access] = field(default_factory=dict)
    pins: dict[Part, dict[str, str]] = field(default_factory=dict)
    command: tuple[CommandRow, ...] = ()
    identifier: tuple[IdentifierRow, ...] = ()
    procedure: tuple[RoutineRow, ...] = ()
    torque: dict[Joint, Torque] = field(default_factory=dict)
    """N·m by joint, as the work sheets name them."""

    @cached_property
    def local(self) -> Local:
        """What the generator is told beyond the generic tables; always the same object."""
        access = tuple(sorted(self.access.items()))
        return Local(self.platform.id, self.wiring, self.part, self.code, access, self.pin_rows)

    @cached_property
    def components(self) -> tuple[Component, ...]:
        """Every component of the vehicle."""
        return components(self.powertrain, self.local)

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
    """Read one platform file. Raises DataError with file and line."""
    return load_table(path, Platform)


@cache
def platforms() -> dict[str, Platform]:
    """Every shipped platform file, by id."""
    return {item.platform.id: item for item in map(load_platform, sorted(FOLDER.glob("*.toml")))}


def platform_for_vin(vin: str) -> Platform | None:
    """The platform whose prefix the VIN begins with."""
    return next((item for item in platforms().values() if vin.startswith(item.platform.vin_prefix)), None)
