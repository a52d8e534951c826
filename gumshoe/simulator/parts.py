"""The physical state of a vehicle's parts: what is worn, split, weak or unplugged, and how it is mended.

Numbers are physical: effective areas in mm², gains as fractions. A defect is a named change to them. Defect sizes
are invented for the stand-ins (within what is common for such faults, no source).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, fields
from functools import cache

from gumshoe.simulator.models import Model, models

BROKEN_OHM = 1e6
OPEN_OHM = 1e9
INSIDE = {"load", "heater", "motor", "sensor", "upper", "lower", "output", "inside", "coil"}
"""Elements of a circuit that sit in the part itself: they go with it when it is renewed, and stay when its wires are
mended."""


@dataclass
class Parts:
    """Condition of every part the physics knows, at its nominal value in a healthy car.

    Lists are by cylinder or by bank, counted from 0. ``leaks_mm2``: effective area of holes between the air-flow meter
    and the valves, by component; air that enters there was not metered. ``unplugged``: components whose connector is
    off; ``open_points``: fuses and grounds that are open, with what hangs on them; ``wired``: an element of a
    component's circuit that is broken or has a resistance it should not have, and its ohms; ``loose``: plugs that are
    half seated."""

    injector_gain: list[float]
    coil_strength: list[float]
    plug_wear: list[float]
    compression: list[float]
    lambda_shift: list[float]
    lambda_lag_s: list[float]
    exhaust_leak: list[float]
    catalyst_capacity: list[float]
    heater_open: list[bool]
    rear_heater_open: list[bool]
    leaks_mm2: dict[str, float] = field(default_factory=dict)
    duct_leak_share: float = 0.0
    meter_gain_low: float = 1.0
    meter_gain_high: float = 1.0
    pressure_gain: float = 1.0
    pump_capacity: float = 1.0
    regulator_gain: float = 1.0
    filter_restriction: float = 1.0
    purge_passing_mm2: float = 0.0
    thermostat_open: bool = False
    air_filter_restriction: float = 1.0
    battery_health: float = 1.0
    boost_gain: float = 1.0
    gate_stuck: bool = False
    phaser_stuck: bool = False
    vent_stuck: bool = False
    unplugged: set[str] = field(default_factory=set)
    open_points: dict[str, list[str]] = field(default_factory=dict)
    wired: dict[str, tuple[str, float]] = field(default_factory=dict)
    loose: set[str] = field(default_factory=set)

    @property
    def dead(self) -> set[str]:
        """Components without feed, ground or connector, or open somewhere in their circuit."""
        broken = {name for name, (_, ohm) in self.wired.items() if ohm >= BROKEN_OHM}
        if not self.open_points and not broken:
            return self.unplugged
        return self.unplugged.union(broken, *self.open_points.values())


def healthy(model: Model) -> Parts:
    """The parts of a car of that kind with nothing wrong."""
    cylinders, banks = model.cylinders, len(model.banks)
    return Parts(
        injector_gain=[1.0] * cylinders,
        coil_strength=[1.0] * cylinders,
        plug_wear=[0.1] * cylinders,
        compression=[1.0] * cylinders,
        lambda_shift=[0.0] * banks,
        lambda_lag_s=[0.06] * banks,
        exhaust_leak=[0.0] * banks,
        catalyst_capacity=[1.0] * banks,
        heater_open=[False] * banks,
        rear_heater_open=[False] * banks,
    )


def leak_spread(model: Model) -> dict[str, tuple[float, ...]]:
    """Where air from each hole goes: the share of each cylinder (a hole near a runner starves its own first)."""
    count, joint = model.cylinders, model.weakest_joint - 1
    falling = [0.8 ** model.members[model.bank_of[n]].index(n) for n in range(count)]
    near = [0.85 if n == joint else (0.10 if n == joint - 1 else 0.05 / (count - 2)) for n in range(count)]
    return {
        "crankcase_ventilation_hose": tuple(share / sum(falling) for share in falling),
        "brake_booster_hose": (1.0 / count,) * count,
        "intake_manifold_gasket": tuple(share / sum(near) for share in near),
    }


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


def _at(name: str, place: int, value: object) -> Callable[[Parts], None]:
    def change(parts: Parts) -> None:
        getattr(parts, name)[place] = value

    return change


def _wired(component: str, element: str, ohm: float = OPEN_OHM) -> Callable[[Parts], None]:
    return lambda parts: parts.wired.update({component: (element, ohm)})


def _loose(component: str) -> Callable[[Parts], None]:
    return lambda parts: parts.loose.add(component)


def _unplugged(component: str) -> Callable[[Parts], None]:
    return lambda parts: parts.unplugged.add(component)


def _meter(parts: Parts) -> None:
    parts.meter_gain_low, parts.meter_gain_high = 0.95, 0.72


def _of_the_car(model: Model) -> list[Defect]:
    hole = model.size * model.leak_scale
    joint = model.weakest_joint
    return [
        Defect(
            "crankcase-hose-split",
            "the crankcase ventilation hose is split at its manifold end",
            "crankcase_ventilation_hose",
            _leak("crankcase_ventilation_hose", 2.5 * hole),
        ),
        Defect(
            "booster-hose-cracked",
            "the brake booster hose is cracked at the manifold",
            "brake_booster_hose",
            _leak("brake_booster_hose", 2.5 * hole),
        ),
        Defect(
            "manifold-gasket",
            f"the intake manifold gasket leaks at cylinder {joint}",
            "intake_manifold_gasket",
            _leak("intake_manifold_gasket", 2.3 * hole),
        ),
        Defect("pump-weak", "the fuel pump cannot hold pressure at flow", "fuel_pump", _set("pump_capacity", 0.16)),
        Defect("fuel-filter-clogged", "the fuel filter is clogged", "fuel_filter", _set("filter_restriction", 7.5)),
        Defect(
            "regulator-high",
            "the pressure regulator holds too much",
            "fuel_pressure_regulator",
            _set("regulator_gain", 1.75),
        ),
        Defect(
            "purge-passing",
            "the purge valve does not close",
            "purge_valve",
            _set("purge_passing_mm2", 1.6 * model.size),
        ),
        Defect("thermostat-open", "the thermostat stays open", "thermostat", _set("thermostat_open", True)),
        Defect("air-filter-clogged", "the air filter is clogged", "air_filter", _set("air_filter_restriction", 9.0)),
        Defect(
            "coolant-sensor-off", "the coolant sensor's plug is off", "coolant_sensor", _unplugged("coolant_sensor")
        ),
        Defect("purge-plug-off", "the purge valve's plug is off", "purge_valve", _unplugged("purge_valve")),
        Defect("purge-open", "the purge valve's winding is open", "purge_valve", _wired("purge_valve", "load")),
        Defect(
            "purge-wire-open",
            "the purge valve's control wire is broken",
            "purge_valve",
            _wired("purge_valve", "control_wire"),
        ),
        Defect(
            "coolant-wire-open",
            "the coolant sensor's signal wire is broken",
            "coolant_sensor",
            _wired("coolant_sensor", "signal_wire"),
        ),
    ]


def _opened(point: str, members: tuple[str, ...]) -> Callable[[Parts], None]:
    return lambda parts: parts.open_points.update({point: list(members)})


def _of_the_wiring(model: Model) -> list[Defect]:
    return [
        Defect(
            f"{point.replace('_', '-')}-open",
            f"{'the fuse' if point.startswith('feed') else 'the ground point'} of {', '.join(members)} is open",
            point,
            _opened(point, members),
        )
        for point, members in model.points.items()
    ]


def _of_the_metering(model: Model) -> list[Defect]:
    if model.flow_metered:
        return [
            Defect(
                "duct-loose",
                "the duct behind the air-flow meter is off its clamp",
                "intake_duct",
                _set("duct_leak_share", 0.24),
            ),
            Defect("meter-low", "the air-flow meter reads low, more so at high flow", "air_flow_meter", _meter),
            Defect(
                "meter-plug-off", "the air-flow meter's plug is off", "air_flow_meter", _unplugged("air_flow_meter")
            ),
        ]
    sensor = "manifold_pressure_sensor"
    return [
        Defect("pressure-low", "the manifold pressure sensor reads low", sensor, _set("pressure_gain", 0.72)),
        Defect("pressure-high", "the manifold pressure sensor reads high", sensor, _set("pressure_gain", 1.38)),
        Defect("pressure-plug-off", "the manifold pressure sensor's plug is off", sensor, _unplugged(sensor)),
    ]


def _of_the_systems(model: Model) -> list[Defect]:
    """Faults of what only some kinds of car have."""
    found = []
    if model.boost_kpa:
        found += [
            Defect("boost-hose-off", "a hose of the charge air is off", "charge_pipes", _set("boost_gain", 0.25)),
            Defect("gate-stuck", "the boost actuator's rod is stuck open", "turbo_actuator", _set("gate_stuck", True)),
            Defect("boost-actuator-open", "the boost actuator is dead", "boost_valve", _wired("boost_valve", "inside")),
        ]
    if model.cam_travel_deg:
        cam = "intake_phaser_valve"
        found += [
            Defect("phaser-stuck", "the oil control valve of the intake cam sticks", cam, _set("phaser_stuck", True)),
            Defect("phaser-open", "the winding of the oil control valve is open", cam, _wired(cam, "load")),
        ]
    if model.sealed_tank:
        found += [
            Defect("vent-open", "the vent valve's winding is open", "vent_valve", _wired("vent_valve", "load")),
            Defect("vent-stuck", "the vent valve does not close", "vent_valve", _set("vent_stuck", True)),
        ]
    return found


def _of_a_bank(model: Model, bank: int) -> list[Defect]:
    sensor = f"oxygen_sensor_b{bank}s1"
    tail, of_bank = (f"-b{bank}", f" of bank {bank}") if len(model.banks) > 1 else ("", "")
    own = f"_b{bank}" if bank > 1 else ""
    place = bank - 1
    return [
        Defect(
            f"sensor-lean{tail}",
            f"the upstream oxygen sensor{of_bank} reads lean",
            sensor,
            _at("lambda_shift", place, 0.22),
        ),
        Defect(
            f"exhaust-leak{tail}",
            f"the exhaust{of_bank} leaks ahead of the upstream sensor",
            f"exhaust_manifold_gasket{own}",
            _at("exhaust_leak", place, 0.36),
        ),
        Defect(
            f"catalyst-worn{tail}",
            f"the catalyst{of_bank} stores hardly any oxygen",
            f"catalyst{own}",
            _at("catalyst_capacity", place, 0.02),
        ),
        Defect(
            f"heater-open{tail}",
            f"the heater of the upstream oxygen sensor{of_bank} is open",
            sensor,
            _at("heater_open", place, True),
        ),
        Defect(
            f"rear-heater-open{tail}",
            f"the heater of the downstream oxygen sensor{of_bank} is open",
            f"oxygen_sensor_b{bank}s2",
            _at("rear_heater_open", place, True),
        ),
        Defect(
            f"sensor-plug-off{tail}",
            f"the plug of the upstream oxygen sensor{of_bank} is off",
            sensor,
            _unplugged(sensor),
        ),
    ]


def _of_a_cylinder(cylinder: int) -> list[Defect]:
    place = cylinder - 1
    coil, injector = f"ignition_coil_{cylinder}", f"injector_{cylinder}"
    of = f"of cylinder {cylinder}"
    return [
        Defect(f"coil-{cylinder}-weak", f"the coil {of} breaks down", coil, _at("coil_strength", place, 0.15)),
        Defect(
            f"plug-{cylinder}-worn",
            f"the spark plug {of} is worn out",
            f"spark_plug_{cylinder}",
            _at("plug_wear", place, 0.92),
        ),
        Defect(
            f"injector-{cylinder}-clogged",
            f"the injector {of} delivers too little",
            injector,
            _at("injector_gain", place, 0.70),
        ),
        Defect(
            f"compression-{cylinder}-low",
            f"cylinder {cylinder} has lost compression",
            f"cylinder_{cylinder}",
            _at("compression", place, 0.55),
        ),
        Defect(f"coil-{cylinder}-loose", f"the plug of the coil {of} is half seated", coil, _loose(coil)),
        Defect(f"coil-{cylinder}-off", f"the plug of the coil {of} is off", coil, _unplugged(coil)),
        Defect(f"injector-{cylinder}-off", f"the plug of the injector {of} is off", injector, _unplugged(injector)),
    ]


@cache
def _catalogue(key: str) -> dict[str, Defect]:
    model = models()[key]
    rows = [*_of_the_car(model), *_of_the_metering(model), *_of_the_wiring(model), *_of_the_systems(model)]
    for bank in range(1, len(model.banks) + 1):
        rows += _of_a_bank(model, bank)
    for cylinder in range(1, model.cylinders + 1):
        rows += _of_a_cylinder(cylinder)
    return {row.key: row for row in rows}


def defects_of(model: Model) -> dict[str, Defect]:
    """Every fault that can be put into a car of that kind, by key."""
    return _catalogue(model.key)


SETS = {"spark_plugs": "spark_plug_", "injectors": "injector_"}
"""What is renewed or cleaned as a set, and the beginning of its members' names."""


