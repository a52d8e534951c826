"""The physical state of a vehicle's parts: what is worn, split, weak or unplugged.

Numbers are physical: effective areas in mm², gains as fractions, degrees of the crank, grams.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from gumshoe.simulator.models import CarModel

SPOTS = ("spot_1", "spot_2")
"""Worn places of a two-track sensor, as its circuit names them."""
INSIDE = {
    "load", "heater", "motor", "sensor", "upper", "lower", "output", "inside", "coil", "bulb", "cell", "inner",
    "upper_1", "upper_2", "lower_1", "lower_2", "input", "trigger_in", *SPOTS,
}  # fmt: skip
"""Elements of a circuit that sit in the part itself: they go with it when it is renewed, and stay when its wires are
mended."""


@dataclass
class Parts:
    """Condition of every part the physics knows, at its nominal value in a healthy car.

    Lists are by cylinder, by bank, or by cam that turns (``Model.phasers``), counted from 0. ``leaks_mm2``: effective
    area of holes between the air-flow meter and the valves, by component; air that enters there was not metered.
    ``chain_deg``: how far a bank's cams hang back; ``tooth_deg``: how far the crank's drive, its wheel or the
    distributor puts all of them.

    Wires: ``unplugged``: components whose connector is off; ``open_points``: fuses, grounds and references that are
    open, with what hangs on them; ``wired``: an element of a component's circuit (or a path that should not be there)
    and the ohms it has; ``loose``: plugs that are half seated; ``moods``: as ``wired``, but only while something acts
    on it: ``vibration``, ``heat`` or ``moisture``. ``apart`` and ``acting``: the loose plugs without contact and the
    moods that act at this moment."""

    injector_gain: list[float]
    coil_strength: list[float]
    insulator: list[float]
    plug_wear: list[float]
    compression: list[float]
    lambda_shift: list[float]
    lambda_lag_s: list[float]
    exhaust_leak: list[float]
    catalyst_capacity: list[float]
    chain_deg: list[float]
    phaser_stuck: list[bool]
    tooth_deg: float = 0.0
    oil_worn: bool = False
    leaks_mm2: dict[str, float] = field(default_factory=dict)
    duct_leak_share: float = 0.0
    meter_gain_low: float = 1.0
    meter_gain_high: float = 1.0
    pressure_gain: float = 1.0
    pump_capacity: float = 1.0
    regulator_gain: float = 1.0
    filter_restriction: float = 1.0
    high_pump: float = 1.0
    rail_sensor_gain: float = 1.0
    fuel_lean: float = 0.0
    purge_passing_mm2: float = 0.0
    tank_leak_mm2: dict[str, float] = field(default_factory=dict)
    thermostat_open: bool = False
    coolant_offset_c: float = 0.0
    air_filter_restriction: float = 1.0
    throttle_carbon: float = 0.0
    throttle_sticks: bool = False
    idle_valve_stuck: bool = False
    battery_health: float = 1.0
    charging: float = 1.0
    strap_ohm: float = 0.001
    starter: float = 1.0
    boost_gain: float = 1.0
    turbo_gain: float = 1.0
    gate_stuck: bool = False
    vent_stuck: bool = False
    egr_stuck: float = -1.0
    ash_g: float = 12.0
    filter_cracked: bool = False
    filter_sensor_gain: float = 1.0
    pack_health: float = 1.0
    converter: bool = True
    software_old: bool = False
    terminators: int = 2
    silent: set[str] = field(default_factory=set)
    unplugged: set[str] = field(default_factory=set)
    open_points: dict[str, list[str]] = field(default_factory=dict)
    wired: dict[str, tuple[str, float]] = field(default_factory=dict)
    loose: set[str] = field(default_factory=set)
    moods: dict[str, tuple[str, float, str]] = field(default_factory=dict)
    apart: set[str] = field(default_factory=set)
    acting: set[str] = field(default_factory=set)


def healthy(model: CarModel) -> Parts:
    """The parts of a car of that kind with nothing wrong."""
    cylinders, banks = model.cylinders, len(model.banks)
    return Parts(
        injector_gain=[1.0] * cylinders,
        coil_strength=[1.0] * cylinders,
        insulator=[1.0] * cylinders,
        plug_wear=[0.1] * cylinders,
        compression=[1.0] * cylinders,
        lambda_shift=[0.0] * banks,
        lambda_lag_s=[0.06] * banks,
        exhaust_leak=[0.0] * banks,
        catalyst_capacity=[1.0] * banks,
        chain_deg=[0.0] * banks,
        phaser_stuck=[False] * len(model.phasers),
    )


def leak_spread(model: CarModel) -> dict[str, tuple[float, ...]]:
    """Where air from each hole goes: the share of each cylinder (a hole near a runner starves its own first)."""
    count, joint = model.cylinders, model.weakest_joint - 1
    falling = [0.8 ** model.members[model.bank_of[n]].index(n) for n in range(count)]
    near = [0.85 if n == joint else (0.10 if n == joint - 1 else 0.05 / (count - 2)) for n in range(count)]
    return {
        "crankcase_ventilation_hose": tuple(share / sum(falling) for share in falling),
        "brake_booster_hose": (1.0 / count,) * count,
        "intake_manifold_gasket": tuple(share / sum(near) for share in near),
    }
