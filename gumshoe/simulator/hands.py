"""What hands, eyes and gauges find at a stand-in car: read from the physics, in a mechanic's words.

Each point is named after the place it is taken at; the value comes with its unit. A point the physics does not know
gives None, and the screen says so.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from gumshoe.simulator.bus import bus_ohm
from gumshoe.simulator.electrics import wrong_in
from gumshoe.simulator.engine import orifice_gps, rail_pressure_kpa
from gumshoe.simulator.parts import INSIDE
from gumshoe.simulator.sensors import pressure_kpa, pressure_volts, thermistor_ohm
from gumshoe.simulator.vehicle import Key, Vehicle

BROKEN_OHM = 1e6
_AWAY = {"to_ground": "ground", "to_feed": "a feed"}


@dataclass(frozen=True)
class Finding:
    """What was seen or measured: words, and a number with its unit where there is one."""

    words: str
    value: float | None = None
    unit: str = ""


def observe(vehicle: Vehicle, point: str) -> Finding | None:
    """Look or measure at ``point``; None when the stand-in has nothing to show there."""
    if point.startswith("check_"):
        return _circuit(vehicle, point.removeprefix("check_"))
    finder = _POINTS.get(point)
    return finder(vehicle) if finder else None


def _running(vehicle: Vehicle) -> bool:
    return vehicle.engine.state.rpm > 350.0


def _places(vehicle: Vehicle) -> dict[str, str]:
    """Where each hole of the intake is found."""
    return {
        "crankcase_ventilation_hose": "the crankcase ventilation hose, at its manifold end",
        "brake_booster_hose": "the brake booster hose, near the manifold",
        "intake_manifold_gasket": f"the joint of the intake manifold at cylinder {vehicle.model.weakest_joint}",
    }


def _hoses(vehicle: Vehicle) -> Finding:
    split = [place for name, place in _places(vehicle).items() if name in vehicle.parts.leaks_mm2 and "hose" in name]
    if split:
        return Finding(f"A split in {split[0]}: it opens when the hose is bent.")
    return Finding("All vacuum hoses are soft, whole and fully home.")


def _ducts(vehicle: Vehicle) -> Finding:
    if vehicle.parts.duct_leak_share > 0.0:
        return Finding("The duct behind the air-flow meter has slipped off its clamp.")
    return Finding("Ducts and clamps are tight from filter to throttle.")


def _smoke(vehicle: Vehicle) -> Finding:
    leaks = [_places(vehicle)[name] for name in vehicle.parts.leaks_mm2]
    if vehicle.parts.duct_leak_share > 0.0:
        leaks.append("the duct behind the air-flow meter")
    if leaks:
        return Finding(f"Smoke comes out at {leaks[0]}.")
    return Finding("No smoke comes out anywhere between the air-flow meter and the head.")


def _spray(vehicle: Vehicle) -> Finding:
    if not _running(vehicle):
        return Finding("The engine is not running: nothing to hear.")
    leak = sum(vehicle.parts.leaks_mm2.values())
    if leak > 0.5:
        return Finding("Idle changes when the hose or joint near the manifold is pinched or covered.")
    return Finding("Pinching and covering changes nothing.")


def _fuel_idle(vehicle: Vehicle) -> Finding:
    if not _running(vehicle):
        return Finding(
            "The engine is not running: the gauge shows residual pressure.", round(vehicle.engine.state.rail_kpa), "kPa"
        )
    return Finding("Gauge on the rail.", round(vehicle.engine.state.rail_kpa), "kPa")


def _fuel_load(vehicle: Vehicle) -> Finding:
    pressure = rail_pressure_kpa(vehicle.model, vehicle.parts, 1.6 * vehicle.model.size)
    return Finding("Gauge on the rail, second person driving up the hill.", round(pressure), "kPa")


def _filter_drop(vehicle: Vehicle) -> Finding:
    """What the filter takes away at flow: the rail with it against the rail without it."""
    with_it, flow = vehicle.parts, 1.6 * vehicle.model.size
    without = replace(with_it, filter_restriction=1.0)
    drop = rail_pressure_kpa(vehicle.model, without, flow) - rail_pressure_kpa(vehicle.model, with_it, flow)
    return Finding("Two gauges, fuel flowing freely.", round(max(drop, 0.0)), "kPa")


def _booster(vehicle: Vehicle) -> Finding:
    if "brake_booster_hose" in vehicle.parts.leaks_mm2:
        return Finding("The pedal does not sink when the engine starts, and there is a hiss.")
    return Finding("The pedal sinks when the engine starts and holds.")


def _purge(vehicle: Vehicle) -> Finding:
    if vehicle.parts.purge_passing_mm2 > 0.0:
        return Finding("With the valve unpowered there is still suction at the hose from the canister.")
    return Finding("No suction at the canister hose while the valve is unpowered.")


def _bank_words(vehicle: Vehicle, bank: int) -> str:
    """The bank (counted from 0) where there are two."""
    return f" of bank {bank + 1}" if len(vehicle.model.banks) > 1 else ""


def _exhaust(vehicle: Vehicle) -> Finding:
    for bank, leak in enumerate(vehicle.parts.exhaust_leak):
        if leak > 0.0:
            of = _bank_words(vehicle, bank)
            return Finding(f"Soot streaks and a ticking at the manifold joint{of} ahead of the upstream sensor.")
    return Finding("The exhaust is tight ahead of the upstream sensor.")


def _sensor(vehicle: Vehicle) -> Finding:
    shifted = max(vehicle.parts.lambda_shift)
    value = 0.98 + shifted
    return Finding(
        "Propane fed into the intake until the engine falters: lowest lambda shown.",
        round(min(value - 0.13, 1.99), 2),
        "λ",
    )


def _meter(vehicle: Vehicle) -> Finding:
    state = vehicle.engine.state
    if not _running(vehicle):
        return Finding("The engine is not running: no flow to compare.")
    flow = orifice_gps(1500.0, 101_000.0, 60_000.0, 288.0)
    share = min(flow / 30.0, 1.0)
    gain = vehicle.parts.meter_gain_low + (vehicle.parts.meter_gain_high - vehicle.parts.meter_gain_low) * share
    gain *= 1.0 - vehicle.parts.duct_leak_share
    return Finding(
        f"Full-throttle pull in second gear, volumetric efficiency from the air flow at 4000 1/min "
        f"(intake air {state.intake_c:.0f} °C).",
        round(88.0 * gain),
        "%",
    )


def _pressure_at_rest(vehicle: Vehicle) -> Finding:
    """What the control unit makes of the air in a standing engine's manifold."""
    if vehicle.model.flow_metered:
        return Finding("There is no manifold pressure sensor on this engine.", 0.0, "kPa")
    held = vehicle.air.pressure_pa * 1e-3
    unplugged = "manifold_pressure_sensor" in vehicle.parts.unplugged
    shown = pressure_kpa(0.02 if unplugged else min(pressure_volts(held * vehicle.parts.pressure_gain), 4.85))
    return Finding(f"The live value shows {shown:.0f} kPa; the air has {held:.0f} kPa.", round(shown - held), "kPa")