def mend(parts: Parts, component: str, model: Model) -> bool:
    """Put a component back to its nominal condition, whatever was wrong with it; True when that changed anything.

    A part that is replaced is also plugged in again.
    """
    before = repr(parts)
    nominal = healthy(model)
    for defect in defects_of(model).values():
        if defect.component != component and not defect.component.startswith(SETS.get(component, "-")):
            continue
        trial = healthy(model)
        defect.apply(trial)
        for item in fields(Parts):
            if item.name in ("unplugged", "wired", "loose"):
                continue
            good, bad = getattr(nominal, item.name), getattr(trial, item.name)
            if good == bad:
                continue
            if isinstance(good, list):
                for index, (a, b) in enumerate(zip(good, bad, strict=True)):
                    if a != b:
                        getattr(parts, item.name)[index] = a
            elif isinstance(good, dict):
                getattr(parts, item.name).pop(component, None)
            else:
                setattr(parts, item.name, good)
    parts.unplugged.discard(component)
    parts.loose.discard(component)
    if parts.wired.get(component, ("",))[0] in INSIDE:
        del parts.wired[component]
    return repr(parts) != before


def mend_wiring(parts: Parts, component: str) -> None:
    """Put a component's plug on and its circuit in order: who mends wires renews what he finds open, as the step says.
    Whatever else is worn in the part stays."""
    parts.unplugged.discard(component)
    parts.loose.discard(component)
    parts.wired.pop(component, None)
