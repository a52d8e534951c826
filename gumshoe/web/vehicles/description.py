"""The powertrain description of a vehicle: what holds, what the bus tells, and storing what was entered."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from gumshoe.core.clues import Told, told_by_bus
from gumshoe.core.knowledge.parts import Fitted
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.knowledge.presets import describe, facts_of
from gumshoe.core.obd.snapshot import ModuleSnapshot
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.web.vehicles.models import Vehicle


def powertrain_of(vehicle: Vehicle) -> Powertrain:
    """The powertrain as entered, else the platform's, else the generic one."""
    if vehicle.powertrain:
        return describe(vehicle.powertrain)
    found = platforms().get(vehicle.platform)
    return found.powertrain if found else Powertrain()


def origin_of(vehicle: Vehicle) -> str:
    """Where the description that holds comes from."""
    if vehicle.powertrain:
        return "entered for this vehicle"
    found = platforms().get(vehicle.platform)
    return f"platform file {found.platform.make} {found.platform.model}" if found else "generic: nothing is known yet"


def prefilled(vehicle: Vehicle, module: ModuleSnapshot | None) -> tuple[Powertrain, tuple[Told, ...]]:
    """The description to begin with: what holds, changed by what the bus tells against it."""
    held = powertrain_of(vehicle)
    facts: dict[str, Any] = facts_of(held)
    told = tuple(item for item in told_by_bus(module) if facts.get(item.fact) != item.value)
    if not told or vehicle.powertrain or vehicle.platform:
        return held, told
    # only the facts that are told stand; the rest follows from them as usual
    return describe({item.fact: item.value for item in told} | {"displacement_l": held.displacement_l}), told


def with_fitted(
    vehicle: Vehicle, begun: Powertrain, told: tuple[Told, ...], fitted: Powertrain, by: Iterable[Fitted]
) -> tuple[Powertrain, tuple[Told, ...]]:
    """The description to begin with, and what tells of it, with the equipment that codes of the case tell of: the right
    description is then one press away. ``fitted``: the one that holds, with that equipment; ``by``: which code of what.
    """
    held, more = facts_of(powertrain_of(vehicle)), facts_of(fitted)
    changed = {name: value for name, value in more.items() if value != held[name]}
    named = (Told(item.words, "fitted", f"{item.code} would not be watched without it") for item in by)
    return describe(facts_of(begun) | changed), (*told, *named)


def store(vehicle: Vehicle, facts: dict[str, Any]) -> Powertrain:
    """Keep the description with the vehicle. Raises BadInput naming the fact that cannot be."""
    found = describe(facts)
    vehicle.powertrain = facts_of(found)
    vehicle.save(update_fields=["powertrain"])
    return found