def _filter(vehicle: Vehicle) -> Finding:
    if vehicle.parts.air_filter_restriction > 3.0:
        return Finding("The element is grey and packed; leaves lie in the box.")
    return Finding("The element is light and dry, light shines through.")


def _compression(vehicle: Vehicle) -> Finding:
    values = [13.2 * value for value in vehicle.parts.compression]
    listed = ", ".join(f"cylinder {n}: {value:.1f} bar" for n, value in enumerate(values, 1))
    return Finding(listed, round(100.0 * min(values) / max(values)), "% of highest")


def _plugs(vehicle: Vehicle) -> Finding:
    gaps = [0.75 + 0.55 * wear for wear in vehicle.parts.plug_wear]
    worst = max(range(len(gaps)), key=lambda n: gaps[n])
    return Finding(f"Widest gap at cylinder {worst + 1}; insulators whole.", round(max(gaps), 2), "mm")


def _coil_swap(vehicle: Vehicle) -> Finding:
    strengths = vehicle.parts.coil_strength
    worst = min(range(len(strengths)), key=lambda n: strengths[n])
    if strengths[worst] < 0.6:
        return Finding(f"The misfire count moved with the coil of cylinder {worst + 1}.")
    counts = vehicle.memory.misfire_trip
    top = max(range(len(counts)), key=lambda n: counts[n])
    reseated = any(name.startswith("ignition_coil") for name in vehicle.parts.loose)  # swapping seats the plug anew
    if counts[top] < 20 or reseated:
        return Finding("No cylinder misfires often enough to tell.")
    return Finding(f"The misfire count stayed with cylinder {top + 1}.")


