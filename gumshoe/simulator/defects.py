"""The faults that can be put into a stand-in: changes to the condition of its parts, and every fault of a circuit.

Sizes are invented for the stand-ins, within what is common for such faults (no source).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cache

from gumshoe.simulator.models import CarModel, kind_of_point, models
from gumshoe.simulator.parts import Parts
from gumshoe.simulator.wires import faults_in, wired_parts

Change = Callable[[Parts], None]
OPEN_OHM = 1e9
HOLE_MM2 = {"1.0 mm": 0.785, "0.5 mm": 0.196}
"""Areas of the round holes that small and very small evaporative leaks are defined by (13 CCR 1968.2 [S])."""
CAP_MM2 = 9.0
CAUSES = {"vibration": "when it shakes", "heat": "when it is hot", "moisture": "when it is wet"}
MOODY = (
    ("crank_sensor", "signal_wire"),
    ("cam_sensor_intake", "signal_wire"),
    ("coolant_sensor", "signal_wire"),
    ("air_flow_meter", "signal_wire"),
    ("manifold_pressure_sensor", "signal_wire"),
    ("throttle_sensor", "wire_1"),
    ("fuel_pump", "load_wire"),
    ("ignition_coil_1", "trigger_wire"),
    ("injector_1", "control_wire"),
    ("purge_valve", "control_wire"),
    ("boost_valve", "command_wire"),
    ("rail_pressure_sensor", "signal_wire"),
    ("filter_pressure_sensor", "signal_wire"),
)
"""Where a wire is broken so that it only parts now and then."""


RENEWED, SET = frozenset({"renew"}), frozenset({"set"})
REPAIRED = RENEWED | {"mend", "service"}
REFITTED, CLEANED, ADJUSTED = REPAIRED | {"refit"}, REPAIRED | {"clean"}, RENEWED | SET


@dataclass(frozen=True)
class Defect:
    """One fault that can be put into a stand-in: its key, what it physically is, and how it changes the parts.
    ``by``: the kinds of work on its component that put it right."""

    key: str
    words: str
    component: str
    apply: Change
    by: frozenset[str] = REPAIRED


def _set(name: str, value: object) -> Change:
    return lambda parts: setattr(parts, name, value)


def _in(name: str, key: str, value: object) -> Change:
    return lambda parts: getattr(parts, name).update({key: value})


def _at(name: str, place: int, value: object) -> Change:
    def change(parts: Parts) -> None:
        getattr(parts, name)[place] = value

    return change


def _all(name: str, value: object) -> Change:
    def change(parts: Parts) -> None:
        held = getattr(parts, name)
        held[:] = [value] * len(held)

    return change


def _wired(component: str, element: str, ohm: float = OPEN_OHM) -> Change:
    return _in("wired", component, (element, ohm))


def _stage_dead(pair: tuple[int, int]) -> Change:
    def change(parts: Parts) -> None:
        parts.wired.update({f"injector_{n}": ("driver", OPEN_OHM) for n in pair})

    return change


def _moody(component: str, element: str, cause: str) -> Change:
    return _in("moods", component, (element, OPEN_OHM, cause))


def _added(name: str, component: str) -> Change:
    return lambda parts: getattr(parts, name).add(component)


def _meter(low: float, high: float) -> Change:
    def change(parts: Parts) -> None:
        parts.meter_gain_low, parts.meter_gain_high = low, high

    return change


# -- by what they are of ----------------------------------------------------------------------------------


def _of_every_car(model: CarModel) -> Iterator[Defect]:
    yield Defect("thermostat-open", "the thermostat stays open", "thermostat", _set("thermostat_open", True))
    yield Defect(
        "coolant-sensor-off",
        "the coolant sensor's plug is off",
        "coolant_sensor",
        _added("unplugged", "coolant_sensor"),
    )
    yield Defect(
        "coolant-wire-open",
        "the coolant sensor's signal wire is broken",
        "coolant_sensor",
        _wired("coolant_sensor", "signal_wire"),
    )
    yield Defect(
        "coolant-sensor-skewed",
        "the coolant sensor reads 15 °C too low",
        "coolant_sensor",
        _set("coolant_offset_c", -15.0),
    )
    clogged = 30.0 if model.diesel else 7.5
    yield Defect("pump-weak", "the fuel pump cannot hold pressure at flow", "fuel_pump", _set("pump_capacity", 0.16))
    yield Defect(
        "fuel-filter-clogged", "the fuel filter is clogged", "fuel_filter", _set("filter_restriction", clogged)
    )
    yield Defect("air-filter-clogged", "the air filter is clogged", "air_filter", _set("air_filter_restriction", 9.0))
    yield Defect("battery-weak", "the battery has lost most of its strength", "battery", _set("battery_health", 0.15))
    if not model.hybrid:
        dead = _set("charging", 0.0)
        yield Defect("alternator-dead", "the alternator does not charge", "alternator", dead)
        yield Defect("starter-worn", "the starter hardly turns", "starter", _set("starter", 0.08))
        strap = _set("strap_ohm", 0.06)
        yield Defect("ground-strap-corroded", "the ground strap of the engine is corroded", "main_ground", strap)
    yield Defect("terminator-missing", "a terminator of the bus is missing", "bus_bus", _set("terminators", 1))
    yield Defect("terminator-extra", "there is one terminator too many on the bus", "bus_bus", _set("terminators", 3))
    for module in ("brake_module", "body_module", "cluster", "gearbox_module"):
        yield Defect(
            f"{module.replace('_', '-')}-silent",
            f"the {module.replace('_', ' ')} has lost its feed and is silent",
            module,
            _added("silent", module),
        )
    for number, pair in enumerate(model.stages, start=1):
        words = f"the control unit's output stage of the injectors of {pair[0]} and {pair[1]} is dead"
        yield Defect(f"stage-{number}-dead", words, "engine_module", _stage_dead(pair), RENEWED)
    yield Defect(
        "software-old",
        "the software of the engine control unit takes rough road for misfires",
        "engine_module",
        _set("software_old", True),
        RENEWED | SET,
    )


def _of_petrol(model: CarModel) -> Iterator[Defect]:
    hole, joint = model.size * model.leak_scale, model.weakest_joint
    for key, words, component, area in (
        ("crankcase-hose-split", "the crankcase ventilation hose is split at its manifold end",
         "crankcase_ventilation_hose", 2.5),
        ("booster-hose-cracked", "the brake booster hose is cracked at the manifold", "brake_booster_hose", 2.5),
        ("manifold-gasket", f"the intake manifold gasket leaks at cylinder {joint}", "intake_manifold_gasket", 2.3),
    ):  # fmt: skip
        if component == "brake_booster_hose" and model.hybrid:
            continue  # its brakes are boosted by a pump of their own, not by an engine that often stands still
        yield Defect(key, words, component, _in("leaks_mm2", component, area * hole))
    yield Defect(
        "regulator-high",
        "the pressure regulator holds too much",
        "fuel_pressure_regulator",
        _set("regulator_gain", 1.75),
    )
    yield Defect("fuel-bad", "the tank holds fuel with a third of alcohol", "fuel", _set("fuel_lean", 0.13))
    yield Defect(
        "injectors-fouled", "all injectors deliver too little", "injectors", _all("injector_gain", 0.80), CLEANED
    )
    yield Defect("plugs-worn", "all spark plugs are worn out", "spark_plugs", _all("plug_wear", 0.85))
    passing = _set("purge_passing_mm2", 1.6 * model.size)
    yield Defect("purge-passing", "the purge valve does not close", "purge_valve", passing)
    off = _added("unplugged", "purge_valve")
    yield Defect("purge-plug-off", "the purge valve's plug is off", "purge_valve", off)
    yield Defect("purge-open", "the purge valve's winding is open", "purge_valve", _wired("purge_valve", "load"))
    yield Defect(
        "purge-wire-open",
        "the purge valve's control wire is broken",
        "purge_valve",
        _wired("purge_valve", "control_wire"),
    )
    for bank in range(1, len(model.banks) + 1):
        yield from _of_a_bank(model, bank)
    for cylinder in range(1, model.cylinders + 1):
        yield from _of_a_cylinder(model, cylinder)
    yield from _of_the_throttle(model)
    yield from _of_the_timing(model)


def _of_the_throttle(model: CarModel) -> Iterator[Defect]:
    body = "throttle_body"
    yield Defect("throttle-carbon", "carbon narrows the closed throttle", body, _set("throttle_carbon", 1.0), CLEANED)
    if model.electronic_throttle:
        sticks = _set("throttle_sticks", True)
        yield Defect("throttle-sticks", "the throttle plate sticks on its way", body, sticks, CLEANED)
        yield Defect(
            "throttle-track-gap",
            "the first track of the throttle sensor has a worn spot",
            "throttle_sensor",
            _wired("throttle_sensor", "spot_1"),
        )
    else:
        yield Defect("idle-valve-stuck", "the idle air valve sticks", "idle_valve", _set("idle_valve_stuck", True))


def _of_the_timing(model: CarModel) -> Iterator[Defect]:
    for place in range(len(model.banks)):
        tail, own = (f"-b{place + 1}", f" of bank {place + 1}") if len(model.banks) > 1 else ("", "")
        chain = "timing_chain" + (f"_b{place + 1}" if place else "")
        yield Defect(
            f"chain-stretched{tail}",
            f"the timing chain{own} is stretched",
            chain,
            _at("chain_deg", place, 12.0),
            RENEWED,
        )
        yield Defect(
            f"tooth-out{tail}",
            f"the timing chain{own} is one tooth out",
            chain,
            _at("chain_deg", place, 20.0),
            ADJUSTED,
        )
    if model.distributor:
        turned = _set("tooth_deg", 27.7)
        words = "the distributor is one tooth of its gear out"
        yield Defect("distributor-tooth", words, "distributor", turned, ADJUSTED)
        far = _set("tooth_deg", 11.0)
        yield Defect("distributor-turned", "the distributor is turned too far", "distributor", far, ADJUSTED)
    else:
        moved = _set("tooth_deg", 14.0)
        yield Defect("crank-wheel-moved", "the crank's wheel sits off its key", "crank_wheel", moved, ADJUSTED)
    for place, cam in enumerate(model.phasers):
        own = f" of bank {cam.bank}" if len(model.banks) > 1 else ""
        valve = cam.valve
        only = len(model.phasers) == 1
        words = f"the oil control valve of the {cam.which} cam{own}"
        name = "phaser" if only else f"{cam.which}-phaser" + (f"-b{cam.bank}" if len(model.banks) > 1 else "")
        yield Defect(f"{name}-stuck", f"{words} sticks", valve, _at("phaser_stuck", place, True))
        yield Defect(f"{name}-open", f"the winding of {words} is open", valve, _wired(valve, "load"))
    if model.phasers:
        yield Defect("oil-overdue", "the oil is overdue and thick with sludge", "engine_oil", _set("oil_worn", True))


def _of_the_metering(model: CarModel) -> Iterator[Defect]:
    sensor = "air_flow_meter" if model.flow_metered else "manifold_pressure_sensor"
    if model.flow_metered:
        duct = _set("duct_leak_share", 0.24)
        yield Defect("duct-loose", "the duct behind the air-flow meter is off its clamp", "intake_duct", duct, REFITTED)
        yield Defect("meter-low", "the air-flow meter reads low, more so at high flow", sensor, _meter(0.95, 0.72))
        yield Defect("meter-high", "the air-flow meter reads high", sensor, _meter(1.10, 1.28))
        yield Defect("meter-plug-off", "the air-flow meter's plug is off", sensor, _added("unplugged", sensor))
    else:
        yield Defect("pressure-low", "the manifold pressure sensor reads low", sensor, _set("pressure_gain", 0.72))
        yield Defect("pressure-high", "the manifold pressure sensor reads high", sensor, _set("pressure_gain", 1.38))
        off = _added("unplugged", sensor)
        yield Defect("pressure-plug-off", "the manifold pressure sensor's plug is off", sensor, off)


def _of_the_systems(model: CarModel) -> Iterator[Defect]:
    """Faults of what only some kinds of car have."""
    if model.boosted:
        yield Defect("boost-hose-off", "a hose of the charge air is off", "charge_pipes", _set("boost_gain", 0.25))
        gate = "the vanes are stuck open" if model.diesel else "the boost actuator's rod is stuck open"
        yield Defect("gate-stuck", gate, "turbo_actuator", _set("gate_stuck", True))
        yield Defect("turbo-worn", "the turbocharger is worn out", "turbo", _set("turbo_gain", 0.55))
        dead = _wired("boost_valve", "inside")
        yield Defect("boost-actuator-open", "the boost actuator is dead", "boost_valve", dead)
    if model.high_pressure:
        yield Defect("high-pump-weak", "the high-pressure pump is worn", "high_pressure_pump", _set("high_pump", 0.30))
        for way, gain in (("high", 1.6), ("low", 0.6)):
            yield Defect(
                f"rail-sensor-{way}",
                f"the rail pressure sensor reads {way}",
                "rail_pressure_sensor",
                _set("rail_sensor_gain", gain),
            )
    if model.sealed_tank:
        yield Defect("vent-open", "the vent valve's winding is open", "vent_valve", _wired("vent_valve", "load"))
        yield Defect("vent-stuck", "the vent valve does not close", "vent_valve", _set("vent_stuck", True))
        for key, words, component, area in (
            ("cap-off", "the filler cap is not on", "filler_cap", CAP_MM2),
            ("tank-leak-small", "a 1.0 mm hole in the line to the canister", "evaporative_lines", HOLE_MM2["1.0 mm"]),
            ("tank-leak-tiny", "a 0.5 mm hole in the canister", "canister", HOLE_MM2["0.5 mm"]),
        ):
            yield Defect(key, words, component, _in("tank_leak_mm2", component, area))
    if model.hybrid:
        weak = _set("pack_health", 0.35)
        yield Defect("pack-worn", "the high-voltage battery has lost most of its charge", "traction_battery", weak)
        yield Defect(
            "converter-dead", "the converter that feeds 12 V does not work", "converter", _set("converter", False)
        )


def _of_the_filter(model: CarModel) -> Iterator[Defect]:
    if not model.particulate_filter:
        return
    ash = _set("ash_g", 140.0)
    yield Defect("filter-full-of-ash", "the particulate filter is full of ash", "particulate_filter", ash)
    cracked = _set("filter_cracked", True)
    yield Defect("filter-cracked", "the particulate filter is cracked through", "particulate_filter", cracked)
    sensor = "filter_pressure_sensor"
    yield Defect(
        "filter-sensor-skewed", "the filter pressure sensor reads too much", sensor, _set("filter_sensor_gain", 3.0)
    )


def _of_diesel(model: CarModel) -> Iterator[Defect]:
    for stuck, name in ((0.0, "shut"), (0.55, "open")):
        yield Defect(
            f"egr-stuck-{name}",
            f"the recirculation valve sticks {name}",
            "egr_valve",
            _set("egr_stuck", stuck),
            CLEANED,
        )
    for n in range(1, model.cylinders + 1):
        yield Defect(
            f"injector-{n}-clogged", f"the injector of cylinder {n} delivers too little", f"injector_{n}",
            _at("injector_gain", n - 1, 0.72),
        )  # fmt: skip
        yield Defect(
            f"compression-{n}-low", f"cylinder {n} has lost compression", f"cylinder_{n}",
            _at("compression", n - 1, 0.55),
        )  # fmt: skip
        glow = f"glow_plug_{n}"
        yield Defect(f"glow-{n}-open", f"the glow plug of cylinder {n} is burnt out", glow, _wired(glow, "load"))


def _of_a_bank(model: CarModel, bank: int) -> Iterator[Defect]:
    sensor, heater = f"oxygen_sensor_b{bank}s1", f"oxygen_heater_b{bank}s1"
    rear = f"oxygen_heater_b{bank}s2"
    tail, of_bank = (f"-b{bank}", f" of bank {bank}") if len(model.banks) > 1 else ("", "")
    own, place = (f"_b{bank}" if bank > 1 else ""), bank - 1
    front = f"the upstream oxygen sensor{of_bank}"
    for key, words, component, change in (
        ("sensor-lean", f"{front} reads lean", sensor, _at("lambda_shift", place, 0.22)),
        ("sensor-rich", f"{front} reads rich", sensor, _at("lambda_shift", place, -0.16)),
        ("sensor-lazy", f"{front} is lazy", sensor, _at("lambda_lag_s", place, 3.4)),
        ("exhaust-leak", f"the exhaust{of_bank} leaks ahead of the upstream sensor", f"exhaust_manifold_gasket{own}",
         _at("exhaust_leak", place, 0.36)),
        ("catalyst-worn", f"the catalyst{of_bank} stores hardly any oxygen", f"catalyst{own}",
         _at("catalyst_capacity", place, 0.02)),
        ("heater-open", f"the heater of {front} is open", sensor, _wired(heater, "load")),
        ("rear-heater-open", f"the heater of the downstream oxygen sensor{of_bank} is open", f"oxygen_sensor_b{bank}s2",
         _wired(rear, "load")),
        ("sensor-plug-off", f"the plug of {front} is off", sensor, _added("unplugged", sensor)),
    ):  # fmt: skip
        yield Defect(f"{key}{tail}", words, component, change)


def _of_a_cylinder(model: CarModel, cylinder: int) -> Iterator[Defect]:
    place = cylinder - 1
    coil, injector, plug = f"ignition_coil_{cylinder}", f"injector_{cylinder}", f"spark_plug_{cylinder}"
    of = f"of cylinder {cylinder}"
    rows: list[tuple[str, str, str, Change]] = [
        ("plug-{}-worn", f"the spark plug {of} is worn out", plug, _at("plug_wear", place, 0.92)),
        ("insulator-{}-cracked", f"the insulator of the spark plug {of} is cracked", plug,
         _at("insulator", place, 0.53)),
        ("compression-{}-low", f"cylinder {cylinder} has lost compression", f"cylinder_{cylinder}",
         _at("compression", place, 0.55)),
        ("injector-{}-off", f"the plug of the injector {of} is off", injector, _added("unplugged", injector)),
    ]  # fmt: skip
    if model.coil_per_plug:
        rows += [
            ("coil-{}-weak", f"the coil {of} breaks down", coil, _at("coil_strength", place, 0.15)),
            ("coil-{}-loose", f"the plug of the coil {of} is half seated", coil, _added("loose", coil)),
            ("coil-{}-off", f"the plug of the coil {of} is off", coil, _added("unplugged", coil)),
        ]
    for key, words, component, change in rows:
        yield Defect(key.format(cylinder), words, component, change)
    clogged = _at("injector_gain", place, 0.72)
    yield Defect(f"injector-{cylinder}-clogged", f"the injector {of} delivers too little", injector, clogged, CLEANED)


def _of_the_points(model: CarModel) -> Iterator[Defect]:
    for point, members in model.points.items():
        named = {"feed": "the fuse", "reference": "the 5 V wire", "low_reference": "the low reference"}
        what = named.get(kind_of_point(point))
        listed = ", ".join(member.replace("_", " ") for member in members)
        words = f"{what or 'the ground point'} of {listed} is open"
        yield Defect(f"{point.replace('_', '-')}-open", words, point, _in("open_points", point, list(members)))


def _moods(model: CarModel) -> Iterator[Defect]:
    for component, element in MOODY:
        if component in wired_parts(model.key):
            for cause, when in CAUSES.items():
                words = f"{component.replace('_', ' ')}: the {element.replace('_', ' ')} parts {when}"
                key = f"{component.replace('_', '-')}-{cause}"
                yield Defect(key, words, component, _moody(component, element, cause))


# -- the whole list ---------------------------------------------------------------------------------------


@cache
def _of_parts(key: str) -> dict[str, Defect]:
    model = models()[key]
    makers = [
        _of_every_car,
        _of_the_metering,
        _of_diesel if model.diesel else _of_petrol,
        _of_the_filter,
        _of_the_systems,
    ]
    rows = [row for maker in (*makers, _of_the_points, _moods) for row in maker(model)]
    return {row.key: row for row in rows}


@cache
def _of_circuits(key: str) -> dict[str, Defect]:
    """Every fault of every circuit: ``PART:ELEMENT:what``."""
    model, found = models()[key], {}
    for name, wired in wired_parts(key).items():
        kinds = [kind_of_point(point) for point, members in model.points.items() if name in members]
        for element, what, ohm in faults_in(wired, kinds):
            inner = element.rpartition(":")[2]
            row = f"{name}:{inner}:{what.replace(' ', '-')}"
            words = f"{name.replace('_', ' ')}: {wired.circuit.element(inner).words}: {what}"
            found[row] = Defect(row, words, wired.holder, _wired(wired.holder, element, ohm))
    return found


def part_defects(model: CarModel) -> list[Defect]:
    """What can be wrong with the parts, and the wires that have a name of their own."""
    return list(_of_parts(model.key).values())


def defects_of(model: CarModel) -> dict[str, Defect]:
    """Every fault that can be put into a car of that kind, by key."""
    return _of_parts(model.key) | _of_circuits(model.key)
