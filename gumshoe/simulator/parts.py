"""The physical state of a vehicle's parts: what is worn, split, weak or unplugged, and how it is mended.

Numbers are physical: effective areas in mm², gains as fractions. A defect is a named change to them. Defect sizes
are invented for the stand-ins (within what is common for such faults, no source).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, fields

CYLINDERS = 4


def _per_cylinder(value: float) -> Callable[[], list[float]]:
    return lambda: [value] * CYLINDERS


@dataclass
class Parts:
    """Condition of every part the physics knows, at its nominal value in a healthy car.

    ``leaks_mm2``: effective area of holes between the air-flow meter and the valves, by component; air that enters
    there was not metered. ``unplugged``: components whose connector is off.
    """

    leaks_mm2: dict[str, float] = field(default_factory=dict)
    duct_leak_share: float = 0.0
    meter_gain_low: float = 1.0
    meter_gain_high: float = 1.0
    pump_capacity: float = 1.0
    filter_restriction: float = 1.0
    injector_gain: list[float] = field(default_factory=_per_cylinder(1.0))
    coil_strength: list[float] = field(default_factory=_per_cylinder(1.0))
    plug_wear: list[float] = field(default_factory=_per_cylinder(0.1))
    compression: list[float] = field(default_factory=_per_cylinder(1.0))
    purge_passing_mm2: float = 0.0
    lambda_shift: float = 0.0
    lambda_lag_s: float = 0.06
    exhaust_leak: float = 0.0
    catalyst_capacity: float = 1.0
    thermostat_open: bool = False
    air_filter_restriction: float = 1.0
    heater_open: bool = False
    battery_health: float = 1.0
    unplugged: set[str] = field(default_factory=set)


# Where air from each hole goes: shares for cylinders 1–4 (a hole near a runner starves its own cylinder first).
LEAK_SPREAD = {
    "crankcase_ventilation_hose": (0.34, 0.28, 0.21, 0.17),
    "brake_booster_hose": (0.25, 0.25, 0.25, 0.25),
    "intake_manifold_gasket": (0.02, 0.03, 0.10, 0.85),
}
EVEN = (0.25, 0.25, 0.25, 0.25)


@dataclass(frozen=True)
class Defect:
    """One fault that can be put into a stand-in: its key, what it physically is, and how it changes the parts."""

    key: str
    words: str
    component: str
    apply: Callable[[Parts], None]


def _leak(component: str, area: float) -> Callable[[Parts], None]:
    def change(parts: Parts) -> None:
        parts.leaks_mm2[component] = area

    return change


def _set(name: str, value: object) -> Callable[[Parts], None]:
    return lambda parts: setattr(parts, name, value)


def _cylinder(name: str, cylinder: int, value: float) -> Callable[[Parts], None]:
    def change(parts: Parts) -> None:
        getattr(parts, name)[cylinder - 1] = value

    return change


def _meter(parts: Parts) -> None:
    parts.meter_gain_low, parts.meter_gain_high = 0.95, 0.72


def _catalogue() -> dict[str, Defect]:
    rows = [
        Defect(
            "crankcase-hose-split",
            "the crankcase ventilation hose is split at its manifold end",
            "crankcase_ventilation_hose",
            _leak("crankcase_ventilation_hose", 2.5),
        ),
        Defect(
            "booster-hose-cracked",
            "the brake booster hose is cracked at the manifold",
            "brake_booster_hose",
            _leak("brake_booster_hose", 2.5),
        ),
        Defect(
            "manifold-gasket",
            "the intake manifold gasket leaks at cylinder 4",
            "intake_manifold_gasket",
            _leak("intake_manifold_gasket", 2.3),
        ),
        Defect(
            "duct-loose",
            "the duct behind the air-flow meter is off its clamp",
            "intake_duct",
            _set("duct_leak_share", 0.24),
        ),
        Defect("meter-low", "the air-flow meter reads low, more so at high flow", "air_flow_meter", _meter),
        Defect("pump-weak", "the fuel pump cannot hold pressure at flow", "fuel_pump", _set("pump_capacity", 0.16)),
        Defect("purge-passing", "the purge valve does not close", "purge_valve", _set("purge_passing_mm2", 1.6)),
        Defect(
            "sensor-lean", "the upstream oxygen sensor reads lean", "oxygen_sensor_b1s1", _set("lambda_shift", 0.22)
        ),
        Defect(
            "exhaust-leak",
            "the exhaust leaks ahead of the upstream sensor",
            "exhaust_manifold_gasket",
            _set("exhaust_leak", 0.36),
        ),
        Defect("thermostat-open", "the thermostat stays open", "thermostat", _set("thermostat_open", True)),
        Defect("catalyst-worn", "the catalyst stores hardly any oxygen", "catalyst", _set("catalyst_capacity", 0.06)),
        Defect(
            "heater-open",
            "the heater of the upstream oxygen sensor is open",
            "oxygen_sensor_b1s1",
            _set("heater_open", True),
        ),
        Defect("air-filter-clogged", "the air filter is clogged", "air_filter", _set("air_filter_restriction", 9.0)),
    ]
    for cylinder in range(1, CYLINDERS + 1):
        rows += [
            Defect(
                f"coil-{cylinder}-weak",
                f"the coil of cylinder {cylinder} breaks down",
                f"ignition_coil_{cylinder}",
                _cylinder("coil_strength", cylinder, 0.15),
            ),
            Defect(
                f"plug-{cylinder}-worn",
                f"the plug of cylinder {cylinder} is worn out",
                f"spark_plug_{cylinder}",
                _cylinder("plug_wear", cylinder, 0.92),
            ),
            Defect(
                f"injector-{cylinder}-clogged",
                f"the injector of cylinder {cylinder} delivers too little",
                f"injector_{cylinder}",
                _cylinder("injector_gain", cylinder, 0.70),
            ),
            Defect(
                f"compression-{cylinder}-low",
                f"cylinder {cylinder} has lost compression",
                f"cylinder_{cylinder}",
                _cylinder("compression", cylinder, 0.55),
            ),
        ]
    return {row.key: row for row in rows}


DEFECTS = _catalogue()
SETS = {"spark_plugs": "spark_plug_", "injectors": "injector_"}
"""What is renewed or cleaned as a set, and the beginning of its members' names."""


def mend(parts: Parts, component: str) -> bool:
    """Put a component back to its nominal condition, whatever was wrong with it; True when that changed anything.

    A part that is replaced is also plugged in again.
    """
    before = repr(parts)
    nominal = Parts()
    for defect in DEFECTS.values():
        if defect.component != component and not defect.component.startswith(SETS.get(component, "-")):
            continue
        trial = Parts()
        defect.apply(trial)
        for item in fields(Parts):
            if item.name == "unplugged":
                continue
            good, bad = getattr(nominal, item.name), getattr(trial, item.name)
            if good == bad:
                continue
            if isinstance(good, list):
                for index, (a, b) in enumerate(zip(good, bad, strict=True)):
                    if a != b:
                        getattr(parts, item.name)[index] = a
            elif isinstance(good, dict):
                parts.leaks_mm2.pop(component, None)
            else:
                setattr(parts, item.name, good)
    parts.unplugged.discard(component)
    return repr(parts) != before