def _balance(vehicle: Vehicle) -> Finding:
    gains = vehicle.parts.injector_gain
    mean = sum(gains) / len(gains)
    worst = max(range(len(gains)), key=lambda n: abs(gains[n] - mean))
    return Finding(
        f"Pressure drop per pulse, largest deviation at cylinder {worst + 1}.",
        round(100.0 * (gains[worst] / mean - 1.0), 1),
        "%",
    )


def _battery(vehicle: Vehicle) -> Finding:
    return Finding("Meter across the battery posts, engine as it is.", round(vehicle.supply_v, 2), "V")


def _cold_soak(vehicle: Vehicle) -> Finding:
    state = vehicle.engine.state
    off = abs(state.coolant_c - state.intake_c)
    return Finding(f"Coolant {state.coolant_c:.0f} °C, intake {state.intake_c:.0f} °C.", round(off), "°C apart")


def _heater_ohm(vehicle: Vehicle) -> Finding:
    if any(name.startswith("oxygen_heater") and name.endswith("s1") for name in vehicle.electrics.dead):
        return Finding("Open: the meter shows no continuity.", 99_999.0, "Ω")
    return Finding("Heater of the upstream sensor, unplugged.", 6.4, "Ω")


def _coolant_ohm(vehicle: Vehicle) -> Finding:
    return Finding("Coolant sensor, unplugged.", round(thermistor_ohm(vehicle.engine.state.coolant_c)), "Ω")


def _lamp(vehicle: Vehicle) -> Finding:
    if vehicle.key is Key.OFF:
        return Finding("Key off: the lamp is dark.")
    if not _running(vehicle):
        return Finding("Key on, engine off: the lamp is on, as it must be (bulb check).")
    if vehicle.lamp_flashing:
        return Finding("The lamp is flashing.")
    return Finding("The lamp is on, steady." if vehicle.memory.lamp else "The lamp is out.")


def _loose_plugs(vehicle: Vehicle) -> Finding:
    off = sorted(vehicle.parts.unplugged | vehicle.parts.loose)
    if off:
        return Finding("Off: " + ", ".join(name.replace("_", " ") for name in off) + ".")
    return Finding("Every connector in reach is home and locked.")


def _circuit(vehicle: Vehicle, component: str) -> Finding:
    """Feed, ground, wire and part of one component, gone through with meter and lamp."""
    parts = vehicle.parts
    if component in vehicle.model.points:
        if component in parts.open_points:
            return Finding("Lost or dropping: nothing arrives behind this point.")
        return Finding("It is good under load.")
    if component in parts.unplugged:
        return Finding("The plug is off: circuit open.")
    if component in parts.loose or component in parts.moods:
        return Finding("The plug sits half home, or a wire parts as it is moved: contact loose.")
    wired = vehicle.electrics.parts.get(component)
    wrong = dict(wrong_in(parts, component, wired.circuit)) if wired else {}
    if wrong and wired:
        name, ohm = next(iter(wrong.items()))
        path, _, element = name.rpartition(":")
        what = wired.circuit.element(element).words
        if path:
            return Finding(f"The plug is on. The {what} reaches where it must not: wire shorted to {_AWAY[path]}.")
        if element in INSIDE:
            return Finding(f"The plug is on, its wires are whole. {what[0].upper()}{what[1:]}: part does not answer.")
        said = "broken: circuit open" if ohm >= BROKEN_OHM else f"{ohm:.0f} Ω too much: contact loose"
        return Finding(f"The plug is on. Measured through: {what} {said}.")
    if component in vehicle.electrics.dead:
        return Finding("Nothing arrives at its feed or ground: circuit open.")
    coil = component.removeprefix("ignition_coil_")
    if coil.isdigit() and int(coil) <= len(parts.coil_strength) and parts.coil_strength[int(coil) - 1] < 0.5:
        return Finding("Feed, ground and trigger are good; the spark is weak: the part does not answer.")
    return Finding("Feed, ground and wire are good, the part answers.")


def _worst(values: list[float]) -> int:
    return min(range(len(values)), key=values.__getitem__)


