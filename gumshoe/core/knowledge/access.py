"""How a part is reached on this vehicle, and the minutes that adds to testing and repairing it.

The minutes of the tables are for a part that lies open. A platform file says how its own parts are reached; without
one a V engine across the car has its rear bank under the intake. Access dominates labour (trade practice; minutes:
common practice, no source).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from enum import StrEnum

from gumshoe.core.powertrain.component import ComponentRef
from gumshoe.core.powertrain.description import BankOneSide, Powertrain
from gumshoe.core.powertrain.positions import bank_of, side_of


class Access(StrEnum):
    """How a part is reached."""

    OPEN = "open"
    REACHABLE = "reachable"
    COVERED = "covered"
    BURIED = "buried"


MINUTES = {Access.OPEN: 0, Access.REACHABLE: 4, Access.COVERED: 15, Access.BURIED: 45}
"""A cover or clip off; the intake or a shield off; large parts or the tank out."""
UNDER_THE_INTAKE = (
    "ignition_coil",
    "spark_plug",
    "cylinder",
    "injector",
    "oxygen_sensor",
    "exhaust_manifold_gasket",
    "knock_sensor",
)
"""Classes that the intake covers on the rear bank of an engine across the car."""


def access_of(component: str, powertrain: Powertrain, given: Mapping[str, Access]) -> Access:
    """How a component is reached: as its own entry says, else its class's, else by where its bank lies."""
    ref = ComponentRef.parse(component)
    for name in (component, ref.kind):
        if name in given:
            return given[name]
    if powertrain.banks < 2 or ref.kind not in UNDER_THE_INTAKE:
        return Access.OPEN
    bank = bank_of(powertrain, ref.cylinder) if ref.cylinder else ref.bank
    return Access.COVERED if side_of(powertrain, bank) is BankOneSide.REAR else Access.OPEN


def hardest(components: Iterable[str], powertrain: Powertrain, given: Mapping[str, Access]) -> Access:
    """The hardest access among several components."""
    found = [access_of(name, powertrain, given) for name in components]
    return max(found, key=MINUTES.__getitem__, default=Access.OPEN)