def _spark(vehicle: Vehicle) -> Finding:
    strengths = vehicle.parts.coil_strength
    without = vehicle.electrics.dead | vehicle.parts.loose
    weak = min(strengths) < 0.5 or any(f"ignition_coil_{n + 1}" in without for n in range(len(strengths)))
    return Finding("The spark is weak or none on one cylinder." if weak else "Every cylinder sparks: strong.")


def _plug_swap(vehicle: Vehicle) -> Finding:
    moved = max(vehicle.parts.plug_wear) > 0.7
    return Finding("The count moved with the plug." if moved else "The count stayed.")


def _injector_swap(vehicle: Vehicle) -> Finding:
    moved = min(vehicle.parts.injector_gain) < 0.85
    return Finding("The count moved with the injector." if moved else "The count stayed.")


def _leak_down(vehicle: Vehicle) -> Finding:
    values = vehicle.parts.compression
    if min(values) < 0.75:
        return Finding(f"Cylinder {_worst(values) + 1} loses above a quarter; the others are fine.")
    return Finding("Every cylinder loses below a quarter.")


def _humps(vehicle: Vehicle) -> Finding:
    low = min(vehicle.parts.compression) < 0.75
    return Finding("One hump is low; the others are alike." if low else "The humps are even.")


def _catalyst(vehicle: Vehicle) -> Finding:
    worn = min(vehicle.parts.catalyst_capacity) < 0.3
    return Finding("It switches with the front sensor." if worn else "It stays steady.")


def _warm_up(vehicle: Vehicle) -> Finding:
    slow = vehicle.parts.thermostat_open
    return Finding("It rises too slowly or falls at cruise." if slow else "It reaches its temperature and stays.")


def _tank(vehicle: Vehicle) -> Finding:
    passing = vehicle.parts.purge_passing_mm2 > 0.0 or vehicle.parts.vent_stuck or vehicle.parts.tank_leak_mm2
    return Finding("The tank pressure falls." if passing else "The tank pressure holds.")


def _idle_load(vehicle: Vehicle) -> Finding:
    leaking = bool(vehicle.parts.leaks_mm2)
    return Finding("It hunts, and hangs high." if leaking else "It dips and recovers.")


def _earlier_work(vehicle: Vehicle) -> Finding:
    seen = vehicle.parts.duct_leak_share > 0.0 or bool(vehicle.parts.unplugged)
    return Finding("Something not as it should be: opened lately." if seen else "There is nothing to see.")


def _coolant_curve(vehicle: Vehicle) -> Finding:
    off = "coolant_sensor" in vehicle.parts.unplugged
    return Finding("The circuit is open or off its curve." if off else "The sensor is on its curve.")


def _soak_look(vehicle: Vehicle) -> Finding:
    off = "coolant_sensor" in vehicle.parts.unplugged
    return Finding("One is off: the coolant sensor." if off else "All temperatures agree.")


def _vent(vehicle: Vehicle) -> Finding:
    if vehicle.parts.vent_stuck or "vent_valve" in vehicle.electrics.dead:
        return Finding("It can be blown through however it is commanded: it stays open or shut.")
    return Finding("One click each way: it opens and closes.")


def _charge_pipes(vehicle: Vehicle) -> Finding:
    if vehicle.parts.boost_gain < 0.5:
        return Finding("A charge pipe has slipped off its stub, oil around it: leaking.")
    return Finding("Pipes and clamps are tight under pressure.")


def _gate(vehicle: Vehicle) -> Finding:
    if vehicle.parts.gate_stuck:
        return Finding("The rod does not move by hand: stiff, stuck or loose.")
    if "boost_valve" in vehicle.electrics.dead:
        return Finding("By hand it is free; by command nothing moves.")
    return Finding("The rod is free, it follows the command.")


def _cams(vehicle: Vehicle) -> Finding:
    parts, dead = vehicle.parts, vehicle.electrics.dead
    late = [bank for bank, off in enumerate(parts.chain_deg, 1) if off > 3.0]
    if abs(parts.tooth_deg) > 3.0:
        return Finding("Every cam stands off by the same angle: all cams off alike.")
    if late:
        return Finding(f"Bank {late[0]} stands off: both cams of a bank off alike.")
    stuck = any(parts.phaser_stuck) or any("phaser_valve" in name for name in dead)
    if stuck or parts.oil_worn:
        return Finding("A cam does not follow its command: one cam lags or sticks.")
    return Finding("The cam stands where the crank says it should: all follow.")


def _wiggle(vehicle: Vehicle) -> Finding:
    if vehicle.parts.loose:
        name = sorted(vehicle.parts.loose)[0].replace("_", " ")
        return Finding(f"The trace drops out each time the plug of {name} is moved: a gap at one place.")
    return Finding("There is no gap.")


def _always(words: str) -> Callable[[Vehicle], Finding]:
    """A point at which none of our stand-ins' faults shows."""
    return lambda _: Finding(words)


def _boost_watch(vehicle: Vehicle) -> Finding:
    parts = vehicle.parts
    weak = parts.boost_gain < 0.8 or parts.gate_stuck or "boost_valve" in vehicle.electrics.dead
    return Finding("Boost stays below it." if weak else "Boost follows its command.")


def _turbo_shaft(vehicle: Vehicle) -> Finding:
    worn = 0.4 < vehicle.parts.boost_gain < 0.8
    return Finding("It has play, rubbing or oil in the duct." if worn else "It turns free, little play.")


def _upstream_response(vehicle: Vehicle) -> Finding:
    lazy = max(vehicle.parts.lambda_lag_s, default=0.0) > 0.5
    return Finding("The upstream sensor is late or hardly moving." if lazy else "It follows at once.")


def _balance_watch(vehicle: Vehicle) -> Finding:
    parts = vehicle.parts
    uneven = min(parts.injector_gain) < 0.85 or min(parts.compression) < 0.75
    return Finding("One cylinder needs much more." if uneven else "The corrections are even.")


def _filter_pressure(vehicle: Vehicle) -> Finding:
    parts, state = vehicle.parts, vehicle.engine.state
    odd = parts.ash_g > 60.0 or state.soot_g > 30.0 or parts.filter_cracked or parts.filter_sensor_gain != 1.0
    return Finding("Too high or implausible for the flow." if odd else "As a clean filter's, at idle and at 2500.")


def _soot_share(vehicle: Vehicle) -> Finding:
    diesel = vehicle.model.compression
    full = diesel.filter_soot_g if diesel else 22.0
    return Finding(
        "Soot by the model, of what starts a regeneration.", round(100 * vehicle.memory.soot_model_g / full), "%"
    )


def _regenerations(vehicle: Vehicle) -> Finding:
    memory = vehicle.memory
    bad = memory.regenerations_broken >= 4 and memory.regenerations < memory.regenerations_broken / 2
    return Finding("Too often or never completed." if bad else "They are as they should be.")


def _egr(vehicle: Vehicle) -> Finding:
    stuck = vehicle.parts.egr_stuck >= 0.0 or "egr_valve" in vehicle.electrics.dead
    return Finding("No change or sticks." if stuck else "It stumbles as it should.")


def _bus(vehicle: Vehicle) -> Finding:
    ohm = bus_ohm(vehicle.parts)
    return Finding("60 ohms." if ohm == 60.0 else f"{ohm:.0f} Ω: another value.")


def _grounds(vehicle: Vehicle) -> Finding:
    bad = vehicle.parts.strap_ohm > 0.01
    return Finding("The drop over the engine's strap is far too much." if bad else "The drop is within limits.")


def _charging(vehicle: Vehicle) -> Finding:
    works = vehicle.parts.charging > 0.5 and vehicle.parts.converter
    return Finding("The voltage holds." if works else "The voltage falls, nothing is charged: too low or too high.")


def _plate(vehicle: Vehicle) -> Finding:
    if vehicle.parts.throttle_carbon > 0.3:
        return Finding("A carbon ring where the plate closes.")
    if vehicle.parts.throttle_sticks:
        return Finding("The plate sticks on its way and jumps.")
    return Finding("The plate is clean and closes freely.")


def _oil(vehicle: Vehicle) -> Finding:
    if vehicle.parts.oil_worn:
        return Finding("Black and thick, the tag is long past: low, overdue or wrong.")
    return Finding("Level, grade and date on the tag are right.")


def _marks(vehicle: Vehicle) -> Finding:
    late = max(vehicle.parts.chain_deg)
    return Finding(
        "A tooth out, by the marks." if late > 16.0 else "Stretched." if late > 3.0 else "The marks are right."
    )


def _software(vehicle: Vehicle) -> Finding:
    return Finding("An older one with a campaign." if vehicle.parts.software_old else "It is the newest.")


def _cap(vehicle: Vehicle) -> Finding:
    if "filler_cap" in vehicle.parts.tank_leak_mm2:
        return Finding("The cap is not on: loose, cross-threaded or cracked.")
    return Finding("The cap clicks; its seal is whole: tight and whole.")


def _evap_smoke(vehicle: Vehicle) -> Finding:
    places = [name.replace("_", " ") for name in vehicle.parts.tank_leak_mm2]
    return Finding(
        f"Smoke comes out at the {places[0]}: at a line or the canister." if places else "There is no smoke: none."
    )


def _sample(vehicle: Vehicle) -> Finding:
    if vehicle.parts.fuel_lean > 0.0:
        return Finding("A third of it is alcohol: water, dirt or the wrong fuel.")
    return Finding("The sample is clear.")


def _sweep(vehicle: Vehicle) -> Finding:
    gap = vehicle.parts.wired.get("throttle_sensor", ("",))[0].startswith("spot")
    if gap:
        return Finding("The first track drops out at one place: a gap.")
    return Finding("The sweep is smooth and agreeing.")


_POINTS: dict[str, Callable[[Vehicle], Finding]] = {
    "vacuum_hoses": _hoses,
    "intake_ducts": _ducts,
    "intake_smoke": _smoke,
    "intake_pinch": _spray,
    "fuel_pressure_idle": _fuel_idle,
    "fuel_pressure_load": _fuel_load,
    "filter_drop": _filter_drop,
    "booster_pedal": _booster,
    "purge_suction": _purge,
    "exhaust_joint": _exhaust,
    "upstream_rich": _sensor,
    "full_load_filling": _meter,
    "pressure_at_rest": _pressure_at_rest,
    "air_filter": _filter,
    "compression_ratio": _compression,
    "plug_gap": _plugs,
    "coil_swap": _coil_swap,
    "injector_balance": _balance,
    "battery_voltage": _battery,
    "cold_soak": _cold_soak,
    "heater_ohm": _heater_ohm,
    "coolant_ohm": _coolant_ohm,
    "warning_lamp": _lamp,
    "connectors": _loose_plugs,
    "throttle_plate": _plate,
    "filler_cap": _cap,
    "plug_wells": _always("The wells are dry and whole."),
    "prior_work": _earlier_work,
    "charging": _charging,
    "main_grounds": _grounds,
    "reference_bus": _always("The 5 V stand."),
    "coolant_curve": _coolant_curve,
    "wiggle": _wiggle,
    "bus_resistance": _bus,
    "coil_trigger": _spark,
    "spark_tester": _spark,
    "plug_swap": _plug_swap,
    "injector_swap": _injector_swap,
    "leak_down": _leak_down,
    "relative_compression": _humps,
    "bleed_down": _always("The pressure holds."),
    "fuel_sample": _sample,
    "back_pressure": _always("The pressure is low."),
    "catalyst_switching": _catalyst,
    "warm_up": _warm_up,
    "cold_soak_look": _soak_look,
    "idle_load": _idle_load,
    "throttle_sweep": _sweep,
    "throttle_relearn": _always("It completes, no change."),
    "tank_hold": _tank,
    "smoke_evap": _evap_smoke,
    "vent_valve": _vent,
    "charge_pipes": _charge_pipes,
    "boost_gate": _gate,
    "software_level": _software,
    "knock_sensor": _always("Torque and lead are right."),
    "timing_marks": _marks,
    "rail_supply": _always("The pressure is right, no air in it."),
    "coolant_level": _always("It is full and tight."),
    "oil": _oil,
    "filter_pressure": _filter_pressure,
    "filter_model": _soot_share,
    "regeneration_history": _regenerations,
    "egr_command": _egr,
    "turbo_shaft": _turbo_shaft,
    "gearbox_fluid": _always("It is clear, and its level is right."),
    "boost_watch": _boost_watch,
    "upstream_response": _upstream_response,
    "balance_watch": _balance_watch,
    "cams": _cams,
    "bearings": lambda _: Finding("The dial moves a hair on every cylinder: within the limit."),
}
